using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Every way to sign in, and every refusal with its remedy.</summary>
public sealed class SignInTests : IAsyncLifetime
{
    private const string Aoife = "aoife@saltmarsh.example";

    private readonly RSA _key = RSA.Create(2048);
    private StandInOAuth _tokens = null!;
    private StandInImap _from = null!;
    private readonly StandInImap _to = new(new StandInManners('.'));
    private TestService _service = null!;

    public async ValueTask InitializeAsync()
    {
        var publicKey = RSA.Create();
        publicKey.ImportParameters(_key.ExportParameters(false));
        _tokens = new StandInOAuth { PublicKey = publicKey };
        _from = new StandInImap(new StandInManners());
        _service = await TestService.StartAsync();
        foreach (var server in new[] { _from, _to })
        {
            server.AddAccount(Aoife, "s");
            server.AddAccount("bram@saltmarsh.example", "s");
        }
        for (var i = 0; i < 5; i++)
            _from.Find(Aoife)!.Find("INBOX")!.Add(Message(i), [], DateTimeOffset.UtcNow);
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
        await _tokens.DisposeAsync();
        _key.Dispose();
    }

    private static byte[] Message(int i) =>
        System.Text.Encoding.ASCII.GetBytes($"Message-ID: <{i}@saltmarsh.example>\r\nSubject: Tide {i}\r\n\r\nHello\r\n");

    private string Plan(string signIn, string more = "") =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
                sign-in: {{signIn}}
                {{more}}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
            routes:
              crossing: {from: lanternpost, to: northquay}
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private string OAuth(string grant, string more = "") =>
        $"{{with: oauth, grant: {grant}, token-url: \"{_tokens.Address}token\", device-url: \"{_tokens.Address}device\", authorize-url: "
        + $"\"{_tokens.Address}authorize\", client-id: caravan, scopes: [mail]{more}}}";

    private async Task ApplyAsync(string signIn, string secret = "s", string more = "")
    {
        var applied = await _service.ApplyAsync(
            Plan(signIn, more),
            ("crew.csv", $"name,from_account,to_account,from_secret,to_secret\nAoife Marsh,{Aoife},{Aoife},{secret},s\n")
        );
        Assert.True(applied.Code == 0, applied.Error);
    }

    private async Task ArrivesAsync()
    {
        var started = await _service.RunAsync("start", "crew", "--wait");
        Assert.True(started.Code == 0, started.Out + started.Error);
        Assert.Equal(5, _to.Find(Aoife)!.Find("INBOX")!.Messages.Count);
    }

    private Task Secret(string name, string text) => File.WriteAllTextAsync(Path.Combine(_service.Folder, "secrets", name), text);

    [Theory]
    [InlineData("")]
    [InlineData(", login: \"{account}*{admin}\"")]
    public async Task An_administrator_signs_in_for_others_with_an_authorization_identity_or_a_login_pattern(string pattern)
    {
        _from.Manners = new StandInManners { Administrator = ("harbourmaster", "keys") };
        if (pattern.Length > 0)
        {
            var box = _from.Find(Aoife)!;
            var both = _from.AddAccount($"{Aoife}*harbourmaster", "keys");
            foreach (var message in box.Find("INBOX")!.Messages)
                both.Find("INBOX")!.Add(message.Octets, [], message.Received);
        }
        await Secret("harbourmaster", "keys\n");
        await ApplyAsync($"{{with: on-behalf, admin: harbourmaster, secret: {{file: harbourmaster}}{pattern}}}", "");
        await ArrivesAsync();
    }

    [Theory]
    [InlineData("harbourmaster", "nobody@saltmarsh.example", "not-on-behalf")]
    [InlineData("wrong", "aoife@saltmarsh.example", "sign-in-refused")]
    public async Task An_administrator_who_may_not_act_for_an_account_is_told_from_a_wrong_password(
        string admin,
        string account,
        string cause
    )
    {
        _from.Manners = new StandInManners { Administrator = ("harbourmaster", "keys") };
        await Secret("harbourmaster", "keys");
        var applied = await _service.ApplyAsync(
            Plan($"{{with: on-behalf, admin: {admin}, secret: {{file: harbourmaster}} }}"),
            ("crew.csv", $"name,from_account,to_account,to_secret\nA,{account},{Aoife},s\n")
        );
        Assert.True(applied.Code == 0, applied.Error);
        await _service.RunAsync("survey", "crew", "--wait");
        Assert.Equal(cause, (await _service.MovesAsync("crew"))[0].Problem!.Cause);
    }

    [Fact]
    public async Task One_password_for_all_comes_from_a_file_and_a_persons_own_from_the_environment()
    {
        await Secret("shared", "s");
        await ApplyAsync("{with: password, secret: {file: shared}}", "");
        await ArrivesAsync();
        var missing = await _service.ApplyAsync(
            Plan("{with: password, secret: {file: other}}"),
            (
                "crew.csv",
                "name,from_account,to_account,from_secret_ref,to_secret\n"
                    + "Bram,bram@saltmarsh.example,bram@saltmarsh.example,env:CARAVAN_SECRET_NOBODY_SET,s\n"
                    + $"Aoife Marsh,{Aoife},{Aoife},,s\n"
            )
        );
        Assert.True(missing.Code == 0, missing.Error);
        var started = await _service.RunAsync("start", "crew", "--move", "Bram", "--wait");
        Assert.Equal(3, started.Code);
        Assert.Contains("no CARAVAN_SECRET_NOBODY_SET", started.Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("refresh-token", "oauthbearer")]
    [InlineData("refresh-token", "xoauth2")]
    [InlineData("client-credentials", "oauthbearer")]
    [InlineData("jwt-bearer", "xoauth2")]
    public async Task Access_tokens_are_come_by_and_handed_over(string grant, string mechanism)
    {
        _from.Manners = new StandInManners { Tokens = _tokens };
        await Secret("client", _tokens.ClientSecret);
        await Secret("key.pem", _key.ExportPkcs8PrivateKeyPem());
        var more = grant switch
        {
            "client-credentials" => ", client-secret: {file: client}",
            "jwt-bearer" => ", key: {file: key.pem}",
            _ => "",
        };
        await ApplyAsync(OAuth(grant, $"{more}, mechanism: {mechanism}"), grant == "refresh-token" ? _tokens.Consent(Aoife) : "");
        await ArrivesAsync();
        Assert.Equal(1, _tokens.Given);
    }

    [Fact]
    public async Task A_move_outlives_its_tokens_and_refresh_tokens_that_change()
    {
        _tokens.TokenLife = TimeSpan.FromSeconds(2);
        _tokens.Rotates = true;
        _from.Manners = new StandInManners(PausePerMessage: TimeSpan.FromMilliseconds(120)) { Tokens = _tokens, EndsWithToken = true };
        for (var f = 0; f < 8; f++)
        {
            var folder = _from.Find(Aoife)!.Make($"Deck {f}");
            for (var i = 0; i < 6; i++)
                folder.Add(Message(1000 + (f * 10) + i), [], DateTimeOffset.UtcNow);
        }
        await ApplyAsync(OAuth("refresh-token"), _tokens.Consent(Aoife));
        await ArrivesAsync();
        Assert.True(_tokens.Given >= 2, $"{_tokens.Given} tokens");
        Assert.Equal(53, _to.Find(Aoife)!.Folders.Sum(f => f.Messages.Count));
        // After a restart the service uses the changed refresh token.
        Assert.Equal(0, (await _service.RunAsync("catch-up", "crew", "--wait")).Code);
    }

    [Fact]
    public async Task When_a_move_is_done_its_consent_is_given_back_to_the_authorization_server()
    {
        _from.Manners = new StandInManners { Tokens = _tokens };
        var roster =
            $"name,from_account,to_account,from_secret,to_secret\nAoife,{Aoife},bram@saltmarsh.example,{_tokens.Consent(Aoife)},s\n";
        await _service.ApplyAsync(Plan(OAuth("refresh-token", $", revoke-url: \"{_tokens.Address}revoke\"")), ("crew.csv", roster));
        await _service.RunAsync("start", "crew", "--wait");
        await _service.UntilInStepAsync("crew");
        await _service.RunAsync("crossing", "crew", "--check");
        foreach (var gate in new[] { "forwarding", "probe", "informed" })
            await _service.RunAsync("crossing", "crew", "--accept", gate, "--because", "A trial");
        Assert.Equal(3, (await _service.RunAsync("crossing", "crew", "--go", "--wait")).Code);
        await _service.RunAsync("crossing", "crew", "--forwarding-is", "on", "--wait");
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew"))[0].Stage is MoveStage.Settling);
        Assert.True(_tokens.IsConsented(Aoife));
        await _service.RunAsync("crossing", "crew", "--finish", "--wait");
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew"))[0].Stage is MoveStage.Done);
        Assert.False(_tokens.IsConsented(Aoife));
        Assert.Contains("given back to lanternpost (RFC 7009)", (await _service.RunAsync("journal", "crew")).Out, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_consent_that_was_taken_back_needs_a_person_who_consents_again_on_another_device()
    {
        _from.Manners = new StandInManners { Tokens = _tokens };
        await ApplyAsync(OAuth("device-code"), "");
        var refused = await _service.RunAsync("start", "crew", "--wait");
        Assert.Equal(3, refused.Code);
        Assert.Contains("nobody has consented", refused.Out, StringComparison.Ordinal);
        Assert.Contains("caravan service sign-in", refused.Out, StringComparison.Ordinal);

        // Whoever was stopped for want of it goes on by itself.
        await ConsentAsync();
        await _service.UntilInStepAsync("crew");

        _tokens.Revoke(Aoife);
        var revoked = await _service.RunAsync("catch-up", "crew", "--wait");
        Assert.Contains("consent was taken back", revoked.Out, StringComparison.Ordinal);
        await ConsentAsync();
        await _service.UntilInStepAsync("crew");

        async Task ConsentAsync()
        {
            var begun = await (
                await _service.Api.PostAsJsonAsync("/api/v1/services/lanternpost/consent", new ConsentRequest(Aoife), ContractJson.Options)
            ).Content.ReadFromJsonAsync<ConsentBegun>(ContractJson.Options);
            Assert.True(_tokens.Approve(begun!.UserCode!, Aoife));
            await TestService.UntilAsync(async () =>
                (await _service.GetAsync<ConsentState>($"consents/{begun.Id}")).State is ConsentWord.Given
            );
        }
    }

    [Fact]
    public async Task A_person_consents_in_the_browser_and_the_state_is_good_once()
    {
        _from.Manners = new StandInManners { Tokens = _tokens };
        await ApplyAsync(OAuth("authorization-code"), "");
        var begun = (
            await (
                await _service.Api.PostAsJsonAsync("/api/v1/services/lanternpost/consent", new ConsentRequest(Aoife), ContractJson.Options)
            ).Content.ReadFromJsonAsync<ConsentBegun>(ContractJson.Options)
        )!;
        // A browser without our session cookie, as it comes back from another site.
        using var browser = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false });
        using var atTheService = await browser.GetAsync(begun.Where);
        using var back = await browser.GetAsync(atTheService.Headers.Location);
        Assert.Contains("consent=given", back.Headers.Location!.ToString(), StringComparison.Ordinal);
        Assert.Equal(ConsentWord.Given, (await _service.GetAsync<ConsentState>($"consents/{begun.Id}")).State);
        using var forged = await browser.GetAsync(new Uri(_service.Address, "/api/v1/consent/callback?state=00&code=11"));
        Assert.Equal(404, (int)forged.StatusCode);
        await ArrivesAsync();
    }

    [Fact]
    public async Task Owners_consent_by_links_that_they_were_sent_and_whoever_was_stopped_goes_on_by_itself()
    {
        _from.Manners = new StandInManners { Tokens = _tokens };
        await ApplyAsync(OAuth("authorization-code"), "");
        Assert.Equal(3, (await _service.RunAsync("start", "crew", "--wait")).Code);
        var made = await _service.RunAsync("service", "consent-links", "lanternpost", "--output", "json");
        var link = JsonSerializer.Deserialize<List<ConsentLinkView>>(made.Out, ContractJson.Options)!.Single();
        Assert.Equal(Aoife, link.Account);
        using var browser = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false });
        using var forged = await browser.GetAsync($"{link.Link[..^4]}AAAA");
        Assert.Equal(404, (int)forged.StatusCode);
        // Whatever else opens the link, such as a program that looks at letters, begins a talk and ends nothing.
        using (var looked = await browser.GetAsync(link.Link))
            Assert.Equal(302, (int)looked.StatusCode);

        using var opened = await browser.GetAsync(link.Link);
        using var consented = await browser.GetAsync(opened.Headers.Location);
        using var back = await browser.GetAsync(consented.Headers.Location);
        Assert.Contains("You have consented", await back.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.InStep));
        using var again = await browser.GetAsync(link.Link);
        Assert.Contains("You have consented", await again.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Contains(
            "Everybody has consented",
            (await _service.RunAsync("service", "consent-links", "lanternpost")).Error
                + (await _service.RunAsync("service", "consent-links", "lanternpost")).Out,
            StringComparison.Ordinal
        );
        Assert.DoesNotContain(link.Link[^40..], (await _service.RunAsync("journal")).Out, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_link_of_consent_shows_a_code_where_a_code_is_typed_and_nobody_need_stay_on_the_page()
    {
        _from.Manners = new StandInManners { Tokens = _tokens };
        await ApplyAsync(OAuth("device-code"), "");
        Assert.Equal(3, (await _service.RunAsync("start", "crew", "--wait")).Code);
        var made = await _service.RunAsync("service", "consent-links", "lanternpost", "--account", Aoife, "--output", "json");
        var link = JsonSerializer.Deserialize<List<ConsentLinkView>>(made.Out, ContractJson.Options)!.Single();
        using var browser = new HttpClient();
        var page = await browser.GetStringAsync(link.Link);
        var code = System.Text.RegularExpressions.Regex.Match(page, "[0-9]{4}-[0-9]{4}").Value;
        Assert.True(_tokens.Approve(code, Aoife));
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.InStep));
    }

    [Fact]
    public async Task A_permission_that_is_missing_is_named()
    {
        _from.Manners = new StandInManners { Tokens = _tokens, Scope = "mail.read" };
        _tokens.Withheld.Add("mail.read");
        await ApplyAsync(
            OAuth("refresh-token").Replace("[mail]", "[mail, mail.read]", StringComparison.Ordinal),
            _tokens.Consent(Aoife, "mail mail.read")
        );
        var tried = await _service.RunAsync("service", "try", "lanternpost", "--account", Aoife);
        Assert.Equal(1, tried.Code);
        Assert.Contains("did not grant mail.read", tried.Out, StringComparison.Ordinal);

        // The same reported by the mail server alone: the plan does not ask for the scope that the server wants.
        await ApplyAsync(OAuth("refresh-token"), _tokens.Consent(Aoife, "mail"));
        tried = await _service.RunAsync("service", "try", "lanternpost", "--account", Aoife);
        Assert.Contains("wants the permission mail.read", tried.Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(StandInDoor.ProtocolOff, "protocol-off", "switched on")]
    [InlineData(StandInDoor.AppPasswordOnly, "app-password-needed", "app password made")]
    [InlineData(StandInDoor.Locked, "account-locked", "unlocked")]
    public async Task A_closed_door_tells_the_likeliest_cause_and_its_remedy(StandInDoor door, string cause, string remedy)
    {
        _from.Find(Aoife)!.Door = door;
        await ApplyAsync("{with: password}");
        var survey = await _service.RunAsync("survey", "crew", "--wait");
        Assert.Equal(3, survey.Code);
        var move = Assert.Single(await _service.MovesAsync("crew"));
        Assert.Equal((MoveStage.Listed, MoveCondition.NeedsYou, cause), (move.Stage, move.Condition, move.Problem!.Cause));
        Assert.Contains(remedy, move.Problem.Remedy, StringComparison.Ordinal);
        // After the account was opened and the survey repeated, the problem is gone.
        _from.Find(Aoife)!.Door = StandInDoor.Open;
        var again = await _service.RunAsync("survey", "crew", "--wait");
        Assert.True(again.Code == 0, again.Out + again.Error);
        Assert.Equal(MoveStage.Surveyed, (await _service.MovesAsync("crew"))[0].Stage);
    }

    [Fact]
    public async Task A_remedy_of_the_services_own_definition_appears_where_it_is_needed()
    {
        _from.Find(Aoife)!.Door = StandInDoor.AppPasswordOnly;
        await ApplyAsync(
            "{with: password}",
            more: "help: [{says: \"application-specific\", remedy: \"Make one at my.lanternpost.example under Keys.\"}]"
        );
        var tried = await _service.RunAsync("service", "try", "lanternpost", "--account", Aoife);
        Assert.Contains("Make one at my.lanternpost.example under Keys.", tried.Out, StringComparison.Ordinal);
        await _service.RunAsync("start", "crew", "--wait");
        Assert.Equal("Make one at my.lanternpost.example under Keys", (await _service.GetAsync<Today>("today")).NeedsYou[0].Remedy);
    }

    [Fact]
    public async Task A_service_that_sends_connections_away_gets_its_pause_and_the_move_goes_on()
    {
        _from.Manners = new StandInManners { MostConnections = 0 };
        await ApplyAsync("{with: password}");
        await _service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () =>
            (await _service.MovesAsync("crew"))[0] is { Condition: MoveCondition.Waiting, Problem.Cause: "service-busy" }
        );
        _from.Manners = new StandInManners();
        await ArrivesAsync();
    }

    [Fact]
    public async Task A_trial_writes_on_the_new_side_and_leaves_nothing_there()
    {
        await ApplyAsync("{with: password}");
        var tried = await _service.RunAsync("service", "try", "northquay", "--account", Aoife);
        Assert.True(tried.Code == 0, tried.Out + tried.Error);
        Assert.Contains("a folder was made, a message added, and both deleted again", tried.Out, StringComparison.Ordinal);
        Assert.Equal("INBOX", Assert.Single(_to.Find(Aoife)!.Folders).Name);
        Assert.DoesNotContain(
            "write",
            (await _service.RunAsync("service", "try", "lanternpost", "--account", Aoife)).Out,
            StringComparison.Ordinal
        );
        _to.Manners = new StandInManners('.') { LongestName = 3 };
        var refused = await _service.RunAsync("service", "try", "northquay", "--account", Aoife);
        Assert.Contains("no folder can be made", refused.Out, StringComparison.Ordinal);
    }
}
