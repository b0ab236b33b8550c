using System.CommandLine;
using System.Globalization;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan compare</c></summary>
internal static class CompareCommand
{
    private const string DefaultSample = "2%";

    private static readonly TimeSpan s_look = TimeSpan.FromMilliseconds(300);

    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = MoveCommands.MoveOption();
        var sample = new Option<string?>("--sample")
        {
            Description = $"Which part of the items is read, such as 2% (left out: {DefaultSample})",
            HelpName = "N%",
        };
        var all = new Option<bool>("--all") { Description = "Read every message, contact and event" };
        var last = new Option<bool>("--last") { Description = "Only show what the last comparison found" };
        var wait = new Option<bool>("--wait") { Description = "Wait until all are compared" };
        var command = host.Make(
            "compare",
            "Reads both sides anew and compares them item by item",
            "caravan compare deckhands --sample 5% --wait",
            [batch, move, sample, all, last, wait],
            (p, c, w, cancel) =>
                RunAsync(
                    p.GetValue(batch)!,
                    p.GetValue(move),
                    p.GetValue(all) ? 1 : ShareOf(p.GetValue(sample) ?? DefaultSample)!.Value,
                    p.GetValue(last),
                    p.GetValue(wait),
                    c,
                    w,
                    cancel
                )
        );
        command.Validators.Add(v =>
        {
            if (v.GetValue(all) && v.GetValue(sample) is not null)
                v.AddError("Give --sample or --all, not both.");
            if (v.GetValue(sample) is { } given && ShareOf(given) is null)
                v.AddError($"'{given}' is no part of the items. Give a percentage above 0% and at most 100%, such as 2%.");
        });
        return command;
    }

    private static double? ShareOf(string text) =>
        double.TryParse(text.TrimEnd('%'), NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var percent)
        && percent is > 0 and <= 100
            ? percent / 100
            : null;

    private static async Task<int> RunAsync(
        string batch,
        string[]? who,
        double share,
        bool last,
        bool wait,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var moves = who is { Length: > 0 } ? who : null;
        var path = $"batches/{Uri.EscapeDataString(batch)}/comparison";
        var notNow = 0;
        if (!last)
        {
            var asked = await client.PostAsync<MoveActionResult>(path, new ComparisonRequest(moves, share), cancel);
            writer.Say(
                $"Comparing: {asked.Changed.Count}"
                    + (
                        asked.Unchanged > 0
                            ? $", not now: {asked.Unchanged} (they are not in step yet, or a pass of theirs is under way)"
                            : ""
                    )
            );
            notNow = asked.Unchanged;
            if (!wait)
            {
                if (writer.Form is OutputForm.Json)
                    writer.Json(asked);
                return notNow > 0 ? ExitCode.NeedsYou : ExitCode.Well;
            }
        }
        var found = await client.GetAllOfAsync<ComparisonView>($"{path}?limit=1000", moves, cancel);
        while (wait && found.Exists(f => f.EndedAt is null) && !await IsStoppedAsync(batch, found, client, cancel))
        {
            await Task.Delay(s_look, cancel);
            found = await client.GetAllOfAsync<ComparisonView>($"{path}?limit=1000", moves, cancel);
        }
        writer.Rows(
            found,
            "Nobody was compared yet.",
            [
                new("Name", "name", c => Words.Safe(c.Name)),
                new("Account", "account", c => Words.Safe(c.Account)),
                new(
                    "Part",
                    "share",
                    c =>
                        writer.Form is OutputForm.Csv
                            ? c.Share.ToString(CultureInfo.InvariantCulture)
                            : c.Share.ToString("0.##%", CultureInfo.InvariantCulture),
                    Right: true
                ),
                new("Compared", "compared", c => Number(c.Compared), Right: true),
                new("Size", "octets", c => writer.Form is OutputForm.Csv ? $"{c.Octets}" : Words.Size(c.Octets), Right: true),
                new(
                    "Differ",
                    "differing",
                    c => c.Differing > 0 && writer.Form is OutputForm.Table ? $"[red]{Number(c.Differing)}[/]" : Number(c.Differing),
                    Right: true
                ),
                new("Flags changed", "flags_changed", c => Number(c.FlagsChanged), Right: true),
                new("Arrived since", "arrived", c => Number(c.Arrived), Right: true),
                new("Ended", "ended_at", c => c.EndedAt is { } at
                        ? writer.Form is OutputForm.Csv
                            ? at.ToString("O")
                            : Words.Time(at)
                        : writer.Form is OutputForm.Csv
                            ? ""
                            : "[yellow]not yet[/]"),
            ]
        );
        if (found.Exists(f => f.Differing > 0))
            writer.Say($"See each and decide: caravan differences {Words.Safe(batch)}");
        return notNow > 0 || found.Exists(f => f.Differing > 0 || f.EndedAt is null) ? ExitCode.NeedsYou : ExitCode.Well;

        string Number(long number) => writer.Form is OutputForm.Csv ? $"{number}" : Words.Number(number);
    }

    /// <summary>No move whose comparison is open will continue by itself: somebody is needed.</summary>
    private static async Task<bool> IsStoppedAsync(string batch, List<ComparisonView> found, CaravanClient client, CancellationToken cancel)
    {
        var open = found.Where(f => f.EndedAt is null).Select(f => f.Account).ToHashSet();
        var moves = await client.GetAllAsync<MoveView>($"batches/{Uri.EscapeDataString(batch)}/moves?limit=1000", cancel);
        return moves
            .Where(m => open.Contains(m.Account))
            .All(m => m.Condition is MoveCondition.NeedsYou or MoveCondition.Held or MoveCondition.Idle);
    }
}
