using System.Diagnostics;
using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>Rules that change what becomes of messages, on real servers.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class RuleTests(TwoServers servers)
{
    private const string Labelled = "aoife@saltmarsh.example";

    [Fact]
    public async Task A_message_in_several_folders_arrives_once_with_their_names_as_keywords()
    {
        // Cyrus names messages (RFC 8474): a copy in another folder has the same name.
        await using var cyrus = await CyrusServer.StartAsync([(Labelled, TwoServers.Password)]);
        var account = servers.NewAccounts(1)[0];
        using var from = await PlainImap.SignInAsync(cyrus.Port, Labelled, TwoServers.Password);
        foreach (var folder in new[] { "Work", "Ship & shore" })
            await from.RunAsync($"CREATE \"{folder.Replace("&", "&-", StringComparison.Ordinal)}\"");
        await from.AppendAsync(
            "INBOX",
            Enumerable.Range(0, 30).Select(i => TwoServers.Message(account, i, 900)).Where(m => m.Octets.Length > 0)
        );
        await from.RunAsync("SELECT INBOX");
        await from.RunAsync("COPY 1:10 Work");
        await from.RunAsync("COPY 6:15 \"Ship &- shore\"");
        await using var service = await TestService.StartAsync();
        var plan = servers
            .Plan("    labels: once-with-keyword")
            .Replace($"port: {servers.From.PlainPort}", $"port: {cyrus.Port}", StringComparison.Ordinal);
        var applied = await service.ApplyAsync(
            plan,
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + $"Aoife,{Labelled},{account},{TwoServers.Password},{TwoServers.Password}\n"
            )
        );
        Assert.True(applied.Code == 0, applied.Error);
        await TwoServers.RunToEndAsync(service);

        using var to = await servers.AtToAsync(account);
        var copies = await to.ReadFolderAsync("INBOX");
        Assert.Equal(30, copies.Count);
        Assert.Equal(10, copies.Count(m => Has(m, "Work")));
        Assert.Equal(10, copies.Count(m => Has(m, "Ship_&_shore")));
        Assert.Equal(5, copies.Count(m => Has(m, "Work") && Has(m, "Ship_&_shore")));
        Assert.Empty(await to.ReadFolderAsync("Work"));
        var waybill = await service.GetAsync<BatchWaybill>("batches/crew/waybill");
        Assert.Equal((true, 50L, 30L, 20L), (waybill.Closes, waybill.Total.Found, waybill.Total.Carried, waybill.Total.Paired));

        // One more label, and one message leaves the inbox: it remains under its label.
        await from.RunAsync("COPY 20 Work");
        await from.RunAsync("STORE 1 +FLAGS (\\Deleted)");
        await from.RunAsync("UID EXPUNGE 1");
        await TwoServers.RunToEndAsync(service, "catch-up");
        Assert.Equal(29, (await to.ReadFolderAsync("INBOX")).Count);
        Assert.Single(await to.ReadFolderAsync("Work"));
        Assert.Equal(10, (await to.ReadFolderAsync("INBOX")).Count(m => Has(m, "Work")));
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);

        static bool Has(StoredMessage message, string keyword) =>
            message.Flags.Split(' ').Contains(keyword, StringComparer.OrdinalIgnoreCase);
    }

    [Fact]
    public async Task An_all_mail_folder_gives_only_what_stands_nowhere_else()
    {
        var account = servers.NewAccounts(1)[0];
        using var from = await servers.AtFromAsync(account);
        var messages = Enumerable.Range(0, 40).Select(i => TwoServers.Message(account, i, 900)).ToList();
        await from.RunAsync("CREATE Everything");
        await from.RunAsync("CREATE Work");
        await from.AppendAsync("Everything", messages);
        await from.AppendAsync("INBOX", messages.Take(15));
        await from.AppendAsync("Work", messages.Skip(15).Take(10));
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        await TwoServers.RunToEndAsync(service);
        using var to = await servers.AtToAsync(account);
        Assert.Equal(
            (15, 10, 15),
            (
                (await to.ReadFolderAsync("INBOX")).Count,
                (await to.ReadFolderAsync("Work")).Count,
                (await to.ReadFolderAsync("Everything")).Count
            )
        );
        var waybill = await service.GetAsync<BatchWaybill>("batches/crew/waybill");
        Assert.Equal((true, 65L, 40L, 25L), (waybill.Closes, waybill.Total.Found, waybill.Total.Carried, waybill.Total.Excluded));
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task Deletions_are_followed_only_where_the_route_says_so(bool follow)
    {
        var account = servers.NewAccounts(1)[0];
        using var from = await servers.AtFromAsync(account);
        await from.AppendAsync("INBOX", Enumerable.Range(0, 100).Select(i => TwoServers.Message(account, i, 900)));
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(follow ? "    deletions: follow" : ""), ("crew.csv", TwoServers.Roster([account])));
        await TwoServers.RunToEndAsync(service);
        await from.RunAsync("SELECT INBOX");
        await from.RunAsync("STORE 3:7 +FLAGS (\\Deleted)");
        await from.RunAsync("EXPUNGE");
        await from.AppendAsync("INBOX", [TwoServers.Message(account, 500, 900)]);
        await TwoServers.RunToEndAsync(service, "catch-up");
        using var to = await servers.AtToAsync(account);
        var (left, here) = (await to.ReadFolderAsync("INBOX"), await from.ReadFolderAsync("INBOX"));
        Assert.Equal(follow ? here.Count : 101, left.Count);
        Assert.NotEqual(101, here.Count);
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    [Fact]
    public async Task Over_POP3_only_what_is_proven_to_have_arrived_is_deleted()
    {
        var account = servers.NewAccounts(1)[0];
        await using var from = await DovecotServer.StartAsync('/', new DovecotManners(Pop3: true));
        from.SetUser(account, TwoServers.Password);
        using var imap = await PlainImap.SignInAsync(from.PlainPort, account, TwoServers.Password);
        await imap.AppendAsync("INBOX", Enumerable.Range(0, 50).Select(i => TwoServers.Message(account, i, 1500)));
        // Too large for the new side: it is left behind, so it is not deleted on the old side.
        await imap.AppendAsync(
            "INBOX",
            [
                (
                    "",
                    DateTimeOffset.UtcNow,
                    System.Text.Encoding.ASCII.GetBytes($"Message-ID: <large@saltmarsh.example>\r\n\r\n{new string('x', 200_000)}\r\n")
                ),
            ]
        );
        await using var service = await TestService.StartAsync();
        var plan = servers
            .Plan("    old-side: delete-after-proof\n    mail: {mark: from-lanternpost}")
            .Replace(
                $"speaks: imap, host: 127.0.0.1, port: {servers.From.PlainPort}",
                $"speaks: pop3, host: 127.0.0.1, port: {from.Pop3Port}",
                StringComparison.Ordinal
            )
            .Replace("  northquay:\n", "  northquay:\n    limits: {largest-message: 100KB}\n", StringComparison.Ordinal);
        var applied = await service.ApplyAsync(plan, ("crew.csv", TwoServers.Roster([account])));
        Assert.True(applied.Code == 0, applied.Error);
        Assert.Equal(3, (await service.RunAsync("start", "crew", "--wait")).Code);
        Assert.Single(await imap.ReadFolderAsync("INBOX"));
        using var to = await servers.AtToAsync(account);
        var arrived = await to.ReadFolderAsync("INBOX");
        Assert.Equal(50, arrived.Count);
        Assert.All(arrived, m => Assert.Contains("from-lanternpost", m.Flags, StringComparison.OrdinalIgnoreCase));
        Assert.Contains("read back", (await service.RunAsync("journal", "crew")).Out, StringComparison.Ordinal);
        Assert.Equal(3, (await service.RunAsync("catch-up", "crew", "--wait")).Code);
        Assert.Equal(50, (await to.ReadFolderAsync("INBOX")).Count);
    }

    [Fact]
    public async Task A_full_disk_under_the_store_is_said_and_when_there_is_room_all_goes_on()
    {
        // More than fits into the room that is left to the log of the store.
        const int Messages = 12_000;
        var account = servers.NewAccounts(1)[0];
        using (var imap = await servers.AtFromAsync(account))
            await imap.AppendAsync("INBOX", Enumerable.Range(0, Messages).Select(i => TwoServers.Message(account, i, 900)));
        var folder = Directory.CreateTempSubdirectory("caravan-full").FullName;
        await using (var service = await TestService.StartAsync(folder))
            await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        // No file may grow much beyond the size of the store now: a larger write fails as on a full disk.
        var blocks = (Directory.GetFiles(folder, "caravan.db*").Max(f => new FileInfo(f).Length) / 1024) + 150;
        using var process = await ServiceProcess.StartAsync(
            folder,
            $"trap '' XFSZ; export DOTNET_EnableWriteXorExecute=0; ulimit -S -f {blocks}; exec \"$@\""
        );
        await process.ActAsync(MoveAction.Start);
        await TestService.UntilAsync(async () => (await process.TodayAsync()).NeedsYou.Any(n => n.Cause == "store-full"));
        using (var raise = Process.Start("prlimit", ["--pid", $"{process.Id}", "--fsize=unlimited"]))
            await raise.WaitForExitAsync();
        await TestService.UntilAsync(
            async () => (await process.MovesAsync())[0] is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle },
            seconds: 120
        );
        Assert.DoesNotContain((await process.TodayAsync()).NeedsYou, n => n.Cause == "store-full");
        using var to = await servers.AtToAsync(account);
        Assert.Equal(Messages, (await to.ReadFolderAsync("INBOX")).Count);
        process.Kill();
        Directory.Delete(folder, recursive: true);
    }
}
