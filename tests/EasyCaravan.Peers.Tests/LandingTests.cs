using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>Where people may land besides the root of an account of their own.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class LandingTests(TwoServers servers)
{
    private static string Roster(string[] accounts, params string[] places) =>
        "name,from_account,to_account,from_secret,to_secret,to_under,to_root\n"
        + string.Concat(
            accounts.Select(
                (a, i) =>
                    $"P{i},{a},{places[i].Split('|')[0]},{TwoServers.Password},{TwoServers.Password},{places[i].Split('|')[1]}"
                    + $",{places[i].Split('|')[2]}\n"
            )
        );

    [Fact]
    public async Task Below_a_folder_of_their_own_two_people_share_an_account_and_a_third_overrides_it()
    {
        var accounts = servers.NewAccounts(3);
        foreach (var account in accounts)
            await servers.PlantAsync(account, 24);
        await using var service = await TestService.StartAsync();
        var applied = await service.ApplyAsync(
            servers.Plan("    shared-to-accounts: true\n    under: \"Old mail/{name}\""),
            ("crew.csv", Roster(accounts, $"{accounts[0]}||", $"{accounts[0]}||", $"{accounts[2]}|/|"))
        );
        Assert.True(applied.Code == 0, applied.Error);
        await TwoServers.RunToEndAsync(service);
        await servers.AssertSameAsync(accounts[2]);
        using var shared = await servers.AtToAsync(accounts[0]);
        for (var i = 0; i < 2; i++)
        {
            using var from = await servers.AtFromAsync(accounts[i]);
            var here = (await from.ReadFolderAsync("INBOX")).Select(m => Convert.ToHexString(m.Octets)).Order();
            var there = (await shared.ReadFolderAsync($"Old mail.P{i}.Inbox")).Select(m => Convert.ToHexString(m.Octets)).Order();
            Assert.Equal(here, there);
        }
        Assert.Empty(await shared.ReadFolderAsync("INBOX"));
        // A second pass finds every folder where the first one put it.
        await TwoServers.RunToEndAsync(service, "catch-up");
        Assert.All(await service.MovesAsync("crew"), m => Assert.Equal(m.Counts.Found, m.Counts.Carried));
    }

    [Fact]
    public async Task Another_root_of_the_account_takes_the_mail_and_the_first_stays_as_it_was()
    {
        var account = servers.NewAccounts(1)[0];
        await servers.PlantAsync(account, 24);
        await using var to = await DovecotServer.StartAsync('.', new DovecotManners(Archive: true));
        to.SetUser(account, TwoServers.Password);
        await using var service = await TestService.StartAsync();
        var plan = servers
            .Plan("    root: Archive")
            .Replace($"port: {servers.To.PlainPort}", $"port: {to.PlainPort}", StringComparison.Ordinal);
        Assert.Equal(0, (await service.ApplyAsync(plan, ("crew.csv", Roster([account], $"{account}||")))).Code);
        Assert.Equal(0, (await service.RunAsync("survey", "crew", "--wait")).Code);
        Assert.Contains("8 of 8 folders land", (await service.RunAsync("folders", "crew", "--move", "P0")).Out, StringComparison.Ordinal);
        await TwoServers.RunToEndAsync(service);
        using var there = await PlainImap.SignInAsync(to.PlainPort, account, TwoServers.Password);
        using var from = await servers.AtFromAsync(account);
        Assert.Equal((await from.ReadFolderAsync("INBOX")).Count, (await there.ReadFolderAsync("Archive.INBOX")).Count);
        Assert.Equal((await from.ReadFolderAsync("Projects/Ramp 2")).Count, (await there.ReadFolderAsync("Archive.Projects.Ramp 2")).Count);
        Assert.Empty(await there.ReadFolderAsync("INBOX"));

        var wrong = await service.ApplyAsync(
            plan.Replace("root: Archive", "root: Attic", StringComparison.Ordinal),
            ("crew.csv", Roster([account], $"{account}||"))
        );
        Assert.Equal(0, wrong.Code);
        Assert.Contains(
            "has no root 'Attic' for this account; it has",
            (await service.RunAsync("catch-up", "crew", "--wait")).Out,
            StringComparison.Ordinal
        );
    }
}
