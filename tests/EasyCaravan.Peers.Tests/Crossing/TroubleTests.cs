using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers.Crossing;
using EasyCaravan.Store;
using EasyCaravan.Testing;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace EasyCaravan.Peers.Tests.Crossing;

/// <summary>Trouble on the evening of the crossing stops only whom it concerns, and there is a way on and a way back.</summary>
public sealed class TroubleTests
{
    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    private static async Task<CrossingView> ViewAsync(TestService service, string who) =>
        (await service.GetAsync<CrossingDetail>($"batches/crew/crossing/move?move={who}")).Crossing;

    private static async Task AnswerAsync(CrossingWorld world, string who, string? script)
    {
        using var rules = await PlainSieve.SignInAsync(world.New.SievePort, $"{who}@{CrossingWorld.NewDomain}", CrossingWorld.Password);
        await rules.PutAsync("own", Encoding.ASCII.GetBytes(script ?? "keep;"));
        await rules.ActivateAsync("own");
    }

    /// <summary>Says who has not, and why, where that does not come.</summary>
    private static async Task AllSettleAsync(TestService service, int seconds)
    {
        try
        {
            await TestService.UntilAsync(
                async () => (await service.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.Settling),
                seconds
            );
        }
        catch (TimeoutException e)
        {
            throw new TimeoutException((await service.RunAsync("crossing", "crew")).Out, e);
        }
    }

    [Fact]
    public async Task Planted_trouble_stops_only_whom_it_concerns()
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] people = ["well", "lost", "junk", "full", "fine"];
        await using var world = await CrossingWorld.StartAsync(people, newQuota: "10M");
        world.New.SetUser($"full@{CrossingWorld.NewDomain}", CrossingWorld.Password, "60k");
        await AnswerAsync(world, "lost", "if header :contains \"subject\" \"Does mail to\" { discard; }");
        await AnswerAsync(world, "junk", "require \"fileinto\"; require \"mailbox\"; fileinto :create \"Junk\";");
        for (var i = 0; i < 10; i++)
            await world.SendAsync($"{people[i % 5]}@{CrossingWorld.OldDomain}", $"early-{i}@outside.example", $"Early {i}", Cancel);
        await using var service = await CrossingWorld.StartServiceAsync(world.Plan("crossing: {probe-within: 1m}"), people);
        // More than the new account holds, in the old mailbox at the last moment.
        var large = string.Concat(Enumerable.Repeat("The tide is in, and the ferry waits for it.\r\n", 2000));
        await world.SendAsync($"full@{CrossingWorld.OldDomain}", "large@outside.example", "Large", Cancel, large);
        await service.RunAsync("crossing", "crew", "--check");
        await service.RunAsync("crossing", "crew", "--accept", "informed", "--because", "Told in person");
        await service.RunAsync("crossing", "crew", "--accept", "own-rules", "--because", "They know");
        var went = await service.RunAsync("crossing", "crew", "--go", "--wait");
        Assert.True(went.Code == 3, went.Out + went.Error);

        foreach (var who in new[] { "well", "fine" })
            Assert.Equal(MoveStage.Settling, (await ViewAsync(service, who)).Stage);
        var lost = await ViewAsync(service, "lost");
        Assert.Equal((MoveStage.Crossing, CrossingStepWord.Probe, MoveCondition.NeedsYou), (lost.Stage, lost.Step, lost.Condition));
        Assert.Contains("did not come", lost.What, StringComparison.Ordinal);
        var junk = await ViewAsync(service, "junk");
        Assert.Contains("into the folder Junk, which is for junk", junk.What, StringComparison.Ordinal);
        var full = await ViewAsync(service, "full");
        Assert.Equal((CrossingStepWord.Close, MoveCondition.NeedsYou), (full.Step, full.Condition));
        Assert.Contains("more room", full.Remedy, StringComparison.Ordinal);

        // Each is mended its own way.
        await AnswerAsync(world, "lost", null);
        await service.RunAsync("crossing", "crew", "--accept", "probe", "--because", "Its owner looks into the junk", "--move", "junk");
        world.New.SetUser($"full@{CrossingWorld.NewDomain}", CrossingWorld.Password, "10M");
        // Dovecot looks at its file of users once a second at most.
        await TestService.UntilAsync(async () =>
        {
            using var imap = await world.AtNewAsync("full");
            return (await imap.RunAsync("GETQUOTAROOT INBOX")).Exists(l => l.Contains(" 10240)", StringComparison.Ordinal));
        });
        await service.RunAsync("retry", "crew");
        await AllSettleAsync(service, 90);
        Assert.Contains("large@outside.example", (await world.NewIdsAsync("full")).Select(m => m.Id));
        foreach (var who in people)
            Assert.DoesNotContain(await world.NewIdsAsync(who), m => m.Id.StartsWith("probe.", StringComparison.Ordinal));
    }

    [Fact]
    public async Task While_the_mail_server_is_down_a_crossing_waits_and_goes_on_by_itself()
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] people = ["aoife", "orla"];
        await using var world = await CrossingWorld.StartAsync(people);
        await world.SendAsync("aoife@saltmarsh.example", "early@outside.example", "Early", Cancel);
        await using var service = await CrossingWorld.StartServiceAsync(world.Plan(), people);
        await service.RunAsync("crossing", "crew", "--check");
        await service.RunAsync("crossing", "crew", "--accept", "informed", "--because", "Told in person");
        await world.Post.StopAsync();
        await service.RunAsync("crossing", "crew", "--go");
        await TestService.UntilAsync(async () =>
            (await service.MovesAsync("crew")).TrueForAll(m => m is { Stage: MoveStage.Crossing, Condition: MoveCondition.Waiting })
        );
        await world.Post.StartAgainAsync();
        await service.RunAsync("retry", "crew");
        await AllSettleAsync(service, 120);
    }

    [Fact]
    public async Task When_it_is_done_no_way_in_of_the_person_is_left_anywhere()
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] people = ["aoife", "orla"];
        await using var world = await CrossingWorld.StartAsync(people);
        await using var service = await CrossingWorld.StartServiceAsync(world.Plan(), people);
        await service.RunAsync("crossing", "crew", "--check");
        await service.RunAsync("crossing", "crew", "--accept", "informed", "--because", "Told in person");
        Assert.Equal(0, (await service.RunAsync("crossing", "crew", "--go", "--wait")).Code);
        var sealedSecrets = await SealedAsync(service);
        Assert.Equal(4, sealedSecrets.Count);
        Assert.Equal(0, (await service.RunAsync("crossing", "crew", "--finish", "--wait")).Code);
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.Done));
        // The roster still has them: what was forgotten stays so.
        await service.RunAsync("plan", "apply", Path.Combine(service.Folder, "plan", "plan.yaml"));
        Directory.Delete(Path.Combine(service.Folder, "plan"), recursive: true);
        await TestService.UntilAsync(() => Task.FromResult(sealedSecrets.TrueForAll(t => FilesWith(service.Folder, t).Count == 0)), 20);
        Assert.Empty(FilesWith(service.Folder, CrossingWorld.Password));
    }

    private static async Task<List<string>> SealedAsync(TestService service)
    {
        await using var db = service.Services.GetRequiredService<Database>().Read();
        var rows = await db.Moves.ToListAsync(Cancel);
        return [.. rows.SelectMany(m => new[] { m.FromSecret, m.ToSecret }).OfType<string>()];
    }

    /// <summary>Files of the data folder that hold a text.</summary>
    private static List<string> FilesWith(string folder, string text)
    {
        var found = new List<string>();
        foreach (var file in Directory.EnumerateFiles(folder, "*", SearchOption.AllDirectories).Where(f => Path.GetFileName(f) != "lock"))
        {
            using var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
            using var reader = new StreamReader(stream, Encoding.Latin1);
            if (reader.ReadToEnd().Contains(text, StringComparison.Ordinal))
                found.Add(file);
        }
        return found;
    }
}
