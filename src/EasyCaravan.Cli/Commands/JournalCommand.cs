using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan journal</c></summary>
internal static class JournalCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = new Argument<string?>("BATCH") { Description = "Only this batch", Arity = ArgumentArity.ZeroOrOne };
        var most = new Option<int>("--most") { Description = "The newest so many entries", DefaultValueFactory = _ => 50 };
        return host.Make(
            "journal",
            "What happened and who asked for it, newest last",
            "caravan journal deckhands --most 100",
            [batch, most],
            async (p, c, w, cancel) =>
            {
                var page = await c.GetAsync<Page<JournalEntry>>(
                    $"journal?limit={p.GetValue(most)}{(p.GetValue(batch) is { } b ? $"&batch={Uri.EscapeDataString(b)}" : "")}",
                    cancel
                );
                w.Rows(
                    page.Items.Reverse().ToList(),
                    "Nothing has happened yet.",
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
}
