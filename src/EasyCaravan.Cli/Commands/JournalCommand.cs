using System.CommandLine;
using System.Globalization;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan journal</c></summary>
internal static class JournalCommand
{
    private const int LargestPage = 1000;

    public static Command Make(CommandHost host)
    {
        var batch = new Argument<string?>("BATCH") { Description = "Only this batch", Arity = ArgumentArity.ZeroOrOne };
        var move = new Option<string?>("--move") { Description = "Only this person's move: the from account" };
        var search = new Option<string?>("--search") { Description = "Only entries that hold this text" };
        var by = new Option<string?>("--by") { Description = "people: what they asked for; service: what it did by itself" };
        by.AcceptOnlyFromAmong("people", "service");
        var since = TimeOption("--since", "Only entries from this moment on");
        var until = TimeOption("--until", "Only entries before this moment");
        var most = new Option<int>("--most") { Description = "The newest so many entries", DefaultValueFactory = _ => 50 };
        var lines = new Option<bool>("--json-lines") { Description = "Every entry that fits, as JSON, one a line, the newest first" };
        return host.Make(
            "journal",
            "What happened and who asked for it, newest last",
            "caravan journal deckhands --by people --since 2027-02-12",
            [batch, move, search, by, since, until, most, lines],
            async (p, c, w, cancel) =>
            {
                var query = string.Concat(
                    Part("batch", p.GetValue(batch)),
                    Part("account", p.GetValue(move)),
                    Part("search", p.GetValue(search)),
                    Part("by", p.GetValue(by)),
                    Part("since", p.GetValue(since)?.ToString("O", CultureInfo.InvariantCulture)),
                    Part("until", p.GetValue(until)?.ToString("O", CultureInfo.InvariantCulture))
                );
                if (p.GetValue(lines))
                    return await WriteLinesAsync(query, c, w, cancel);
                var page = await c.GetAsync<Page<JournalEntry>>($"journal?limit={p.GetValue(most)}{query}", cancel);
                w.Rows(
                    page.Items.Reverse().ToList(),
                    "Nothing has happened that fits.",
                    [
                        new("When", "at", e => w.Form is OutputForm.Csv ? e.At.ToString("O") : Words.Time(e.At)),
                        new("Who", "who", e => Words.Safe(e.Who)),
                        new("Batch", "batch", e => Words.Safe(e.Batch)),
                        new("Account", "account", e => Words.Safe(e.Account)),
                        new("What", "text", e => Words.Safe(e.Text)),
                    ],
                    page
                );
                return ExitCode.Well;
            }
        );
    }

    private static string Part(string name, string? value) => value is null ? "" : $"&{name}={Uri.EscapeDataString(value)}";

    /// <summary>Page by page, so that a journal of any length passes through.</summary>
    private static async Task<int> WriteLinesAsync(string query, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        string? cursor = null;
        do
        {
            var page = await client.GetAsync<Page<JournalEntry>>($"journal?limit={LargestPage}{query}{Part("cursor", cursor)}", cancel);
            foreach (var entry in page.Items)
                writer.JsonLine(entry);
            cursor = page.Next;
        } while (cursor is not null);
        return ExitCode.Well;
    }

    private static Option<DateTimeOffset?> TimeOption(string name, string description) =>
        new(name)
        {
            Description = $"{description}, such as 2027-02-12 or 2027-02-12T18:00",
            CustomParser = given =>
            {
                var text = given.Tokens[0].Value;
                if (DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeLocal, out var at))
                    return at;
                given.AddError($"'{text}' is not a time. Give one such as 2027-02-12T18:00; without an offset it is this machine's.");
                return null;
            },
        };
}
