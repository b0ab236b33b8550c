using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>A move is undone on a real server, and a client of our own compares what the new side holds before and after.</summary>
public sealed class TakeBackTests(TwoServers servers)
{
    [Fact]
    public async Task A_move_that_is_taken_back_leaves_the_new_side_as_it_was()
    {
        var account = servers.NewAccounts(1)[0];
        await servers.PlantAsync(account, 120);
        await PlantOwnAsync(account);
        var before = await SnapshotAsync(account);
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        await TwoServers.RunToEndAsync(service);
        var carried = await SnapshotAsync(account);

        var check = await service.RunAsync("take-back", "crew", "--move", account, "--check", "--output", "json");
        Assert.True(check.Code == 0, check.Error);
        Assert.Equal(carried, await SnapshotAsync(account));
        var refused = await service.RunAsync("take-back", "crew", "--move", account, "--account", "somebody@saltmarsh.example");
        Assert.Equal(1, refused.Code);
        Assert.Contains("is not the account into which", refused.Error, StringComparison.Ordinal);
        Assert.Equal(carried, await SnapshotAsync(account));

        var done = await service.RunAsync("take-back", "crew", "--move", account, "--account", account);
        Assert.True(done.Code == 0, done.Out + done.Error);
        Assert.Equal(before, await SnapshotAsync(account));
        var view = await service.GetAsync<TakeBackView>($"batches/crew/take-back?move={account}");
        Assert.Equal((119, 0, 0), (view.Removed, view.Kept, view.NotThere));
        Assert.Contains(view.Folders, f => f is { Place: "Projects", Folder: TakenFolderWord.NotOurs });
        Assert.Contains(view.Folders, f => f is { Place: "Projects/Ramp 2", Folder: TakenFolderWord.Removed });
        var move = (await service.MovesAsync("crew"))[0];
        Assert.Equal((MoveStage.Listed, MoveCondition.Held, 0L), (move.Stage, move.Condition, move.Counts.Carried));

        Assert.False((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);

        // It may begin anew, as if nothing had happened.
        await service.RunAsync("resume", "crew");
        await TwoServers.RunToEndAsync(service);
        Assert.Equal(Without(carried), Without(await SnapshotAsync(account)));
    }

    [Fact]
    public async Task What_somebody_changed_stays_and_is_told()
    {
        var account = servers.NewAccounts(1)[0];
        using (var from = await servers.AtFromAsync(account))
        {
            await from.RunAsync("CREATE \"Ropes\"");
            await from.RunAsync("CREATE \"Tides\"");
            await from.AppendAsync("Ropes", Enumerable.Range(1, 8).Select(i => Plain(account, i)));
            await from.AppendAsync("Tides", Enumerable.Range(11, 4).Select(i => Plain(account, i)));
            await from.AppendAsync("INBOX", Enumerable.Range(21, 2).Select(i => Plain(account, i)));
        }
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        await TwoServers.RunToEndAsync(service);
        using (var to = await servers.AtToAsync(account))
        {
            await to.RunAsync("SELECT Ropes");
            await to.RunAsync("UID STORE 1 +FLAGS (\\Flagged)");
            await to.RunAsync("UID STORE 2 +FLAGS (later)");
            await to.RunAsync("UID STORE 3 +FLAGS (\\Seen)");
            await to.RunAsync("UID MOVE 4 INBOX");
            await to.RunAsync("UID STORE 5 +FLAGS (\\Deleted)");
            await to.RunAsync("UID EXPUNGE 5");
        }
        using (var from = await servers.AtFromAsync(account))
        {
            await from.RunAsync("SELECT Tides");
            await from.RunAsync("UID STORE 1 +FLAGS (\\Deleted)");
            await from.RunAsync("UID EXPUNGE 1");
        }
        var ran = await service.RunAsync("take-back", "crew", "--move", account, "--account", account);
        Assert.True(ran.Code == 3, ran.Error);
        Assert.Contains("somebody changed its flags on the new side", ran.Out, StringComparison.Ordinal);
        Assert.Contains("its original is no longer on the old side", ran.Out, StringComparison.Ordinal);
        var view = await service.GetAsync<TakeBackView>($"batches/crew/take-back?move={account}");
        Assert.Equal(
            [("INBOX", 2L, 0L, 0L), ("Ropes", 4L, 2L, 2L), ("Tides", 3L, 1L, 0L)],
            view.Folders.Select(f => (f.Place, f.Removed, f.Kept, f.NotThere))
        );
        var kept = await service.ListAsync<TakeBackKept>($"batches/crew/take-back/kept?move={account}");
        Assert.Equal(
            [(KeptWord.FlagsChanged, "Message 1"), (KeptWord.FlagsChanged, "Message 2"), (KeptWord.OriginalGone, "Message 11")],
            kept.Select(k => (k.Because, k.Title!))
        );
        using var left = await servers.AtToAsync(account);
        Assert.Equal(2, (await left.ReadFolderAsync("Ropes")).Count);
        Assert.Single(await left.ReadFolderAsync("Tides"));
        // The one that its owner moved into the inbox.
        Assert.Single(await left.ReadFolderAsync("INBOX"));
    }

    [Fact]
    public async Task Killed_at_every_step_it_goes_on_and_leaves_the_new_side_as_it_was()
    {
        const int Steps = 8;
        var accounts = servers.NewAccounts(Steps);
        var folder = Directory.CreateTempSubdirectory("caravan-take-back").FullName;
        await using var way = new CuttingProxy(servers.To.PlainPort, () => null);
        var before = new List<IReadOnlyList<string>>();
        foreach (var account in accounts)
        {
            await servers.PlantAsync(account, 24);
            await PlantOwnAsync(account);
            before.Add(await SnapshotAsync(account));
        }
        await using (var service = await TestService.StartAsync(folder))
        {
            await service.ApplyAsync(TwoServers.PlanBetween(servers.From.PlainPort, way.Port), ("crew.csv", TwoServers.Roster(accounts)));
            await TwoServers.RunToEndAsync(service);
        }
        var killed = 0;
        for (var step = 0; step < Steps; step++)
        {
            // What a whole take-back of one account says to the new side is some 2,300 octets.
            var reached = way.PassedAsync(1 + (step * 290));
            using var process = await ServiceProcess.StartAsync(folder);
            await process.TakeBackAsync(accounts[step]);
            await Task.WhenAny(reached, process.UntilTakenBackAsync(accounts[step]));
            killed += reached.IsCompleted ? 1 : 0;
            process.Kill();
        }
        Assert.True(killed > Steps / 2, $"only {killed} were killed before their end");
        await using var last = await TestService.StartAsync(folder);
        await TestService.UntilAsync(async () =>
            (await last.MovesAsync("crew")).TrueForAll(m => m is { Stage: MoveStage.Listed, Condition: MoveCondition.Held })
        );
        for (var step = 0; step < Steps; step++)
        {
            Assert.Equal(before[step], await SnapshotAsync(accounts[step]));
            var view = await last.GetAsync<TakeBackView>($"batches/crew/take-back?move={accounts[step]}");
            Assert.Equal((23L, 0L, 0L), (view.Removed, view.Kept, view.NotThere));
        }
        Directory.Delete(folder, recursive: true);
    }

    private static (string Flags, DateTimeOffset Date, byte[] Octets) Plain(string account, int i) =>
        (
            "",
            new DateTimeOffset(2024, 5, 1, 8, 0, 0, TimeSpan.Zero).AddHours(i),
            System.Text.Encoding.ASCII.GetBytes(
                $"From: {account}\r\nSubject: Message {i}\r\nMessage-ID: <{i}.plain.{account}>\r\n\r\nAbout rope {i}.\r\n"
            )
        );

    /// <summary>What the person has on the new side already: among it one of the messages that will be found there.</summary>
    private async Task PlantOwnAsync(string account)
    {
        using var to = await servers.AtToAsync(account);
        await to.RunAsync("CREATE \"Projects\"");
        await to.RunAsync("CREATE \"My own\"");
        await to.AppendAsync("INBOX", [Plain(account, 1), TwoServers.Message(account, 0, 1500)]);
        await to.AppendAsync("Projects", [Plain(account, 2)]);
        await to.AppendAsync("My own", [Plain(account, 3)]);
    }

    /// <summary>Every folder with its subscription, every message with its number, flags, date and octets.</summary>
    private async Task<IReadOnlyList<string>> SnapshotAsync(string account)
    {
        using var to = await servers.AtToAsync(account);
        var lines = new List<string>();
        lines.AddRange(await to.RunAsync("LSUB \"\" \"*\""));
        foreach (var folder in (await to.ListFoldersAsync()).Order(StringComparer.Ordinal))
        {
            lines.Add(folder);
            foreach (var message in await to.ReadFolderAsync(folder))
                lines.Add(
                    $"{folder} {message.Uid} ({message.Flags}) {message.Date} "
                        + Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(message.Octets))
                );
        }
        return lines;
    }

    /// <summary>Numbers are never given twice.</summary>
    private static IEnumerable<string> Without(IReadOnlyList<string> snapshot) =>
        snapshot.Select(l => System.Text.RegularExpressions.Regex.Replace(l, @" \d+ \(", " (")).Order(StringComparer.Ordinal);
}
