using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Store;
using EasyCaravan.Testing;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Peers.Tests;

/// <summary>Letters that come back, in a mailbox of a real server.</summary>
public sealed class BounceTests(TwoServers servers)
{
    [Fact]
    public async Task A_letter_that_came_back_is_seen_once_and_nothing_in_the_mailbox_is_touched()
    {
        var (sender, person) = (servers.NewAccounts(1)[0], servers.NewAccounts(1)[0]);
        await using var smtp = new StandInSmtp();
        await using var service = await TestService.StartAsync();
        await File.WriteAllTextAsync(
            Path.Combine(service.Folder, "secrets", "sender"),
            TwoServers.Password,
            TestContext.Current.CancellationToken
        );
        using (var from = await servers.AtFromAsync(person))
            await from.AppendAsync("INBOX", [TwoServers.Message(person, 1, 500)]);
        await service.ApplyAsync(
            servers.Plan()
                + $$"""

                notices:
                  from: {{sender}}
                  sending: {speaks: smtp, host: 127.0.0.1, port: {{smtp.Port}}, security: none}
                  administrators: {to: [ops@saltmarsh.example], about: [in-step]}
                """,
            ("crew.csv", TwoServers.Roster([person]))
        );
        var database = (Database)service.Services.GetService(typeof(Database))!;
        await TestService.UntilAsync(async () =>
        {
            await using var db = database.Read();
            return await db.NoticeMarks.AnyAsync();
        });
        await TwoServers.RunToEndAsync(service);
        await TestService.UntilAsync(() => Task.FromResult(smtp.Mails.Count == 1));
        var id = smtp.Mails.Single().Header("Message-Id")!;

        // From now on somebody looks; what lies in the mailbox already is old.
        await service.ApplyAsync(
            servers.Plan()
                + $$"""

                notices:
                  from: {{sender}}
                  sending: {speaks: smtp, host: 127.0.0.1, port: {{smtp.Port}}, security: starttls}
                  sign-in: {login: {{sender}}, secret: {file: sender} }
                  bounces: {speaks: imap, host: 127.0.0.1, port: {{servers.From.PlainPort}}, security: none}
                  administrators: {to: [ops@saltmarsh.example], about: [in-step]}
                """,
            ("crew.csv", TwoServers.Roster([person]))
        );
        using var mailbox = await servers.AtFromAsync(sender);
        await TestService.UntilAsync(
            async () =>
            {
                await using var db = database.Read();
                return await db.NoticeMarks.AnyAsync(m => m.Name.StartsWith("bounces/"));
            },
            seconds: 90
        );
        await mailbox.AppendAsync("INBOX", [TwoServers.Message(sender, 2, 800), ("", DateTimeOffset.UtcNow, Report(id, sender))]);
        await TestService.UntilAsync(
            async () =>
                (await service.ListAllAsync<NoticeView>("notices")).Single() is { State: NoticeStateWord.Bounced, Answer: { } why }
                && why.Contains("5.1.1", StringComparison.Ordinal),
            seconds: 90
        );
        Assert.Contains("came back", (await service.RunAsync("journal")).Out, StringComparison.Ordinal);
        Assert.Equal(2, (await mailbox.ReadFolderAsync("INBOX")).Count);
        Assert.All((await mailbox.ReadFolderAsync("INBOX")).Skip(1), m => Assert.DoesNotContain("Seen", m.Flags, StringComparison.Ordinal));
    }

    private static byte[] Report(string id, string to) =>
        Encoding.ASCII.GetBytes(
            $"From: MAILER-DAEMON@saltmarsh.example\r\nTo: {to}\r\nSubject: Undelivered\r\nMIME-Version: 1.0\r\n"
                + "Content-Type: multipart/report; report-type=delivery-status; boundary=b\r\n\r\n"
                + "--b\r\nContent-Type: text/plain\r\n\r\nIt could not be delivered.\r\n"
                + "--b\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; mta.saltmarsh.example\r\n\r\n"
                + "Final-Recipient: rfc822; ops@saltmarsh.example\r\nAction: failed\r\nStatus: 5.1.1\r\n"
                + "Diagnostic-Code: smtp; 550 5.1.1 nobody is called so\r\n\r\n"
                + $"--b\r\nContent-Type: text/rfc822-headers\r\n\r\nFrom: {to}\r\nMessage-Id: {id}\r\n\r\n"
                + "--b--\r\n"
        );
}
