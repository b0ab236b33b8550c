using System.Diagnostics;
using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>The service as a process of its own, killed without warning again and again.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class KillTests(TwoServers servers)
{
    private const int MessageOctets = 4000;

    [Fact]
    public Task Killed_at_any_moment_of_a_pass_it_goes_on_and_nothing_is_lost_or_doubled() => KillAsync(8, 250);

    /// <summary>Minutes long: run by <c>./test --long</c>.</summary>
    [Fact(Explicit = true)]
    public Task Killed_two_hundred_times_it_goes_on_and_nothing_is_lost_or_doubled() => KillAsync(200, 80);

    private async Task KillAsync(int kills, int fresh)
    {
        var accounts = servers.NewAccounts(4);
        var folder = Directory.CreateTempSubdirectory("caravan-kill").FullName;
        var chance = new Random(4711);
        var planted = 0;
        // Killed after so many octets reached the new side, and not after some time: wherever it is then, it is in mid-pass.
        await using var way = new CuttingProxy(servers.To.PlainPort, () => null);
        await using (var service = await TestService.StartAsync(folder))
            await service.ApplyAsync(TwoServers.PlanBetween(servers.From.PlainPort, way.Port), ("crew.csv", TwoServers.Roster(accounts)));

        for (var life = 0; life < kills; life++)
        {
            // Fresh mail in every life, so that there is a pass to die in.
            foreach (var account in accounts)
                await AppendAsync(account, planted, fresh);
            planted += fresh;
            var reached = way.PassedAsync(chance.NextInt64(1, fresh * accounts.Length * MessageOctets / 2));
            using var process = await ServiceProcess.StartAsync(folder);
            await process.ActAsync(life == 0 ? MoveAction.Start : MoveAction.CatchUp);
            await process.ActAsync(MoveAction.Retry);
            await reached;
            process.Kill();
        }

        await using var last = await TestService.StartAsync(folder);
        await TestService.UntilAsync(
            async () =>
            {
                await last.RunAsync("retry", "crew");
                var moves = await last.MovesAsync("crew");
                return moves.TrueForAll(m => m.Stage is MoveStage.InStep && m.Condition is MoveCondition.Idle);
            },
            seconds: 300
        );
        await TwoServers.RunToEndAsync(last, "catch-up");
        foreach (var account in accounts)
            await AssertInboxesAsync(account, planted);
        var stopped = 0;
        foreach (var account in accounts)
            stopped += (await last.GetAsync<MoveDetail>($"batches/crew/moves/{account}")).Passes.Count(p => p.Stopped);
        // Four moves may be under way at each death, and one is at least.
        Assert.True(stopped >= kills, $"only {stopped} passes were interrupted");
        TestContext.Current.TestOutputHelper?.WriteLine($"{stopped} passes were interrupted by {kills} kills");
        Assert.True((await last.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task Asked_to_stop_in_mid_pass_it_ends_within_ten_seconds_and_goes_on_after()
    {
        var account = servers.NewAccounts(1)[0];
        await AppendAsync(account, 0, 6000);
        var folder = Directory.CreateTempSubdirectory("caravan-stop").FullName;
        await using (var service = await TestService.StartAsync(folder))
            await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        using (var process = await ServiceProcess.StartAsync(folder))
        {
            await process.ActAsync(MoveAction.Start);
            await TestService.UntilAsync(async () => (await process.MovesAsync())[0].Condition is MoveCondition.Running);
            var watch = Stopwatch.StartNew();
            Assert.Equal(0, await process.StopAsync());
            Assert.True(watch.Elapsed < TimeSpan.FromSeconds(10), $"it took {watch.Elapsed}");
        }
        await using var last = await TestService.StartAsync(folder);
        await TestService.UntilAsync(async () => (await last.MovesAsync("crew"))[0].Stage is MoveStage.InStep);
        await AssertInboxesAsync(account, 6000);
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task A_mail_server_that_dies_in_mid_pass_is_waited_for_and_nothing_is_lost_or_doubled()
    {
        var account = servers.NewAccounts(1)[0];
        await AppendAsync(account, 0, 20_000);
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        await service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew"))[0].Pass is { Settled: > 0 });
        try
        {
            await servers.To.KillAsync();
            await TestService.UntilAsync(async () => (await service.MovesAsync("crew"))[0].Condition is MoveCondition.Waiting);
        }
        finally
        {
            await servers.To.StartAsync();
        }
        await service.RunAsync("retry", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew"))[0].Stage is MoveStage.InStep);
        await AssertInboxesAsync(account, 20_000);
    }

    private async Task AppendAsync(string account, int first, int count)
    {
        using var imap = await servers.AtFromAsync(account);
        await imap.AppendAsync("INBOX", Enumerable.Range(first, count).Select(i => TwoServers.Message(account, i, MessageOctets)));
    }

    private async Task AssertInboxesAsync(string account, int planted)
    {
        using var from = await servers.AtFromAsync(account);
        using var to = await servers.AtToAsync(account);
        var here = (await from.ReadFolderAsync("INBOX")).Select(m => Convert.ToHexString(m.Octets)).Order().ToList();
        var there = (await to.ReadFolderAsync("INBOX")).Select(m => Convert.ToHexString(m.Octets)).Order().ToList();
        Assert.Equal(planted, here.Count);
        Assert.Equal(here.Count, there.Count);
        Assert.True(here.SequenceEqual(there), "the messages differ");
    }
}
