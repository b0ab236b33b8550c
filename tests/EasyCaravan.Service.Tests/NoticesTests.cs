using System.Net;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text;
using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;
using MimeKit;

namespace EasyCaravan.Service.Tests;

/// <summary>Notices by mail and webhook, through the service, at stand-ins with faults on demand.</summary>
public sealed class NoticesTests : IAsyncLifetime
{
    private const string Aoife = "aoife@saltmarsh.example",
        Bram = "bram@saltmarsh.example",
        Ops = "ops@saltmarsh.example";

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners('.'));
    private readonly StandInSmtp _smtp = new();
    private readonly string _folder = Directory.CreateTempSubdirectory("caravan-notices").FullName;
    private TestService _service = null!;

    public async ValueTask InitializeAsync()
    {
        _service = await TestService.StartAsync(_folder);
        foreach (var account in new[] { Aoife, Bram })
        {
            _to.AddAccount(account, "s");
            var inbox = _from.AddAccount(account, "s").Find("INBOX")!;
            for (var i = 0; i < 3; i++)
                inbox.Add(
                    Encoding.ASCII.GetBytes($"Message-ID: <{i}.{account}>\r\nSubject: {i}\r\n\r\nx\r\n"),
                    [],
                    DateTimeOffset.UnixEpoch
                );
        }
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
        await _smtp.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }

    private string Plan(string notices, string batch = "") =>
        $$"""
            services:
              lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none} }
              northquay: {mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none} }
            routes: {crossing: {from: lanternpost, to: northquay} }
            batches: {crew: {route: crossing, roster: crew.csv{{batch}}} }
            notices:
              from: "Moving desk <moving@northquay.example>"
              sending: {speaks: smtp, host: 127.0.0.1, port: {{_smtp.Port}}, security: none}
            {{notices}}
            """;

    private const string Roster =
        $"name,from_account,to_account,from_secret,to_secret,language\nAoife Marsh,{Aoife},{Aoife},s,s,de\n"
        + $"Bram Tolland,{Bram},{Bram},s,s,\n";

    private const string ToAll =
        "  administrators: {to: [ops@saltmarsh.example], about: [in-step, needs-you]}\n  people: {about: [kind-done]}";

    private async Task ApplyAsync(string plan, string roster = Roster, params (string, string)[] files)
    {
        var applied = await _service.ApplyAsync(plan, [("crew.csv", roster), .. files]);
        Assert.Equal((0, ""), (applied.Code, applied.Error));
    }

    private Task<List<NoticeView>> NoticesAsync() => _service.ListAllAsync<NoticeView>("notices");

    private Task UntilAsync(NoticeStateWord state, int count) =>
        TestService.UntilAsync(async () => (await NoticesAsync()).Count(n => n.State == state) == count);

    private MimeMessage MailTo(string address)
    {
        using var octets = new MemoryStream(_smtp.Mails.Single(m => m.To == address).Octets);
        return MimeMessage.Load(octets);
    }

    [Fact]
    public async Task Everybody_is_told_once_in_their_language()
    {
        await ApplyAsync(Plan(ToAll));
        await TestService.UntilAsync(async () => (await MarksAsync()) == 3);
        await _service.RunAsync("start", "crew", "--wait");
        await UntilAsync(NoticeStateWord.Sent, 3);
        Assert.Equal([Aoife, Bram, Ops], _smtp.Mails.Select(m => m.To).Order());
        var german = MailTo(Aoife);
        Assert.Equal("Ihre E-Mails sind zu northquay kopiert", german.Subject);
        Assert.Contains("insgesamt 3", german.TextBody, StringComparison.Ordinal);
        Assert.Contains("<p>Guten Tag Aoife Marsh,</p>", german.HtmlBody, StringComparison.Ordinal);
        Assert.Equal(("de", "auto-generated"), (german.Body!.Headers[HeaderId.ContentLanguage], german.Headers[HeaderId.AutoSubmitted]));
        Assert.Equal("Your messages are copied to northquay", MailTo(Bram).Subject);
        Assert.Equal("crew is in step", MailTo(Ops).Subject);

        // Neither another catch-up nor another life of the service tells anything again.
        await _service.RunAsync("catch-up", "crew", "--wait");
        await _service.DisposeAsync();
        _service = await TestService.StartAsync(_folder);
        await TestService.UntilAsync(async () => (await NoticesAsync()).Count == 3);
        var listed = await _service.RunAsync("notices", "--search", "aoife");
        Assert.Equal(0, listed.Code);
        Assert.Contains("kind-done", listed.Out, StringComparison.Ordinal);
        Assert.Equal(3, _smtp.Mails.Count);
    }

    /// <summary>Events from now on are told: the keeper has seen the plan.</summary>
    private async Task<int> MarksAsync()
    {
        await using var db = ((EasyCaravan.Store.Database)_service.Services.GetService(typeof(EasyCaravan.Store.Database))!).Read();
        return db.NoticeMarks.Count();
    }

    [Fact]
    public async Task A_letter_whose_answer_was_lost_is_not_sent_again_by_itself_and_one_that_surely_was_not_taken_is()
    {
        _smtp.Manners = new StandInSmtpManners { LosesAnswers = true };
        await ApplyAsync(Plan("  administrators: {to: [ops@saltmarsh.example], about: [in-step]}"));
        await TestService.UntilAsync(async () => (await MarksAsync()) == 1);
        await _service.RunAsync("start", "crew", "--wait");
        await UntilAsync(NoticeStateWord.Unclear, 1);
        Assert.Single(_smtp.Mails);
        var listed = await _service.RunAsync("notices");
        Assert.Equal(3, listed.Code);
        Assert.Contains("unclear", listed.Out, StringComparison.Ordinal);

        // Somebody decides. The connection breaks before the letter is out: it was not taken, and goes out when the server is well.
        _smtp.Manners = new StandInSmtpManners { LosesLetters = true };
        var id = (await NoticesAsync()).Single().Id;
        Assert.Contains("1", (await _service.RunAsync("notices", "again", $"{id}")).Out, StringComparison.Ordinal);
        await TestService.UntilAsync(async () =>
            (await NoticesAsync()).Single() is { State: NoticeStateWord.Due, Attempts: 1, Answer: not null }
        );
        _smtp.Manners = new StandInSmtpManners();
        await _service.RunAsync("notices", "again", $"{id}");
        await UntilAsync(NoticeStateWord.Sent, 1);
        Assert.Equal(2, _smtp.Mails.Count);
    }

    [Fact]
    public async Task An_account_that_is_no_address_stops_no_other_letter_and_who_is_packed_is_told_nothing()
    {
        const string Odd = "the bridge@saltmarsh.example";
        _from.AddAccount(Odd, "s");
        _to.AddAccount(Odd, "s");
        await ApplyAsync(
            Plan("  people: {about: [kind-done]}"),
            $"name,from_account,to_account,from_secret,to_secret\nBridge,{Odd},{Odd},s,s\n{Roster[(Roster.IndexOf('\n') + 1)..]}"
                .Replace(",de\n", "\n", StringComparison.Ordinal)
                .Replace("s,s,\n", "s,s\n", StringComparison.Ordinal)
        );
        await TestService.UntilAsync(async () => (await MarksAsync()) == 1);
        await _service.RunAsync("start", "crew", "--wait");
        await UntilAsync(NoticeStateWord.Sent, 2);
        Assert.Contains("is no mail address", (await NoticesAsync()).Single(n => n.To == Odd).Answer, StringComparison.Ordinal);

        Assert.Equal(0, (await _service.RunAsync("parcel", "pack", Bram, "--at", "lanternpost", "--wait")).Code);
        // The next letter that is due shows that the keeper has gone past the packing.
        await _service.RunAsync("notices", "again", $"{(await NoticesAsync()).Single(n => n.To == Aoife).Id}");
        await TestService.UntilAsync(() => Task.FromResult(_smtp.Mails.Count(m => m.To == Aoife) == 2));
        Assert.Equal(3, (await NoticesAsync()).Count);
    }

    [Fact]
    public async Task What_is_refused_for_good_says_why_and_a_busy_server_is_tried_again()
    {
        _smtp.Manners = new StandInSmtpManners { Unknown = [Aoife] };
        await ApplyAsync(Plan("  people: {about: [kind-done]}"));
        await TestService.UntilAsync(async () => (await MarksAsync()) == 1);
        await _service.RunAsync("start", "crew", "--wait");
        await UntilAsync(NoticeStateWord.Refused, 1);
        Assert.Contains("550", (await NoticesAsync()).Single(n => n.To == Aoife).Answer, StringComparison.Ordinal);
        await UntilAsync(NoticeStateWord.Sent, 1);
        _smtp.Manners = new StandInSmtpManners { IsBusy = true };
        await _service.RunAsync("notices", "again", $"{(await NoticesAsync()).Single(n => n.To == Aoife).Id}");
        await TestService.UntilAsync(async () =>
            (await NoticesAsync()).Single(n => n.To == Aoife) is { State: NoticeStateWord.Due, Attempts: 1, Answer: { } answer }
            && answer.Contains("451", StringComparison.Ordinal)
        );
    }

    [Fact]
    public async Task Over_TLS_with_a_sign_in_a_test_letter_arrives_and_what_is_wrong_is_said()
    {
        using var key = RSA.Create(2048);
        var request = new CertificateRequest("CN=127.0.0.1", key, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
        var names = new SubjectAlternativeNameBuilder();
        names.AddIpAddress(IPAddress.Loopback);
        request.CertificateExtensions.Add(names.Build());
        using var made = request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(2));
        await using var smtp = new StandInSmtp(new StandInSmtpManners { Certificate = made, SignIn = ("moving", "tide") });
        var secrets = Path.Combine(_folder, "secrets");
        await File.WriteAllTextAsync(Path.Combine(secrets, "sender"), "tide\n", TestContext.Current.CancellationToken);
        var plan = Plan("  administrators: {to: [ops@saltmarsh.example]}")
            .Replace(
                $"port: {_smtp.Port}, security: none}}\n",
                $"port: {smtp.Port}, security: tls}}\n  trust: {{ca-file: ca.pem}}\n"
                    + $"  sign-in: {{login: moving, secret: {{file: sender}} }}\n",
                StringComparison.Ordinal
            );
        await ApplyAsync(plan, Roster, ("ca.pem", made.ExportCertificatePem()));
        var tested = await _service.RunAsync("notices", "test", "desk@saltmarsh.example", "--about", "crossed", "--language", "fr");
        Assert.Equal((0, ""), (tested.Code, tested.Error));
        Assert.Contains("taken as 1", tested.Out, StringComparison.Ordinal);
        var mail = Assert.Single(smtp.Mails);
        Assert.Equal(("moving@northquay.example", "desk@saltmarsh.example"), (mail.From, mail.To));
        await File.WriteAllTextAsync(Path.Combine(secrets, "sender"), "ebb\n", TestContext.Current.CancellationToken);
        var refused = await _service.RunAsync("notices", "test", "desk@saltmarsh.example");
        Assert.Equal(1, refused.Code);
        Assert.Contains("does not let the sender in", refused.Error, StringComparison.Ordinal);
        Assert.DoesNotContain("ebb", refused.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_webhook_is_told_with_a_signature_over_time_and_body_until_it_takes_it()
    {
        using var hook = new HttpListener();
        var port = FreePort();
        hook.Prefixes.Add($"http://127.0.0.1:{port}/");
        hook.Start();
        await File.WriteAllTextAsync(Path.Combine(_folder, "secrets", "hook"), "knot", TestContext.Current.CancellationToken);
        await ApplyAsync(
            Plan($"  webhooks: [{{name: board, url: \"http://127.0.0.1:{port}/caravan\", secret: {{file: hook}}, about: [in-step]}}]")
        );
        await TestService.UntilAsync(async () => (await MarksAsync()) == 1);
        await _service.RunAsync("start", "crew", "--wait");
        var first = await hook.GetContextAsync();
        first.Response.StatusCode = 503;
        first.Response.Close();
        await TestService.UntilAsync(async () => (await NoticesAsync()) is [{ State: NoticeStateWord.Due, Attempts: 1 }]);
        await _service.RunAsync("notices", "again", "1");
        var second = await hook.GetContextAsync().WaitAsync(TimeSpan.FromSeconds(60), TestContext.Current.CancellationToken);
        using var body = new MemoryStream();
        await second.Request.InputStream.CopyToAsync(body, TestContext.Current.CancellationToken);
        second.Response.Close();
        byte[] signed = [.. Encoding.ASCII.GetBytes(second.Request.Headers["Caravan-Time"] + "\n"), .. body.ToArray()];
        Assert.Equal(Convert.ToHexStringLower(HMACSHA256.HashData("knot"u8, signed)), second.Request.Headers["Caravan-Signature"]);
        using var told = JsonDocument.Parse(body.ToArray());
        Assert.Equal(
            ("in-step", "crew"),
            (told.RootElement.GetProperty("about").GetString(), told.RootElement.GetProperty("batch").GetString())
        );
        await UntilAsync(NoticeStateWord.Sent, 1);
        hook.Stop();
    }

    private static int FreePort()
    {
        using var free = new System.Net.Sockets.TcpListener(IPAddress.Loopback, 0);
        free.Start();
        return ((IPEndPoint)free.LocalEndpoint).Port;
    }

    [Fact]
    public async Task Switched_off_nothing_goes_out_and_nothing_old_comes_later()
    {
        await ApplyAsync(Plan(ToAll));
        await TestService.UntilAsync(async () => (await MarksAsync()) == 3);
        Assert.Equal(0, (await _service.RunAsync("notices", "off")).Code);
        await _service.RunAsync("start", "crew", "--wait");
        await UntilAsync(NoticeStateWord.Dropped, 3);
        Assert.Contains("All notices are off", (await _service.RunAsync("notices")).Out, StringComparison.Ordinal);
        Assert.Equal(0, (await _service.RunAsync("notices", "on")).Code);
        Assert.Empty(_smtp.Mails);
    }

    [Fact]
    public async Task Own_templates_replace_ours_and_what_is_wrong_with_them_is_told_with_its_place()
    {
        var own = "  templates: [notices/crossed.en.txt]\n  people: {about: [crossed]}";
        Directory.CreateDirectory(Path.Combine(_folder, "plan", "notices"));
        await ApplyAsync(
            Plan(own),
            Roster,
            ("notices/crossed.en.txt", "Subject: Ahoy {{ person.name }}\n\nYour <new> home: {{ person.to_account }}\n")
        );
        var letter = await _service.GetAsync<NoticePreview>("notices/preview?about=crossed&move=bram%20tolland");
        Assert.Equal(("Ahoy Bram Tolland", $"Your <new> home: {Bram}\n"), (letter.Subject, letter.Text));
        Assert.Contains("Your &lt;new&gt; home", letter.Html, StringComparison.Ordinal);
        var shown = await _service.RunAsync("notices", "preview", "crosses", "--move", "Aoife Marsh");
        Assert.Contains("Subject: Am ", shown.Out, StringComparison.Ordinal);
        foreach (
            var (text, error) in new[]
            {
                ("Subject: {{ person.name", "cannot be used"),
                ("Hello\n", "its first line has to begin with 'Subject:'"),
            }
        )
        {
            var refused = await _service.ApplyAsync(Plan(own), ("crew.csv", Roster), ("notices/crossed.en.txt", text));
            Assert.Equal(2, refused.Code);
            Assert.Contains(error, refused.Error, StringComparison.Ordinal);
            Assert.Contains("plan.yaml:9", refused.Error, StringComparison.Ordinal);
        }
    }
}
