using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

[Collection("one at a time: a server that is killed serves all")]
public sealed class ExactBatchTests(TwoServers servers)
{
    [Fact]
    public async Task Twenty_accounts_of_a_thousand_arrive_exactly_and_later_passes_carry_only_what_is_new()
    {
        var accounts = servers.NewAccounts(20);
        foreach (var account in accounts)
            await servers.PlantAsync(account, 1000);
        await using var service = await TestService.StartAsync();
        Assert.Equal(0, (await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster(accounts)))).Code);

        await TwoServers.RunToEndAsync(service);
        foreach (var account in accounts)
            await servers.AssertSameAsync(account);

        await TwoServers.RunToEndAsync(service, "catch-up");
        var unchanged = await LastPassAsync(service, accounts[3]);
        Assert.Equal((0, 0, 0, 0), (unchanged.Carried, unchanged.Paired, unchanged.LeftBehind, unchanged.FlagsChanged));

        using (var imap = await servers.AtFromAsync(accounts[3]))
        {
            await imap.AppendAsync("Projects/Ramp 2", Enumerable.Range(5000, 10).Select(i => TwoServers.Message(accounts[3], i, 800)));
            await imap.RunAsync("SELECT INBOX");
            await imap.RunAsync("STORE 1:5 +FLAGS (\\Flagged $Urgent)");
            await imap.RunAsync("STORE 6:10 FLAGS (\\Answered)");
        }
        await TwoServers.RunToEndAsync(service, "catch-up");
        var news = await LastPassAsync(service, accounts[3]);
        Assert.Equal((10, 0, 10), (news.Carried, news.Paired, news.FlagsChanged));
        foreach (var account in accounts)
            await servers.AssertSameAsync(account);

        using var waybill = JsonDocument.Parse((await service.RunAsync("waybill", "crew", "--output", "json")).Out);
        Assert.True(waybill.RootElement.GetProperty("closes").GetBoolean());
        Assert.Equal(20_010, waybill.RootElement.GetProperty("total").GetProperty("found").GetInt64());
        Assert.Equal(20_010, waybill.RootElement.GetProperty("total").GetProperty("carried").GetInt64());
        foreach (
            var folder in waybill
                .RootElement.GetProperty("moves")
                .EnumerateArray()
                .SelectMany(m => m.GetProperty("folders").EnumerateArray())
        )
        {
            var counts = folder.GetProperty("counts").Deserialize<Counts>(ContractJson.Options)!;
            Assert.Equal(counts.Found, counts.Carried + counts.Paired + counts.Excluded + counts.LeftBehind);
        }
    }

    [Fact]
    public async Task What_its_owner_changes_on_the_new_side_is_not_undone_by_a_catch_up()
    {
        var account = servers.NewAccounts(1)[0];
        await servers.PlantAsync(account, 40);
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        await TwoServers.RunToEndAsync(service);
        using var to = await servers.AtToAsync(account);
        await to.RunAsync("SELECT INBOX");
        await to.RunAsync("STORE 1:* +FLAGS (Mine)");
        using var from = await servers.AtFromAsync(account);
        await from.RunAsync("SELECT INBOX");
        await from.RunAsync("STORE 1:* +FLAGS (\\Flagged)");

        await TwoServers.RunToEndAsync(service, "catch-up");

        Assert.All(await to.ReadFolderAsync("INBOX"), m =>
        {
            Assert.Contains("Mine", m.Flags, StringComparison.Ordinal);
            Assert.Contains("\\Flagged", m.Flags, StringComparison.Ordinal);
        });
    }

    [Fact]
    public async Task Mail_that_is_there_already_is_paired_and_a_message_that_stands_twice_still_stands_twice()
    {
        var account = servers.NewAccounts(1)[0];
        var messages = Enumerable.Range(1, 50).Select(i => TwoServers.Message(account, i, 900)).ToList();
        using (var from = await servers.AtFromAsync(account))
        {
            await from.AppendAsync("INBOX", messages);
            await from.AppendAsync("INBOX", [messages[4]]);
        }
        using var to = await servers.AtToAsync(account);
        // An earlier import of the first thirty, each with the trace line that it got on the way (RFC 5321 §4.4).
        await to.AppendAsync(
            "INBOX",
            messages
                .Take(30)
                .Select(m =>
                    (m.Flags, m.Date, (byte[])[.. "Received: by relay.example; Sat, 30 Mar 2019 23:59:59 +0000\r\n"u8, .. m.Octets])
                )
        );
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));

        await TwoServers.RunToEndAsync(service);

        var counts = (await service.MovesAsync("crew"))[0].Counts;
        Assert.Equal((51, 30, 21), (counts.Found, counts.Paired, counts.Carried));
        Assert.Equal(51, (await to.ReadFolderAsync("INBOX")).Count);
    }

    [Fact]
    public async Task A_folder_numbered_anew_on_the_old_side_is_matched_again_and_nothing_comes_twice()
    {
        var account = servers.NewAccounts(1)[0];
        await servers.PlantAsync(account, 80);
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster([account])));
        await TwoServers.RunToEndAsync(service);
        using (var from = await servers.AtFromAsync(account))
        {
            var before = await from.ReadFolderAsync("Projects/Ramp 2");
            // Dovecot hangs up on whoever has the folder open that is deleted.
            await from.RunAsync("EXAMINE INBOX");
            await from.RunAsync("DELETE \"Projects/Ramp 2\"");
            await from.RunAsync("CREATE \"Projects/Ramp 2\"");
            await from.AppendAsync(
                "Projects/Ramp 2",
                before.Select((_, n) => TwoServers.Message(account, (n * TwoServers.Folders.Length) + 3, 1500))
            );
        }

        await TwoServers.RunToEndAsync(service, "catch-up");

        await servers.AssertSameAsync(account);
        Assert.Contains(
            "numbered the messages of 'Projects/Ramp 2' anew",
            (await service.RunAsync("journal", "crew")).Out,
            StringComparison.Ordinal
        );
    }

    private static async Task<PassLegView> LastPassAsync(TestService service, string account) =>
        (await service.GetAsync<MoveDetail>($"batches/crew/moves/{account}")).Passes[0].Legs[0];
}
