using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>An inbox that can be seen over POP3 only.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class Pop3Tests(TwoServers servers)
{
    [Theory]
    [InlineData("tls")]
    [InlineData("starttls")]
    [InlineData("none")]
    public async Task The_inbox_arrives_octet_by_octet_once_and_what_is_new_after_it(string security)
    {
        var account = servers.NewAccounts(1)[0];
        await using var from = await DovecotServer.StartAsync('/', new DovecotManners(Pop3: true));
        from.SetUser(account, TwoServers.Password);
        using var imap = await PlainImap.SignInAsync(from.PlainPort, account, TwoServers.Password);
        var mail = Enumerable.Range(0, 60).Select(i => TwoServers.Message(account, i, 1500)).ToList();
        // POP3 has to escape lines that begin with a dot (RFC 1939 §3).
        mail.Add(("", DateTimeOffset.UtcNow, "Message-ID: <dots@saltmarsh.example>\r\n\r\n.\r\n..\r\n.x\r\nno end"u8.ToArray()));
        mail.Add(
            (
                "",
                DateTimeOffset.UtcNow,
                System.Text.Encoding.ASCII.GetBytes(
                    "Message-ID: <large@saltmarsh.example>\r\n\r\n"
                        + $"{string.Concat(Enumerable.Repeat("Ropes and tides, all day long.\r\n", 100_000))}"
                )
            )
        );
        await imap.AppendAsync("INBOX", mail);

        await using var service = await TestService.StartAsync();
        var plan = servers
            .Plan()
            .Replace(
                $"mail: {{speaks: imap, host: 127.0.0.1, port: {servers.From.PlainPort}, security: none}}",
                $"mail: {{speaks: pop3, host: 127.0.0.1, port: {(security == "tls" ? from.Pop3TlsPort : from.Pop3Port)}, security: "
                    + $"{security}}}\n    trust: {{ca-file: from.pem}}",
                StringComparison.Ordinal
            );
        var applied = await service.ApplyAsync(plan, ("crew.csv", TwoServers.Roster([account])), ("from.pem", from.AuthorityPem));
        Assert.True(applied.Code == 0, applied.Error);
        Assert.Equal(0, (await service.RunAsync("service", "try", "lanternpost", "--account", account)).Code);
        Assert.Equal(0, (await service.RunAsync("survey", "crew", "--wait")).Code);
        Assert.Contains("inbox-only", (await service.RunAsync("findings", "crew")).Out, StringComparison.Ordinal);
        await TwoServers.RunToEndAsync(service);
        await AssertSameAsync();

        await imap.AppendAsync("INBOX", [TwoServers.Message(account, 99, 1500)]);
        await TwoServers.RunToEndAsync(service, "catch-up");
        await AssertSameAsync();
        await TwoServers.RunToEndAsync(service, "catch-up");
        var passes = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{account}")).Passes;
        Assert.Equal([0L, 1, 62], passes.Where(p => p.Kind is not PassWord.Survey).Select(p => p.Legs[0].Carried));

        async Task AssertSameAsync()
        {
            using var to = await servers.AtToAsync(account);
            // POP3 cannot give out a message without a line end at its end (RFC 1939 §3): the server adds one.
            Assert.Equal(
                (await imap.ReadFolderAsync("INBOX"))
                    .Select(m => Convert.ToHexString(m.Octets))
                    .Select(m => m.EndsWith("0D0A", StringComparison.Ordinal) ? m : m + "0D0A")
                    .Order(),
                (await to.ReadFolderAsync("INBOX")).Select(m => Convert.ToHexString(m.Octets)).Order()
            );
        }
    }

    [Fact]
    public async Task A_pass_that_is_killed_goes_on_without_carrying_twice_and_a_wrong_password_needs_you()
    {
        const int Many = 2_000;
        var account = servers.NewAccounts(1)[0];
        await using var from = await DovecotServer.StartAsync('/', new DovecotManners(Pop3: true));
        from.SetUser(account, TwoServers.Password);
        using (var imap = await PlainImap.SignInAsync(from.PlainPort, account, TwoServers.Password))
            await imap.AppendAsync("INBOX", Enumerable.Range(0, Many).Select(i => TwoServers.Message(account, i, 20_000)));
        await using var service = await TestService.StartAsync();
        var plan = servers
            .Plan()
            .Replace(
                $"speaks: imap, host: 127.0.0.1, port: {servers.From.PlainPort}",
                $"speaks: pop3, host: 127.0.0.1, port: {from.Pop3Port}",
                StringComparison.Ordinal
            );
        await service.ApplyAsync(plan, ("crew.csv", TwoServers.Roster([account], "wrong")));
        await service.RunAsync("start", "crew", "--wait");
        Assert.Equal("sign-in-refused", (await service.MovesAsync("crew"))[0].Problem!.Cause);
        // Once, not once for each way that the server offers: that locks accounts.
        Assert.Contains("auth failed, 1 attempts", await from.ReadLogAsync(), StringComparison.Ordinal);
        await service.ApplyAsync(plan, ("crew.csv", TwoServers.Roster([account])));
        await service.RunAsync("retry", "crew");
        await TestService.UntilAsync(async () =>
            (await service.MovesAsync("crew"))[0] is { Counts.Carried: > 0 } or { Stage: MoveStage.InStep }
        );
        await from.KillAsync();
        await from.StartAsync();
        await TestService.UntilAsync(async () =>
            (await service.MovesAsync("crew"))[0] is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle }
        );
        using var to = await servers.AtToAsync(account);
        Assert.Equal(Many, (await to.ReadFolderAsync("INBOX")).Count);
    }
}
