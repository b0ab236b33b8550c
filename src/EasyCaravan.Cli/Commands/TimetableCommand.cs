using System.CommandLine;
using System.Globalization;
using System.Text;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan timetable</c></summary>
internal static class TimetableCommand
{
    private static readonly TimeSpan s_cell = TimeSpan.FromMinutes(30);

    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var past = new Option<int>("--past") { Description = "Days before today, 0 to 400", DefaultValueFactory = _ => 3 };
        var ahead = new Option<int>("--ahead") { Description = "Days from today on, 1 to 400", DefaultValueFactory = _ => 14 };
        return host.Make(
            "timetable",
            "When a batch may run, ran, and will run, day by day",
            "caravan timetable deckhands --ahead 28",
            [batch, past, ahead],
            async (p, c, w, cancel) =>
            {
                var view = await c.GetAsync<TimetableView>(
                    $"batches/{Uri.EscapeDataString(p.GetValue(batch)!)}/timetable?past={p.GetValue(past)}&ahead={p.GetValue(ahead)}",
                    cancel
                );
                Show(view, w);
                return ExitCode.Well;
            }
        );
    }

    private sealed record Line(string What, DateTimeOffset From, DateTimeOffset? Until, string Detail);

    private static void Show(TimetableView view, Writer writer)
    {
        if (writer.Form is OutputForm.Json)
        {
            writer.Json(view);
            return;
        }
        if (writer.Form is OutputForm.Csv)
        {
            writer.Rows(
                LinesOf(view),
                "",
                [
                    new("", "what", l => l.What),
                    new("", "from", l => l.From.ToString("O", CultureInfo.InvariantCulture)),
                    new("", "until", l => l.Until?.ToString("O", CultureInfo.InvariantCulture) ?? ""),
                    new("", "detail", l => Words.Safe(l.Detail)),
                ]
            );
            return;
        }
        writer.Line($"[bold]{Words.Safe(view.Words ?? "No timetable: it runs at all hours")}[/], priority {view.Priority}");
        writer.Line(NowOf(view));
        writer.Line($"{"", -11}{string.Concat(Enumerable.Range(0, 8).Select(i => $"{i * 3:00}    "))}24   {Words.Safe(view.Zone)}");
        foreach (var day in view.Days)
            writer.Line($"{day.Day.ToString("ddd d MMM", CultureInfo.InvariantCulture), -10} {CellsOf(day, view)}{EventsOf(day, view)}");
        writer.Line(
            "[grey]·[/] open  [green]█[/] ran  [blue]▒[/] first passes foreseen  [blue]o[/] catch-ups due  [yellow]x[/] paused  "
                + "[red]┃[/] now"
        );
    }

    private static string NowOf(TimetableView view) =>
        view.OpensNext is { } opens
            ? $"Shut now{(view.PausedBecause is { } why ? $" ({Words.Safe(why)})" : "")}; opens {Words.Minute(opens)}."
        : view.PausedBecause is { } because ? $"Shut now ({Words.Safe(because)}); it does not open again."
        : view.ClosesNext is { } closes ? $"Open now; closes {Words.Minute(closes)}."
        : "Open now.";

    private static string CellsOf(CalendarDay day, TimetableView view)
    {
        var cells = new StringBuilder();
        for (var at = day.From; at < day.Until; at += s_cell)
        {
            var until = at + s_cell;
            bool In(IEnumerable<Stretch> stretches) => stretches.Any(s => s.From < until && s.Until >= at);
            cells.Append(
                view.Now >= at && view.Now < until ? "[red]┃[/]"
                : In(view.Ran) ? "[green]█[/]"
                : view.Pauses.Any(p => p.From < until && p.Until > at) ? "[yellow]x[/]"
                : In(view.WillRun) ? "[blue]▒[/]"
                : view.Due.Any(d => d.At >= at - s_cell && d.At < until) ? "[blue]o[/]"
                : view.Open.Any(o => o.From < until && o.Until > at) ? "[grey]·[/]"
                : " "
            );
        }
        return cells.ToString();
    }

    private static string EventsOf(CalendarDay day, TimetableView view)
    {
        var events = new List<string>();
        bool IsOn(DateTimeOffset? at) => at >= day.From && at < day.Until;
        if (IsOn(view.Start))
            events.Add("starts");
        if (IsOn(view.Cutover))
            events.Add("cutover");
        if (view.ForwardingUntil == day.Day)
            events.Add("forwarding ends");
        events.AddRange(view.Pauses.Where(p => p.From < day.Until && p.Until > day.From).Select(p => p.Why).OfType<string>().Distinct());
        return events.Count == 0 ? "" : $"  {Words.Safe(string.Join(", ", events))}";
    }

    private static List<Line> LinesOf(TimetableView view) =>
        [
            .. view
                .Open.Select(s => new Line("open", s.From, s.Until, ""))
                .Concat(view.Pauses.Select(p => new Line("pause", p.From, p.Until, p.Why ?? "")))
                .Concat(view.Ran.Select(s => new Line("ran", s.From, s.Until, "")))
                .Concat(view.WillRun.Select(s => new Line("will-run", s.From, s.Until, "")))
                .Concat(view.Due.Select(d => new Line("due", d.At, null, $"{d.Moves} moves")))
                .OrderBy(l => l.From),
        ];
}
