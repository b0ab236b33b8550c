using System.Diagnostics;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Parcels;

/// <summary>What happens to parcels when the service is killed, the disk is full, or their octets change.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class ParcelFaultTests(TwoServers servers)
{
    private const int MessageOctets = 4000;

    private static string Plan(int port) =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{port}}, security: none}
              archive:
                parcels: {place: parcels/, name: "{account}", part-size: 700kB}
            routes:
              packing: {from: lanternpost, to: archive}
            batches:
              crew: {route: packing, roster: crew.csv}
            """;

    private static string Roster(IEnumerable<string> accounts) =>
        "name,from_account,to_account,from_secret\n" + string.Concat(accounts.Select(a => $"{a},{a},{a},{TwoServers.Password}\n"));

    [Fact]
    public Task Killed_at_any_moment_packing_goes_on_and_nothing_is_lost_or_doubled() => KillAsync(6);

    [Fact(Explicit = true)]
    public Task Killed_sixty_times_packing_goes_on_and_nothing_is_lost_or_doubled() => KillAsync(60);

    private async Task KillAsync(int kills)
    {
        const int Fresh = 60;
        var accounts = servers.NewAccounts(2);
        var folder = Directory.CreateTempSubdirectory("caravan-parcel").FullName;
        var chance = new Random(4711);
        await using var way = new CuttingProxy(servers.From.PlainPort, () => null);
        await using (var service = await TestService.StartAsync(folder))
            Assert.Equal(0, (await service.ApplyAsync(Plan(way.Port), ("crew.csv", Roster(accounts)))).Code);
        for (var life = 0; life < kills; life++)
        {
            foreach (var account in accounts)
                await AppendAsync(account, life * Fresh, Fresh);
            // In what the account gives out, and a little after it: parts are closed at the end.
            var reached = way.PassedAsync(chance.NextInt64(3000, (long)(Fresh * accounts.Length * MessageOctets * 0.6)));
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
                return (await last.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.InStep && m.Condition is MoveCondition.Idle);
            },
            seconds: 120
        );
        await TwoServers.RunToEndAsync(last, "catch-up");
        foreach (var account in accounts)
        {
            var path = Path.Combine(folder, "files", "parcels", account + ".zip");
            await AssertPackedAsync(account, path, kills * Fresh);
            Assert.Equal(0, (await last.RunAsync("parcel", "check", path)).Code);
        }
        // Nothing is left of what was under way.
        Assert.All(Directory.GetFiles(Path.Combine(folder, "files", "parcels")), f => Assert.EndsWith(".zip", f, StringComparison.Ordinal));
        Assert.True((await last.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task A_disk_that_fills_up_is_told_and_packing_goes_on_once_there_is_room()
    {
        var account = servers.NewAccounts(1)[0];
        await AppendAsync(account, 0, 400);
        var disk = Directory.CreateTempSubdirectory("caravan-disk").FullName;
        Assert.SkipUnless(Try("mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", disk), "A small disk cannot be mounted here.");
        try
        {
            await using var service = await TestService.StartAsync(options: o => o with { FilesFolder = disk });
            Assert.Equal(0, (await service.ApplyAsync(Plan(servers.From.PlainPort), ("crew.csv", Roster([account])))).Code);
            var ran = await service.RunAsync("start", "crew", "--wait");
            Assert.Equal(3, ran.Code);
            Assert.Contains("the disk under parcels is full", ran.Out, StringComparison.Ordinal);
            Assert.True(Try("mount", "-o", "remount,size=20m", disk));
            await service.RunAsync("retry", "crew", "--wait");
            await AssertPackedAsync(account, Path.Combine(disk, "parcels", account + ".zip"), 400);
            Assert.Equal(0, (await service.RunAsync("parcel", "check", Path.Combine(disk, "parcels", account + ".zip"))).Code);
        }
        finally
        {
            Try("umount", disk);
        }
    }

    [Fact]
    public async Task Two_hundred_octets_that_change_are_found_one_by_one()
    {
        var account = servers.NewAccounts(1)[0];
        await servers.PlantAsync(account, 160);
        await using var service = await TestService.StartAsync();
        Assert.Equal(0, (await service.ApplyAsync(Plan(servers.From.PlainPort), ("crew.csv", Roster([account])))).Code);
        await TwoServers.RunToEndAsync(service);
        var path = Path.Combine(service.Folder, "files", "parcels", account + ".zip");
        var octets = await File.ReadAllBytesAsync(path);
        var chance = new Random(20261130);
        for (var i = 0; i < 200; i++)
        {
            var at = chance.Next(octets.Length);
            var before = octets[at];
            octets[at] ^= (byte)chance.Next(1, 256);
            await File.WriteAllBytesAsync(path, octets);
            var ran = await service.RunAsync("parcel", "check", path);
            Assert.True(ran.Code == 1, $"octet {at} of {octets.Length}: {ran.Out}");
            octets[at] = before;
        }
        await File.WriteAllBytesAsync(path, octets[..^1]);
        Assert.Equal(1, (await service.RunAsync("parcel", "check", path)).Code);
        await File.WriteAllBytesAsync(path, octets);
        Assert.Equal(0, (await service.RunAsync("parcel", "check", path)).Code);
    }

    private async Task AppendAsync(string account, int first, int count)
    {
        using var imap = await servers.AtFromAsync(account);
        await imap.AppendAsync("INBOX", Enumerable.Range(first, count).Select(i => TwoServers.Message(account, i, MessageOctets)));
    }

    private async Task AssertPackedAsync(string account, string path, int planted)
    {
        using var from = await servers.AtFromAsync(account);
        var here = (await from.ReadFolderAsync("INBOX")).Select(m => Convert.ToHexStringLower(SHA256.HashData(m.Octets))).Order().ToList();
        var there = PythonZip.Read(path).Messages.Where(m => m.Folder == "INBOX").Select(m => m.Sha256).Order().ToList();
        Assert.Equal(planted, here.Count);
        Assert.Equal(here, there);
    }

    private static bool Try(string program, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardError = true })!;
        process.WaitForExit();
        return process.ExitCode == 0;
    }
}
