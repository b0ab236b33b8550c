using System.Net;
using System.Net.Sockets;
using EasyCaravan.Cli;
using EasyCaravan.Cli.Commands;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>What the client does with its token, and what scripts learn from how it ends.</summary>
public sealed class ClientTests : IAsyncLifetime
{
    private const string Account = "aoife@saltmarsh.example";

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners());
    private TestService _service = null!;

    public async ValueTask InitializeAsync()
    {
        _from.AddAccount(Account, "s").Find("INBOX")!.Add("Subject: Tide\r\n\r\nHello\r\n"u8.ToArray(), [], DateTimeOffset.UnixEpoch);
        _to.AddAccount(Account, "s");
        _service = await TestService.StartAsync();
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    private Task<Ran> ApplyAsync(string secret = "s", string route = "") =>
        _service.ApplyAsync(
            $$"""
            services:
              lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none} }
              northquay: {mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none} }
            routes: {crossing: {from: lanternpost, to: northquay{{route}}} }
            batches: {crew: {route: crossing, roster: crew.csv} }
            """,
            ("crew.csv", $"name,from_account,to_account,from_secret,to_secret\nAoife,{Account},{Account},{secret},s\n")
        );

    private static async Task<Ran> RunAsync(TextReader? input, params string[] args)
    {
        var (output, error) = (new StringWriter(), new StringWriter());
        var code = await CaravanCommand.RunAsync(
            args,
            new CommandHost
            {
                Out = output,
                Error = error,
                In = input ?? TextReader.Null,
            }
        );
        return new Ran(code, output.ToString(), error.ToString());
    }

    [Fact]
    public async Task Whoever_is_needed_shows_in_the_exit_code_and_the_next_step_is_named()
    {
        Assert.Contains("caravan survey crew", (await ApplyAsync(secret: "wrong")).Out, StringComparison.Ordinal);
        Assert.Equal(3, (await _service.RunAsync("start", "crew", "--wait")).Code);
        Assert.Equal(3, (await _service.RunAsync("moves", "crew")).Code);
        var mended = await ApplyAsync();
        Assert.Contains("caravan retry crew", mended.Out, StringComparison.Ordinal);
        Assert.Equal(0, (await _service.RunAsync("retry", "crew", "--wait")).Code);
        Assert.Equal(0, (await _service.RunAsync("moves", "crew")).Code);
        await _service.RunAsync("hold", "crew");
        Assert.Equal(3, (await _service.RunAsync("catch-up", "crew", "--wait")).Code);
        Assert.Equal(3, (await _service.RunAsync("moves", "crew")).Code);
    }

    [Fact]
    public async Task Applying_a_plan_tells_what_changes_beside_the_people()
    {
        await ApplyAsync();
        Assert.Contains("Nothing in it differs", (await ApplyAsync()).Out, StringComparison.Ordinal);
        Assert.Contains(
            "route crossing: deletions changed",
            (await ApplyAsync(route: ", deletions: follow")).Out,
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData(1, "journal", "nosuch")]
    [InlineData(1, "moves", "nosuch")]
    [InlineData(1, "compare", "nosuch")]
    [InlineData(1, "differences", "nosuch")]
    [InlineData(2, "moves", "crew", "--output", "xml")]
    [InlineData(2, "compare", "crew", "--sample", "0%")]
    [InlineData(2, "compare", "crew", "--sample", "5%", "--all")]
    [InlineData(2, "differences", "crew", "--accept", "--carry-again")]
    public async Task What_is_wrong_in_a_command_is_told_in_words(int code, params string[] args)
    {
        await ApplyAsync();
        var ran = await _service.RunAsync(args);
        Assert.Equal(code, ran.Code);
        Assert.NotEmpty(ran.Error);
        Assert.DoesNotContain("EasyCaravan.", ran.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_comparison_of_people_who_are_not_in_step_is_no_success()
    {
        await ApplyAsync();
        var asked = await _service.RunAsync("compare", "crew", "--all", "--wait");
        Assert.Equal(3, asked.Code);
        Assert.Contains("not now: 1", asked.Out, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_cause_that_many_meet_is_told_once_with_its_people()
    {
        const int People = 12;
        for (var i = 0; i < People; i++)
            _from.AddAccount($"p{i}@saltmarsh.example", "other");
        await _service.ApplyAsync(
            $$"""
            services:
              lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: 1, security: none} }
              northquay: {mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none} }
            routes: {crossing: {from: lanternpost, to: northquay} }
            batches: {crew: {route: crossing, roster: crew.csv} }
            """,
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + string.Concat(Enumerable.Range(0, People).Select(i => $"P{i},p{i}@saltmarsh.example,p{i}@saltmarsh.example,s,s\n"))
            )
        );
        await _service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () => (await _service.MovesAsync("crew")).TrueForAll(m => m.Condition is MoveCondition.Waiting));
        var shown = (await _service.RunAsync("moves", "crew")).Out;
        Assert.Single(shown.Split('\n'), l => l.Contains("cannot be reached", StringComparison.Ordinal));
        Assert.Contains("P0, P1, P2, P3, P4 and 7 more", shown, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_token_comes_from_a_file_or_from_standard_input()
    {
        var address = _service.Address.ToString();
        var file = Path.Combine(_service.Folder, CaravanHost.TokenFile);
        Assert.Equal(0, (await RunAsync(null, "journal", "--service", address, "--token-file", file)).Code);
        Assert.Equal(
            0,
            (await RunAsync(new StringReader(_service.Token + "\n"), "journal", "--service", address, "--token-file", "-")).Code
        );
        Assert.Equal(2, (await RunAsync(null, "journal", "--service", address, "--token-file", "-")).Code);
        Assert.Equal(2, (await RunAsync(null, "journal", "--service", address, "--token-file", file + ".not")).Code);
    }

    [Fact]
    public async Task To_another_machine_the_token_goes_over_plain_HTTP_only_when_that_is_said()
    {
        var refused = await RunAsync(null, "journal", "--service", "http://northquay.example:8470", "--token", "t");
        Assert.Equal(2, refused.Code);
        Assert.Contains("--insecure", refused.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Where_a_redirect_points_the_token_does_not_go()
    {
        using var elsewhere = new TcpListener(IPAddress.Loopback, 0);
        elsewhere.Start();
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var serving = Task.Run(async () =>
        {
            using var client = await listener.AcceptTcpClientAsync();
            using var reader = new StreamReader(client.GetStream());
            while (await reader.ReadLineAsync() is { Length: > 0 }) { }
            await using var writer = new StreamWriter(client.GetStream());
            await writer.WriteAsync(
                $"HTTP/1.1 307 Temporary Redirect\r\nLocation: http://127.0.0.1:{((IPEndPoint)elsewhere.LocalEndpoint).Port}/\r\n"
                    + "Content-Length: 0\r\nConnection: close\r\n\r\n"
            );
        });
        var ran = await RunAsync(
            null,
            "hold",
            "crew",
            "--service",
            $"http://127.0.0.1:{((IPEndPoint)listener.LocalEndpoint).Port}",
            "--token",
            "t"
        );
        await serving;
        Assert.Equal(4, ran.Code);
        Assert.Contains("sends callers elsewhere", ran.Error, StringComparison.Ordinal);
        Assert.False(elsewhere.Pending(), "somebody called where the redirect points");
    }
}
