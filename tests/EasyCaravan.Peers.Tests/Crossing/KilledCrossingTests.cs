using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers.Crossing;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Crossing;

/// <summary>
/// The service is killed while people cross and while that is undone: it goes on, and what their owners had stays as it was.
/// </summary>
public sealed class KilledCrossingTests
{
    private static readonly string[] s_people = ["aoife", "bram", "cillian", "dervla"];

    private static readonly byte[] s_own = Encoding.UTF8.GetBytes(
        "require [\"fileinto\", \"mailbox\"];\r\n# Meine, mit é\r\nif header :contains \"subject\" \"tide\" { fileinto :create \"Tide\"; }"
    );

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    [Fact]
    public Task Killed_while_people_cross_it_goes_on() => KillAsync(6);

    /// <summary>Minutes long: run by <c>./test --long</c>.</summary>
    [Fact(Explicit = true)]
    public Task Killed_a_hundred_times_it_goes_on() => KillAsync(100);

    private static async Task KillAsync(int kills)
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        await using var world = await CrossingWorld.StartAsync(s_people);
        await using var imap = new CuttingProxy(world.New.PlainPort, () => null);
        await using var sieve = new CuttingProxy(world.Old.SievePort, () => null);
        foreach (var person in s_people[..2])
            using (var rules = await RulesAsync(world, person))
            {
                await rules.PutAsync("mine", s_own);
                await rules.ActivateAsync("mine");
            }
        var sent = new List<(string Person, string Id)>();
        for (var i = 0; i < 8; i++)
            await SendAsync(world, sent);
        var folder = Directory.CreateTempSubdirectory("caravan-kill").FullName;
        await using (var service = await TestService.StartAsync(folder))
            await BeginAsync(service, world, imap, sieve);
        var chance = new Random(4711);
        var (killed, goesBack) = (0, false);
        while (killed < kills)
        {
            await SendAsync(world, sent);
            using var process = await ServiceProcess.StartAsync(folder);
            // A session of the rules is a few hundred octets long, the whole of a crossing some thousand.
            var reached = killed % 2 == 0 ? sieve.PassedAsync(chance.Next(1, 4_000)) : imap.PassedAsync(chance.Next(1, 20_000));
            await process.CrossAsync(goesBack ? CrossingAsk.Undo : CrossingAsk.Go);
            await process.ActAsync(MoveAction.Retry);
            await TestService.UntilAsync(
                async () =>
                    reached.IsCompleted
                    || (await process.MovesAsync()).TrueForAll(m => m.Stage == (goesBack ? MoveStage.InStep : MoveStage.Settling)),
                seconds: 90
            );
            // Whoever is where they were to go turns back in the next life.
            if (!reached.IsCompleted)
                goesBack = !goesBack;
            process.Kill();
            killed++;
        }
        await using (var last = await TestService.StartAsync(folder))
            await EndAsync(last, world, sent);
        Directory.Delete(folder, recursive: true);
    }

    private static Task<PlainSieve> RulesAsync(CrossingWorld world, string who) =>
        PlainSieve.SignInAsync(world.Old.SievePort, $"{who}@{CrossingWorld.OldDomain}", CrossingWorld.Password);

    private static async Task SendAsync(CrossingWorld world, List<(string Person, string Id)> sent)
    {
        var person = s_people[sent.Count % s_people.Length];
        var id = $"message-{sent.Count}@outside.example";
        await world.SendAsync($"{person}@{CrossingWorld.OldDomain}", id, $"A tide of mail, {sent.Count}", Cancel);
        sent.Add((person, id));
    }

    private static async Task BeginAsync(TestService service, CrossingWorld world, CuttingProxy imap, CuttingProxy sieve)
    {
        var plan = world
            .Plan("timetable: {zone: UTC}")
            .Replace($"port: {world.New.PlainPort},", $"port: {imap.Port},", StringComparison.Ordinal)
            .Replace($"port: {world.Old.SievePort},", $"port: {sieve.Port},", StringComparison.Ordinal);
        var applied = await service.ApplyAsync(plan, ("crew.csv", CrossingWorld.Roster(s_people)));
        Assert.True(applied.Code == 0, applied.Error);
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew");
        await service.RunAsync("crossing", "crew", "--check", "--wait");
        foreach (var gate in new[] { "own-rules", "informed" })
            await service.RunAsync("crossing", "crew", "--accept", gate, "--because", "Told in person");
    }

    /// <summary>
    /// Everybody crosses and goes back; then each message is there once, no probe is left, and the rules are as they were.
    /// </summary>
    private static async Task EndAsync(TestService service, CrossingWorld world, List<(string Person, string Id)> sent)
    {
        // Who was going back when the last life ended is let go back first.
        await service.RunAsync("crossing", "crew", "--undo");
        await UntilAllAsync(service, MoveStage.InStep);
        await service.RunAsync("crossing", "crew", "--go");
        foreach (var person in s_people)
            await service.RunAsync("crossing", "crew", "--go", "--move", person);
        await UntilAllAsync(service, MoveStage.Settling);
        await SendAsync(world, sent);
        await service.RunAsync("crossing", "crew", "--undo");
        await UntilAllAsync(service, MoveStage.InStep);
        foreach (var person in s_people[..2])
        {
            using var rules = await RulesAsync(world, person);
            Assert.Equal(["*mine"], await rules.ListAsync());
            Assert.Equal(s_own, await rules.ReadAsync("mine"));
        }
        using (var rules = await RulesAsync(world, s_people[3]))
            Assert.Empty(await rules.ListAsync());
        await service.RunAsync("catch-up", "crew", "--wait");
        foreach (var person in s_people)
        {
            var wanted = sent.Where(s => s.Person == person).Select(s => s.Id).Order(StringComparer.Ordinal);
            Assert.Equal(wanted, (await world.NewIdsAsync(person)).Select(m => m.Id).Order(StringComparer.Ordinal));
            using var old = await world.AtOldAsync(person);
            Assert.DoesNotContain(await CrossingWorld.IdsAsync(old), m => m.Id.StartsWith("probe.", StringComparison.Ordinal));
        }
    }

    private static async Task UntilAllAsync(TestService service, MoveStage stage)
    {
        try
        {
            await TestService.UntilAsync(
                async () =>
                {
                    await service.RunAsync("retry", "crew");
                    return (await service.MovesAsync("crew")).TrueForAll(m => m.Stage == stage && m.Condition is MoveCondition.Idle);
                },
                seconds: 120
            );
        }
        catch (TimeoutException e)
        {
            throw new TimeoutException((await service.RunAsync("crossing", "crew")).Out, e);
        }
    }
}
