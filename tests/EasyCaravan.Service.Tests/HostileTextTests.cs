using System.Net.Http.Headers;
using EasyCaravan.Cli;
using EasyCaravan.Cli.Commands;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Names and answers of others on every surface: terminal, CSV, log, journal and the pages that the service draws.</summary>
public sealed class HostileTextTests : IAsyncLifetime
{
    private const string Account = "aoife@saltmarsh.example";

    /// <summary>Clears the screen, writes to the clipboard, turns text around, and begins a line like one of ours.</summary>
    private const string Name = "\u001b[2J\u001b]52;c;cm0gLXJm\u0007\u202Efdp\r\n12:00:00 INF all is well\u009b31m";

    private const string Formula = "=HYPERLINK(\"http://evil.example\")";

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners());
    private TestService _service = null!;

    public async ValueTask InitializeAsync()
    {
        _from.AddAccount(Account, "s").Find("INBOX")!.Add("Subject: Tide\r\n\r\nHello\r\n"u8.ToArray(), [], DateTimeOffset.UnixEpoch);
        _to.AddAccount(Account, "s");
        _service = await TestService.StartAsync();
        var applied = await _service.ApplyAsync(
            $$"""
            services:
              lanternpost: {mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none} }
              northquay: {mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none} }
            routes: {crossing: {from: lanternpost, to: northquay} }
            batches: {crew: {route: crossing, roster: crew.csv} }
            """,
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret,note\n"
                    + $"\"{Name}\",{Account},{Account},s,s,\"{Formula.Replace("\"", "\"\"", StringComparison.Ordinal)}\"\n"
            )
        );
        Assert.Equal((0, ""), (applied.Code, applied.Code == 0 ? "" : applied.Error));
        Assert.Equal(0, (await _service.RunAsync("start", "crew", "--wait")).Code);
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    /// <summary>Nothing that steers, apart from what the drawing itself sends: its own colours.</summary>
    private static void AssertHarmless(string shown)
    {
        var plain = System.Text.RegularExpressions.Regex.Replace(shown, "\u001b\\[[0-9;]*m", "");
        Assert.DoesNotContain(plain, c =>
            (char.IsControl(c) && c is not ('\n' or '\r' or '\t')) || c is >= '\u202A' and <= '\u202E' or >= '\u2066' and <= '\u2069'
        );
    }

    public static TheoryData<string> Commands() =>
        ["moves crew", "survey crew", "waybill crew", "today", "journal", "left-behind crew", "batches", "findings crew", "folders crew"];

    [Theory]
    [MemberData(nameof(Commands))]
    public async Task No_command_lets_them_steer_the_terminal(string command)
    {
        foreach (var form in new[] { "table", "csv", "json" })
        {
            var ran = await _service.RunAsync([.. command.Split(' '), "--output", form]);
            AssertHarmless(ran.Out);
            AssertHarmless(ran.Error);
            // A forged line would begin so.
            Assert.DoesNotContain("\n12:00:00 INF", ran.Out, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task A_cell_of_the_clients_CSV_is_no_formula_and_a_name_stays_on_its_line()
    {
        var csv = (await _service.RunAsync("moves", "crew", "--output", "csv")).Out;
        Assert.Contains("‹U+001B›[2J", csv, StringComparison.Ordinal);
        Assert.Equal(2, csv.TrimEnd().Split('\n').Length);
        Assert.DoesNotContain(",=HYPERLINK", csv, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Pages_that_the_service_draws_show_them()
    {
        var page = await _service.Api.GetStringAsync("/api/v1/batches/crew/waybill/page");
        Assert.DoesNotContain("\u202E", page, StringComparison.Ordinal);
        Assert.DoesNotContain("&#x202E;", page, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("‹U+202E›", page, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Files_outside_the_plans_folder_are_not_sent()
    {
        var folder = Directory.CreateDirectory(Path.Combine(_service.Folder, "other")).FullName;
        var outside = Path.Combine(_service.Folder, "outside.csv");
        await File.WriteAllTextAsync(outside, "name,from_account,to_account\n");
        File.CreateSymbolicLink(Path.Combine(folder, "link.csv"), outside);
        foreach (var name in new[] { "../outside.csv", outside, "link.csv", "./../outside.csv" })
        {
            var plan = Path.Combine(folder, "plan.yaml");
            await File.WriteAllTextAsync(plan, $"batches:\n  crew: {{route: a, roster: \"{name}\"}}\n");
            var ran = await _service.RunAsync("plan", "check", plan);
            Assert.Equal(ExitCode.WrongUsage, ran.Code);
            Assert.Contains("plan.yaml:2", ran.Error, StringComparison.Ordinal);
            Assert.Contains("not below the plan's folder", ran.Error, StringComparison.Ordinal);
        }
    }
}
