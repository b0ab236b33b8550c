using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Who was let in once is let in as long as the store says so, and not longer.</summary>
public sealed class SessionTests : IAsyncLifetime
{
    private readonly TestClock _clock = new(new DateTimeOffset(2027, 2, 1, 8, 0, 0, TimeSpan.Zero));
    private TestService _service = null!;

    public async ValueTask InitializeAsync() => _service = await TestService.StartAsync(options: o => o with { Time = _clock });

    public ValueTask DisposeAsync() => _service.DisposeAsync();

    private async Task<TokenMade> MakeAsync(string name, int? days = null)
    {
        using var answer = await _service.Api.PostAsJsonAsync("/api/v1/tokens", new TokenRequest(name, days), ContractJson.Options);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        return (await answer.Content.ReadFromJsonAsync<TokenMade>(ContractJson.Options))!;
    }

    private HttpClient With(string token)
    {
        var http = new HttpClient { BaseAddress = _service.Address };
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
        return http;
    }

    /// <summary>A browser that is signed in, and another that has a copy of its cookies.</summary>
    private async Task<(HttpClient Browser, HttpClient Copy)> SignInAsync(string token)
    {
        var cookies = new CookieContainer();
        var browser = new HttpClient(new HttpClientHandler { CookieContainer = cookies }) { BaseAddress = _service.Address };
        using var signedIn = await browser.PostAsJsonAsync("/api/v1/session", new SessionRequest(token), ContractJson.Options);
        Assert.Equal(HttpStatusCode.OK, signedIn.StatusCode);
        var session = (await signedIn.Content.ReadFromJsonAsync<SessionView>(ContractJson.Options))!;
        browser.DefaultRequestHeaders.Add("X-Caravan-Antiforgery", session.Antiforgery);
        var copy = new HttpClient(new HttpClientHandler { UseCookies = false }) { BaseAddress = _service.Address };
        copy.DefaultRequestHeaders.Add("Cookie", cookies.GetCookieHeader(_service.Address));
        return (browser, copy);
    }

    private static async Task<HttpStatusCode> AskAsync(HttpClient http)
    {
        using var answer = await http.GetAsync("/api/v1/today");
        return answer.StatusCode;
    }

    [Fact]
    public async Task A_copied_cookie_is_worth_nothing_after_its_owner_signed_out()
    {
        var (browser, copy) = await SignInAsync(_service.Token);
        using (browser)
        using (copy)
        {
            Assert.Equal(HttpStatusCode.OK, await AskAsync(copy));
            using (var left = await browser.DeleteAsync("/api/v1/session"))
                Assert.Equal(HttpStatusCode.NoContent, left.StatusCode);
            Assert.Equal(HttpStatusCode.Unauthorized, await AskAsync(copy));
        }
    }

    [Fact]
    public async Task A_revoked_token_ends_at_once_with_its_sessions_and_their_streams_and_others_go_on()
    {
        var made = await MakeAsync("desk");
        var (browser, copy) = await SignInAsync(made.Token);
        using var program = With(made.Token);
        using (browser)
        using (copy)
        {
            Assert.Equal(HttpStatusCode.OK, await AskAsync(program));
            using var stream = await copy.GetAsync("/api/v1/live", HttpCompletionOption.ResponseHeadersRead);
            await using var events = await stream.Content.ReadAsStreamAsync();
            var first = new byte[1];
            await events.ReadExactlyAsync(first);
            Assert.Equal(1, (await _service.GetAsync<List<TokenView>>("tokens")).Single(t => t.Name == "desk").Sessions);

            using (var revoked = await _service.Api.DeleteAsync("/api/v1/tokens/desk"))
                Assert.Equal(HttpStatusCode.NoContent, revoked.StatusCode);
            Assert.Equal(HttpStatusCode.Unauthorized, await AskAsync(program));
            Assert.Equal(HttpStatusCode.Unauthorized, await AskAsync(copy));
            Assert.Equal(HttpStatusCode.Unauthorized, await AskAsync(browser));
            // It ends by itself; who still listened would wait here for ever.
            using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(30));
            var rest = TestService.UntilAsync(
                async () =>
                {
                    _clock.Advance(TimeSpan.FromSeconds(1));
                    return await events.ReadAsync(new byte[4096], patience.Token) == 0;
                },
                seconds: 30
            );
            await rest;
        }
        Assert.Equal(HttpStatusCode.OK, await AskAsync(_service.Api));
        var kept = (await _service.GetAsync<List<TokenView>>("tokens")).Single(t => t.Name == "desk");
        Assert.Equal((false, 0), (kept.IsGood, kept.Sessions));
        var journal = await _service.GetAsync<Page<JournalEntry>>("journal?limit=20");
        Assert.Contains(journal.Items, e => e is { Who: "admin", Text: "revoked the token desk" });
    }

    [Fact]
    public async Task A_token_with_an_end_lets_nobody_in_after_it_and_tells_when_it_was_used()
    {
        var made = await MakeAsync("week", 7);
        using var program = With(made.Token);
        var (browser, copy) = await SignInAsync(made.Token);
        using (browser)
        using (copy)
        {
            Assert.Equal(HttpStatusCode.OK, await AskAsync(program));
            var listed = (await _service.GetAsync<List<TokenView>>("tokens")).Single(t => t.Name == "week");
            Assert.Equal((_clock.GetUtcNow().AddDays(7), true), (listed.EndsAt, listed.UsedAt is not null));
            _clock.Advance(TimeSpan.FromHours(11));
            Assert.Equal(HttpStatusCode.OK, await AskAsync(browser));
            // Used meanwhile, so that it goes on; unused for more than its life, it is over.
            _clock.Advance(TimeSpan.FromHours(11));
            Assert.Equal(HttpStatusCode.OK, await AskAsync(browser));
            _clock.Advance(TimeSpan.FromHours(13));
            Assert.Equal(HttpStatusCode.Unauthorized, await AskAsync(browser));
            Assert.Equal(HttpStatusCode.OK, await AskAsync(program));
            _clock.Advance(TimeSpan.FromDays(6));
            Assert.Equal(HttpStatusCode.Unauthorized, await AskAsync(program));
        }
    }

    [Fact]
    public async Task The_last_token_cannot_be_revoked_and_two_never_have_one_name()
    {
        var last = await _service.RunAsync("token", "revoke", "admin");
        Assert.Equal(1, last.Code);
        Assert.Contains("last token", last.Error, StringComparison.Ordinal);
        Assert.Equal(0, (await _service.RunAsync("token", "create", "second")).Code);
        Assert.Equal(1, (await _service.RunAsync("token", "create", "second")).Code);
        Assert.Equal(1, (await _service.RunAsync("token", "create", "a name with spaces")).Code);
        Assert.Equal(1, (await _service.RunAsync("token", "revoke", "nobody")).Code);
        Assert.Equal(0, (await _service.RunAsync("token", "revoke", "second")).Code);
        Assert.Equal(0, (await _service.RunAsync("token", "create", "second")).Code);
    }

    [Fact]
    public async Task The_client_makes_shows_and_revokes_tokens_and_shows_one_only_once()
    {
        var file = Path.Combine(_service.Folder, "report.token");
        var made = await _service.RunAsync("token", "create", "report", "--days", "30", "--into", file);
        Assert.Equal((0, ""), (made.Code, made.Out));
        Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(file));
        using (var program = With((await File.ReadAllTextAsync(file)).Trim()))
            Assert.Equal(HttpStatusCode.OK, await AskAsync(program));
        var shown = await _service.RunAsync("token", "create", "shown");
        using (var program = With(shown.Out.Trim()))
            Assert.Equal(HttpStatusCode.OK, await AskAsync(program));
        var list = await _service.RunAsync("token", "list", "--output", "json");
        Assert.DoesNotContain("caravan_", list.Out, StringComparison.Ordinal);
        Assert.Contains("\"report\"", list.Out, StringComparison.Ordinal);
        Assert.Equal(0, (await _service.RunAsync("token", "revoke", "report")).Code);
        Assert.DoesNotContain("report", (await _service.RunAsync("token", "list")).Out, StringComparison.Ordinal);
        Assert.Contains("revoked", (await _service.RunAsync("token", "list", "--all")).Out, StringComparison.Ordinal);
    }

    [Fact]
    public async Task One_sign_in_opens_a_bounded_number_of_streams()
    {
        var open = new List<HttpResponseMessage>();
        for (var i = 0; i < 64; i++)
            open.Add(await _service.Api.GetAsync("/api/v1/live", HttpCompletionOption.ResponseHeadersRead));
        Assert.All(open, s => Assert.Equal(HttpStatusCode.OK, s.StatusCode));
        using (var more = await _service.Api.GetAsync("/api/v1/live", HttpCompletionOption.ResponseHeadersRead))
            Assert.Equal(HttpStatusCode.TooManyRequests, more.StatusCode);
        using (var other = With((await MakeAsync("other")).Token))
        using (var theirs = await other.GetAsync("/api/v1/live", HttpCompletionOption.ResponseHeadersRead))
            Assert.Equal(HttpStatusCode.OK, theirs.StatusCode);
        foreach (var stream in open)
            stream.Dispose();
        // Closed ones make room again.
        await TestService.UntilAsync(async () =>
        {
            using var again = await _service.Api.GetAsync("/api/v1/live", HttpCompletionOption.ResponseHeadersRead);
            return again.StatusCode is HttpStatusCode.OK;
        });
    }
}
