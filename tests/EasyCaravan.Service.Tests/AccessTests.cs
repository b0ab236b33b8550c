using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text.Json;
using EasyCaravan.Cli;
using EasyCaravan.Cli.Commands;
using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Who gets in, and what the API promises to programs.</summary>
public sealed class AccessTests : IAsyncLifetime
{
    private TestService _service = null!;

    public async ValueTask InitializeAsync() => _service = await TestService.StartAsync();

    public ValueTask DisposeAsync() => _service.DisposeAsync();

    [Fact]
    public async Task Without_a_token_nothing_is_told()
    {
        using var stranger = new HttpClient { BaseAddress = _service.Address };
        foreach (var path in new[] { "/api/v1/today", "/api/v1/plan", "/api/v1/live", "/openapi/v1.json" })
        {
            using var answer = await stranger.GetAsync(path);
            Assert.Equal(HttpStatusCode.Unauthorized, answer.StatusCode);
        }
        stranger.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", "caravan_" + new string('0', 64));
        using var wrong = await stranger.GetAsync("/api/v1/today");
        Assert.Equal(HttpStatusCode.Unauthorized, wrong.StatusCode);
        using var ready = await stranger.GetAsync("/health/ready");
        Assert.Equal(HttpStatusCode.OK, ready.StatusCode);
    }

    [Fact]
    public async Task The_first_token_is_readable_by_its_owner_alone_and_only_its_hash_is_kept()
    {
        var file = Path.Combine(_service.Folder, CaravanHost.TokenFile);
        Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(file));
        foreach (var part in Directory.GetFiles(_service.Folder, "caravan.db*"))
        {
            await using var stream = new FileStream(part, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
            using var reader = new StreamReader(stream, System.Text.Encoding.Latin1);
            Assert.DoesNotContain(_service.Token, await reader.ReadToEndAsync(), StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task A_session_writes_only_with_the_word_that_its_pages_know()
    {
        var cookies = new CookieContainer();
        using var browser = new HttpClient(new HttpClientHandler { CookieContainer = cookies }) { BaseAddress = _service.Address };
        using var signedIn = await browser.PostAsJsonAsync("/api/v1/session", new SessionRequest(_service.Token), ContractJson.Options);
        Assert.Equal(HttpStatusCode.OK, signedIn.StatusCode);
        Assert.All(cookies.GetAllCookies(), c => Assert.True(c.HttpOnly));
        Assert.Contains(signedIn.Headers.GetValues("Set-Cookie"), c =>
            c.Contains("caravan-session", StringComparison.Ordinal) && c.Contains("samesite=strict", StringComparison.OrdinalIgnoreCase)
        );
        using (var read = await browser.GetAsync("/api/v1/today"))
            Assert.Equal(HttpStatusCode.OK, read.StatusCode);

        var check = new PlanSubmission("p", "x", new Dictionary<string, string>());
        using (var forged = await browser.PostAsJsonAsync("/api/v1/plan/check", check, ContractJson.Options))
            Assert.Equal(HttpStatusCode.Forbidden, forged.StatusCode);
        var session = (await browser.GetFromJsonAsync<SessionView>("/api/v1/session", ContractJson.Options))!;
        browser.DefaultRequestHeaders.Add("X-Caravan-Antiforgery", session.Antiforgery);
        using (var own = await browser.PostAsJsonAsync("/api/v1/plan/check", check, ContractJson.Options))
            Assert.Equal(HttpStatusCode.OK, own.StatusCode);
    }

    [Fact]
    public async Task Guessing_tokens_is_slowed_down()
    {
        using var guesser = new HttpClient { BaseAddress = _service.Address };
        var codes = new List<HttpStatusCode>();
        for (var i = 0; i < 12; i++)
        {
            using var answer = await guesser.PostAsJsonAsync("/api/v1/session", new SessionRequest($"guess {i}"), ContractJson.Options);
            codes.Add(answer.StatusCode);
        }
        Assert.Equal(HttpStatusCode.Unauthorized, codes[0]);
        Assert.Equal(HttpStatusCode.TooManyRequests, codes[^1]);
    }

    [Theory]
    [InlineData("/api/v1/batches/nobody", 404)]
    [InlineData("/api/v1/nothing", 404)]
    [InlineData("/api/v1/journal?cursor=x", 400)]
    [InlineData("/api/v1/journal?limit=many", 400)]
    public async Task An_error_is_a_problem_document_with_the_next_step(string path, int status)
    {
        using var answer = await _service.Api.GetAsync(path);
        Assert.Equal(status, (int)answer.StatusCode);
        Assert.Equal("application/problem+json", answer.Content.Headers.ContentType!.MediaType);
        using var problem = JsonDocument.Parse(await answer.Content.ReadAsStringAsync());
        Assert.NotEmpty(problem.RootElement.GetProperty("detail").GetString()!);
        Assert.NotEmpty(problem.RootElement.GetProperty("remedy").GetString()!);
    }

    [Theory]
    [InlineData(2, "moves")]
    [InlineData(2, "no-such-command")]
    [InlineData(2, "left-behind", "crew", "--accept", "--retry")]
    [InlineData(1, "moves", "nobody")]
    [InlineData(2, "plan", "check", "no-such-file.yaml")]
    [InlineData(0, "journal")]
    public async Task Exit_codes_tell_scripts_what_happened(int code, params string[] args) =>
        Assert.Equal(code, (await _service.RunAsync(args)).Code);

    [Fact]
    public async Task A_service_that_is_not_there_and_a_wrong_token_end_with_four_and_the_way_out()
    {
        var error = new StringWriter();
        Assert.Equal(
            4,
            await CaravanCommand.RunAsync(
                ["moves", "x", "--service", "http://127.0.0.1:9", "--token", "t"],
                new CommandHost { Error = error, Out = TextWriter.Null }
            )
        );
        Assert.Contains("caravan serve", error.ToString(), StringComparison.Ordinal);
        Assert.Equal(
            4,
            await CaravanCommand.RunAsync(
                ["moves", "x", "--service", _service.Address.ToString(), "--token", "wrong"],
                new CommandHost { Error = error, Out = TextWriter.Null }
            )
        );
        Assert.Contains("admin.token", error.ToString(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Two_services_never_share_a_data_folder() =>
        await Assert.ThrowsAsync<DataFolderException>(() =>
            CaravanHost.BuildAsync(new CaravanOptions(_service.Folder, new Uri("http://127.0.0.1:0")), CancellationToken.None)
        );

    [Fact]
    public async Task The_committed_description_of_the_API_is_the_one_that_is_served()
    {
        var root = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(root, "EasyCaravan.slnx")))
            root = Path.GetDirectoryName(root)!;
        var file = Path.Combine(root, "docs", "openapi.json");
        var served = await _service.Api.GetStringAsync("/openapi/v1.json");
        if (Environment.GetEnvironmentVariable("CARAVAN_WRITE_OPENAPI") == "1")
            await File.WriteAllTextAsync(file, served);
        Assert.Equal(served.ReplaceLineEndings().Trim(), (await File.ReadAllTextAsync(file)).ReplaceLineEndings().Trim());
    }

    [Fact]
    public async Task The_description_explains_every_call_parameter_schema_and_property()
    {
        using var document = await _service.Api.GetFromJsonAsync<JsonDocument>("/openapi/v1.json");
        var unexplained = new List<string>();
        var names = new HashSet<string>();
        foreach (var path in document!.RootElement.GetProperty("paths").EnumerateObject())
        {
            foreach (var call in path.Value.EnumerateObject())
            {
                var place = $"{call.Name} {path.Name}";
                if (!call.Value.TryGetProperty("description", out _))
                    unexplained.Add(place);
                Assert.Matches("^[a-z][A-Za-z]+$", call.Value.GetProperty("operationId").GetString());
                Assert.True(names.Add(call.Value.GetProperty("operationId").GetString()!), place);
                if (call.Value.TryGetProperty("parameters", out var parameters))
                    unexplained.AddRange(
                        from parameter in parameters.EnumerateArray()
                        where !parameter.TryGetProperty("description", out _)
                        select $"{place} {parameter.GetProperty("name")}"
                    );
            }
        }
        foreach (var schema in document.RootElement.GetProperty("components").GetProperty("schemas").EnumerateObject())
        {
            if (!schema.Value.TryGetProperty("description", out _))
                unexplained.Add(schema.Name);
            if (schema.Value.TryGetProperty("properties", out var properties))
                unexplained.AddRange(
                    from property in properties.EnumerateObject()
                    where !property.Value.GetRawText().Contains("\"description\":", StringComparison.Ordinal)
                    select $"{schema.Name}.{property.Name}"
                );
        }
        Assert.Empty(unexplained);
    }
}
