using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers.Crossing;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Crossing;

/// <summary>People cross between real servers that deliver mail; clients of the tests' own look what is there.</summary>
public sealed class CrossingTests
{
    private static readonly byte[] s_own = Encoding.UTF8.GetBytes(
        "require [\"fileinto\", \"mailbox\"];\r\n# Mine, with an é\r\n"
            + "if header :contains \"subject\" \"tide\" { fileinto :create \"Tide\"; stop; }"
    );

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    private static async Task AcceptAsync(TestService service, string? who, params string[] gates)
    {
        foreach (var gate in gates)
        {
            var ran = await service.RunAsync([
                "crossing",
                "crew",
                "--accept",
                gate,
                "--because",
                "Told in person",
                .. who is null ? [] : new[] { "--move", who },
            ]);
            Assert.Contains("Accepted: ", ran.Out + ran.Error, StringComparison.Ordinal);
        }
    }

    private static void NeedsPostfix() => Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");

    [Fact]
    public async Task A_person_with_own_rules_crosses_and_is_as_before_when_that_is_undone()
    {
        NeedsPostfix();
        string[] people = ["aoife", "orla"];
        await using var world = await CrossingWorld.StartAsync(people);
        using var rules = await PlainSieve.SignInAsync(world.Old.SievePort, "aoife@saltmarsh.example", CrossingWorld.Password);
        await rules.PutAsync("mine", s_own);
        await rules.ActivateAsync("mine");
        for (var i = 0; i < 5; i++)
            await world.SendAsync("aoife@saltmarsh.example", $"before-{i}@outside.example", $"Before {i}", Cancel);
        await using var service = await CrossingWorld.StartServiceAsync(world.Plan(), people);

        var check = await service.RunAsync("crossing", "crew", "--check", "--move", "aoife");
        Assert.Contains("sort mail into folders", check.Out, StringComparison.Ordinal);
        Assert.Contains("no letter about the crossing", check.Out, StringComparison.Ordinal);
        Assert.Contains("redirect :copy \"aoife@northquay.example\"", check.Out, StringComparison.Ordinal);
        Assert.Equal("*mine", Assert.Single(await rules.ListAsync()));

        var shut = await service.RunAsync("crossing", "crew", "--go", "--wait", "--move", "aoife");
        Assert.True(shut.Code == 3, shut.Out + shut.Error);
        Assert.Contains("2 gates are shut (own-rules, informed)", shut.Out, StringComparison.Ordinal);
        await AcceptAsync(service, "aoife", "own-rules", "informed");
        await world.SendAsync("aoife@saltmarsh.example", "late@outside.example", "Just before", Cancel);
        var went = await service.RunAsync("crossing", "crew", "--go", "--wait", "--move", "aoife");
        Assert.True(went.Code == 0, went.Out + went.Error);

        var view = (await service.GetAsync<CrossingDetail>("batches/crew/crossing/move?move=aoife")).Crossing;
        Assert.Equal((MoveStage.Settling, CrossingStepWord.Settle), (view.Stage, view.Step!.Value));
        Assert.Equal([ProbeWord.Arrived, ProbeWord.Arrived], view.Probes.Select(p => p.State));
        await world.SendAsync("aoife@saltmarsh.example", "after@outside.example", "A tide of mail", Cancel);
        await TestService.UntilAsync(async () => (await world.NewIdsAsync("aoife")).Exists(m => m.Id == "after@outside.example"));
        using (var old = await world.AtOldAsync("aoife"))
            Assert.Contains(("Tide", "after@outside.example"), await CrossingWorld.IdsAsync(old));
        var ids = (await world.NewIdsAsync("aoife")).Select(m => m.Id).ToList();
        Assert.Equal(
            [
                "after@outside.example",
                "before-0@outside.example",
                "before-1@outside.example",
                "before-2@outside.example",
                "before-3@outside.example",
                "before-4@outside.example",
                "late@outside.example",
            ],
            ids.Order()
        );

        // The old mailbox keeps a copy: it is paired, once it cannot be on its way any more, and counted as mail to the old address.
        await service.RunAsync("catch-up", "crew", "--move", "aoife", "--wait");
        await TestService.UntilAsync(async () =>
            (await service.ListAsync<AftercareView>("batches/crew/aftercare")).Single() is { Messages: > 0 }
        );
        var writers = await service.RunAsync("aftercare", "crew", "--writers", "--output", "csv");
        Assert.Contains("friend@outside.example,1,", writers.Out, StringComparison.Ordinal);

        var back = await service.RunAsync("take-back", "crew", "--move", "aoife", "--check");
        Assert.Equal(1, back.Code);
        Assert.Contains("Undo the crossing first", back.Error, StringComparison.Ordinal);
        var undone = await service.RunAsync("crossing", "crew", "--undo", "--wait", "--move", "aoife");
        Assert.True(undone.Code == 0, undone.Out + undone.Error);
        Assert.Equal("*mine", Assert.Single(await rules.ListAsync()));
        Assert.Equal(s_own, await rules.ReadAsync("mine"));
        Assert.Equal(MoveStage.InStep, (await service.MovesAsync("crew")).Find(m => m.Name == "aoife")!.Stage);
    }
}
