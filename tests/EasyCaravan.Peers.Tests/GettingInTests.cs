using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>Sign-ins that fail: each is reported with its cause, and the other people go on.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class GettingInTests(TwoServers servers)
{
    [Fact]
    public async Task A_wrong_password_needs_a_person_while_the_others_arrive_and_is_mended_by_the_roster()
    {
        var accounts = servers.NewAccounts(3);
        foreach (var account in accounts)
            await servers.PlantAsync(account, 30);
        var roster = TwoServers.Roster(accounts[..2]) + TwoServers.Roster(accounts[2..], "wrong").Split('\n')[1] + "\n";
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(servers.Plan(), ("crew.csv", roster));

        Assert.Equal(3, (await service.RunAsync("start", "crew", "--wait")).Code);

        var moves = await service.MovesAsync("crew");
        Assert.All(moves.Take(2), m => Assert.Equal(MoveStage.InStep, m.Stage));
        Assert.Equal(MoveCondition.NeedsYou, moves[2].Condition);
        Assert.Equal(("sign-in-refused", accounts[2]), (moves[2].Problem!.Cause, moves[2].Problem!.Whom));
        Assert.Contains("password", moves[2].Problem!.Remedy, StringComparison.Ordinal);

        await service.ApplyAsync(servers.Plan(), ("crew.csv", TwoServers.Roster(accounts)));
        Assert.Equal(0, (await service.RunAsync("retry", "crew", "--move", accounts[2], "--wait")).Code);
        await servers.AssertSameAsync(accounts[2]);
    }

    [Theory]
    [InlineData("tls")]
    [InlineData("starttls")]
    public async Task TLS_is_believed_with_the_right_authority_and_only_with_it(string security)
    {
        var account = servers.NewAccounts(1)[0];
        await servers.PlantAsync(account, 20);
        var port = security == "tls" ? servers.From.TlsPort : servers.From.PlainPort;
        string Plan(string trust) =>
            servers
                .Plan()
                .Replace(
                    $"port: {servers.From.PlainPort}, security: none}}",
                    $"port: {port}, security: {security}}}\n    trust: {trust}",
                    StringComparison.Ordinal
                );
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(Plan("system"), ("crew.csv", TwoServers.Roster([account])));

        Assert.Equal(3, (await service.RunAsync("start", "crew", "--wait")).Code);
        var problem = (await service.MovesAsync("crew"))[0].Problem!;
        Assert.Equal("tls-untrusted", problem.Cause);
        Assert.Contains("not signed by an authority that is trusted", problem.What, StringComparison.Ordinal);

        Assert.Equal(
            0,
            (
                await service.ApplyAsync(
                    Plan("{ca-file: from.pem}"),
                    ("crew.csv", TwoServers.Roster([account])),
                    ("from.pem", servers.From.AuthorityPem)
                )
            ).Code
        );
        Assert.Equal(0, (await service.RunAsync("retry", "crew", "--wait")).Code);
        await servers.AssertSameAsync(account);
        var trial = await service.RunAsync("service", "try", "lanternpost", "--account", account);
        Assert.Equal(0, trial.Code);
        Assert.Contains("certificate of 127.0.0.1", trial.Out, StringComparison.Ordinal);
    }

    [Fact]
    public async Task An_authority_that_signed_nothing_here_is_not_enough()
    {
        var account = servers.NewAccounts(1)[0];
        var plan = servers
            .Plan()
            .Replace(
                $"port: {servers.From.PlainPort}, security: none}}",
                $"port: {servers.From.TlsPort}, security: tls}}\n    trust: {{ca-file: other.pem}}",
                StringComparison.Ordinal
            );
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(plan, ("crew.csv", TwoServers.Roster([account])), ("other.pem", servers.To.AuthorityPem));
        Assert.Equal(1, (await service.RunAsync("service", "try", "lanternpost", "--account", account)).Code);
    }

    [Fact]
    public async Task An_unknown_host_and_a_port_where_nobody_listens_are_told_apart()
    {
        var account = servers.NewAccounts(1)[0];
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(
            servers
                .Plan()
                .Replace($"host: 127.0.0.1, port: {servers.From.PlainPort}", "host: imap.lanternpost.invalid", StringComparison.Ordinal),
            ("crew.csv", TwoServers.Roster([account]))
        );
        await service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew"))[0].Problem is not null);
        Assert.Contains(
            "imap.lanternpost.invalid cannot be found",
            (await service.MovesAsync("crew"))[0].Problem!.What,
            StringComparison.Ordinal
        );

        await service.ApplyAsync(
            servers.Plan().Replace($"port: {servers.From.PlainPort}", $"port: {DovecotServer.FreePort()}", StringComparison.Ordinal),
            ("crew.csv", TwoServers.Roster([account]))
        );
        await service.RunAsync("retry", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew"))[0].Problem?.Cause == "unreachable");
        Assert.Equal(MoveCondition.Waiting, (await service.MovesAsync("crew"))[0].Condition);
    }

    [Fact]
    public async Task A_full_account_on_the_new_side_needs_a_person_and_what_fitted_stays()
    {
        await using var small = await DovecotServer.StartAsync('.', quota: "200k");
        var account = servers.NewAccounts(1)[0];
        small.SetUser(account, TwoServers.Password);
        using (var from = await servers.AtFromAsync(account))
            await from.AppendAsync("INBOX", Enumerable.Range(0, 120).Select(i => TwoServers.Message(account, (i * 7) + 5, 6000)));
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(
            servers.Plan().Replace($"port: {servers.To.PlainPort}", $"port: {small.PlainPort}", StringComparison.Ordinal),
            ("crew.csv", TwoServers.Roster([account]))
        );

        Assert.Equal(3, (await service.RunAsync("start", "crew", "--wait")).Code);

        var move = (await service.MovesAsync("crew"))[0];
        Assert.Equal("no-room", move.Problem!.Cause);
        Assert.Equal(MoveStage.Copying, move.Stage);
    }
}
