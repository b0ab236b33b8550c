using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Callers that nobody let in, or that send what the API does not take: every call of its description is tried.</summary>
public sealed class HostileCallerTests : IAsyncLifetime
{
    private TestService _service = null!;

    public async ValueTask InitializeAsync() => _service = await TestService.StartAsync();

    public ValueTask DisposeAsync() => _service.DisposeAsync();

    private sealed record Call(string Method, string Path, string? Body);

    /// <summary>Each call of the description, with something in each place of its path, and whether it takes JSON.</summary>
    private async Task<List<Call>> CallsAsync()
    {
        using var document = (await _service.Api.GetFromJsonAsync<JsonDocument>("/openapi/v1.json"))!;
        var calls = new List<Call>();
        foreach (var path in document.RootElement.GetProperty("paths").EnumerateObject())
        foreach (var call in path.Value.EnumerateObject())
        {
            var body = call.Value.TryGetProperty("requestBody", out var given)
                ? given.GetProperty("content").EnumerateObject().First().Name
                : null;
            var query = call.Value.TryGetProperty("parameters", out var parameters)
                ? string.Join(
                    '&',
                    parameters
                        .EnumerateArray()
                        .Where(p => p.GetProperty("in").GetString() == "query" && p.TryGetProperty("required", out _))
                        .Select(p => $"{p.GetProperty("name").GetString()}=1")
                )
                : "";
            var address = System.Text.RegularExpressions.Regex.Replace(path.Name, "\\{[^}]+\\}", "x");
            calls.Add(new Call(call.Name.ToUpperInvariant(), query.Length > 0 ? $"{address}?{query}" : address, body));
        }
        return calls;
    }

    private static HttpRequestMessage RequestOf(Call call, string? json = null) =>
        new(new HttpMethod(call.Method), call.Path)
        {
            Content =
                call.Body is null ? null
                : call.Body == "application/json" ? new StringContent(json ?? "{}", Encoding.UTF8, "application/json")
                : new ByteArrayContent([1]),
        };

    [Fact]
    public async Task Every_call_is_refused_without_a_token_with_a_revoked_one_and_under_another_name()
    {
        var made = await _service.RunAsync("token", "create", "gone");
        Assert.Equal(0, (await _service.RunAsync("token", "revoke", "gone")).Code);
        using var stranger = new HttpClient { BaseAddress = _service.Address };
        using var revoked = new HttpClient { BaseAddress = _service.Address };
        revoked.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", made.Out.Trim());
        var calls = await CallsAsync();
        Assert.True(calls.Count > 60);
        foreach (var call in calls.Where(c => c is not { Method: "POST", Path: "/api/v1/session" }))
        {
            foreach (var client in new[] { stranger, revoked })
                using (var answer = await client.SendAsync(RequestOf(call)))
                    Assert.True(answer.StatusCode is HttpStatusCode.Unauthorized, $"{call}: {answer.StatusCode}");
            using var elsewhere = RequestOf(call);
            elsewhere.Headers.Host = "evil.example";
            using (var answer = await _service.Api.SendAsync(elsewhere))
                Assert.True(answer.StatusCode is HttpStatusCode.MisdirectedRequest, $"{call}: {answer.StatusCode}");
        }
    }

    [Fact]
    public async Task No_write_of_a_browser_is_taken_without_the_word_of_our_pages()
    {
        using var browser = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() })
        {
            BaseAddress = _service.Address,
        };
        using (var signedIn = await browser.PostAsJsonAsync("/api/v1/session", new SessionRequest(_service.Token), ContractJson.Options))
            Assert.Equal(HttpStatusCode.OK, signedIn.StatusCode);
        foreach (var call in (await CallsAsync()).Where(c => c.Method != "GET" && c is not { Method: "POST", Path: "/api/v1/session" }))
        {
            using var answer = await browser.SendAsync(RequestOf(call));
            Assert.True(answer.StatusCode is HttpStatusCode.Forbidden, $"{call}: {answer.StatusCode}");
        }
    }

    [Theory]
    [InlineData("{}")]
    [InlineData("null")]
    [InlineData("[]")]
    [InlineData("[null]")]
    [InlineData("\"x\"")]
    [InlineData("{")]
    [InlineData("{\"nobodyKnowsThis\": 1}")]
    public async Task Bodies_that_are_not_as_described_never_end_in_an_error_of_ours(string body)
    {
        // Withdrawals, drains and the like mean everybody where nobody is named: only what is wrong in its form is tried here.
        foreach (var call in (await CallsAsync()).Where(c => c is { Body: "application/json", Path: not "/api/v1/session" }))
        {
            using var answer = await _service.Api.SendAsync(RequestOf(call, body));
            Assert.True((int)answer.StatusCode < 500, $"{call} {body}: {answer.StatusCode}");
        }
    }

    [Fact]
    public async Task Each_member_that_is_missing_or_null_and_may_not_be_is_told_by_its_name()
    {
        using var document = (await _service.Api.GetFromJsonAsync<JsonDocument>("/openapi/v1.json"))!;
        var schemas = document.RootElement.GetProperty("components").GetProperty("schemas");
        var tried = 0;
        foreach (var path in document.RootElement.GetProperty("paths").EnumerateObject())
        foreach (var call in path.Value.EnumerateObject())
        {
            if (
                !call.Value.TryGetProperty("requestBody", out var given)
                || !given.GetProperty("content").TryGetProperty("application/json", out var json)
                || path.Name == "/api/v1/session"
            )
                continue;
            var schema = schemas.GetProperty(json.GetProperty("schema").GetProperty("$ref").GetString()!.Split('/')[^1]);
            var whole = schema.GetProperty("properties").EnumerateObject().ToDictionary(p => p.Name, p => p.Value);
            foreach (var name in schema.GetProperty("required").EnumerateArray().Select(r => r.GetString()!))
            {
                var isNullable = whole[name].GetRawText().Contains("\"null\"", StringComparison.Ordinal);
                if (isNullable)
                    continue;
                tried++;
                var address = System.Text.RegularExpressions.Regex.Replace(path.Name, "\\{[^}]+\\}", "x");
                foreach (var body in new[] { $"{{\"{name}\": null}}", "{}" })
                {
                    using var answer = await _service.Api.SendAsync(
                        RequestOf(new Call(call.Name.ToUpperInvariant(), address, "application/json"), body)
                    );
                    Assert.True(answer.StatusCode is HttpStatusCode.BadRequest, $"{call.Name} {path.Name} {body}: {answer.StatusCode}");
                }
            }
        }
        Assert.True(tried > 20);
    }

    [Theory]
    [InlineData("actions", "{\"action\": \"start\", \"move\": [\"a\"]}", "move")]
    [InlineData("secrets", "{\"side\": \"from\", \"secrets\": [null]}", "secrets")]
    public async Task What_is_misspelt_or_null_in_a_list_is_no_wish_that_concerns_everybody(string path, string body, string named)
    {
        using var content = new StringContent(body, Encoding.UTF8, "application/json");
        using var answer = await _service.Api.PostAsync($"/api/v1/batches/crew/{path}", content);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Contains(named, await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Before_sign_in_four_kilobytes_are_taken_and_after_it_what_the_call_needs()
    {
        using var stranger = new HttpClient { BaseAddress = _service.Address };
        using (var small = await stranger.PostAsJsonAsync("/api/v1/session", new SessionRequest(new string('x', 3000))))
            Assert.Equal(HttpStatusCode.Unauthorized, small.StatusCode);
        using (var large = await stranger.PostAsJsonAsync("/api/v1/session", new SessionRequest(new string('x', 5000))))
            Assert.Equal(HttpStatusCode.RequestEntityTooLarge, large.StatusCode);
        // Without a length that is told.
        using (var endless = new HttpRequestMessage(HttpMethod.Post, "/api/v1/session"))
        {
            endless.Headers.TransferEncodingChunked = true;
            endless.Content = new StringContent($"{{\"token\": \"{new string('x', 100_000)}\"}}", Encoding.UTF8, "application/json");
            using var answer = await stranger.SendAsync(endless);
            Assert.Equal(HttpStatusCode.RequestEntityTooLarge, answer.StatusCode);
            using var problem = JsonDocument.Parse(await answer.Content.ReadAsStringAsync());
            Assert.NotEmpty(problem.RootElement.GetProperty("remedy").GetString()!);
        }
        // Who has not signed in is told just that, however much they send.
        using (var content = new StringContent(new string('x', 100_000), Encoding.UTF8, "application/json"))
        using (var answer = await stranger.PostAsync("/api/v1/plan/apply", content))
            Assert.Equal(HttpStatusCode.Unauthorized, answer.StatusCode);
        using (var content = new StringContent($"{{\"name\": \"{new string('x', 9_000_000)}\"}}", Encoding.UTF8, "application/json"))
        using (var answer = await _service.Api.PostAsync("/api/v1/tokens", content))
            Assert.Equal(HttpStatusCode.RequestEntityTooLarge, answer.StatusCode);
        var plan = new PlanSubmission("plan.yaml", "services: {}", new Dictionary<string, string> { ["a.csv"] = new('x', 20_000_000) });
        using (var answer = await _service.Api.PostAsJsonAsync("/api/v1/plan/check", plan, ContractJson.Options))
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
    }

    [Theory]
    [InlineData("127.0.0.1", true)]
    [InlineData("localhost", true)]
    [InlineData("[::1]", true)]
    [InlineData("evil.example", false)]
    [InlineData("127.0.0.1.evil.example", false)]
    [InlineData("169.254.169.254", false)]
    [InlineData("", false)]
    public async Task It_answers_under_its_own_names_alone(string host, bool answers)
    {
        using var client = new TcpClient();
        await client.ConnectAsync(IPAddress.Loopback, _service.Address.Port);
        await using var stream = client.GetStream();
        await stream.WriteAsync(Encoding.ASCII.GetBytes($"GET /health/live HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n"));
        using var reader = new StreamReader(stream);
        var answer = await reader.ReadToEndAsync();
        Assert.StartsWith(answers ? "HTTP/1.1 200" : "HTTP/1.1 421", answer, StringComparison.Ordinal);
        Assert.DoesNotContain("\nServer:", answer, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("\nContent-Security-Policy: default-src 'none'", answer, StringComparison.OrdinalIgnoreCase);
    }
}
