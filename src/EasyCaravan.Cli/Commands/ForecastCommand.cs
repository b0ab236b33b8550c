using System.CommandLine;
using System.Globalization;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan forecast</c></summary>
internal static class ForecastCommand
{
    /// <summary>Days of the line that are shown.</summary>
    private const int MostDays = 21;

    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var whatIf = new Option<string[]>("--what-if")
        {
            Description =
                "Also tell what a change would do: windows=all, pauses=none, windows=\"mon-fri 18:00-08:00\", connections.SERVICE=NUMBER, "
                + "at-once=NUMBER or people=NUMBER",
        };
        var moves = new Option<bool>("--moves") { Description = "Person by person" };
        return host.Make(
            "forecast",
            "When a batch will be in step, what holds it back, and what a change would do",
            "caravan forecast deckhands --what-if windows=all --what-if connections.northquay=40",
            [batch, whatIf, moves],
            (p, c, w, cancel) => RunAsync(p.GetValue(batch)!, p.GetValue(whatIf) ?? [], p.GetValue(moves), c, w, cancel)
        );
    }

    private static async Task<int> RunAsync(
        string batch,
        string[] whatIf,
        bool byMove,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var changes = string.Concat(whatIf.Select(w => $"&whatIf={Uri.EscapeDataString(w)}"));
        var (forecast, moves) = await CaravanClient.ReadAllAsync(
            $"batches/{Uri.EscapeDataString(batch)}/forecast?limit=1000{changes}",
            p => client.GetAsync<ForecastView>(p, cancel),
            f => f.Moves
        );
        forecast = forecast with { Moves = new Page<MoveForecastView>(moves, null, moves.Count) };
        if (writer.Form is OutputForm.Json)
            writer.Json(forecast);
        else if (byMove || writer.Form is OutputForm.Csv)
            ShowMoves(moves, writer);
        if (writer.Form is OutputForm.Table)
            Show(forecast, writer);
        return ExitCode.Well;
    }

    private static void ShowMoves(IReadOnlyList<MoveForecastView> moves, Writer writer)
    {
        string Time(DateTimeOffset? at) =>
            writer.Form is OutputForm.Csv ? at?.ToString("O", CultureInfo.InvariantCulture) ?? ""
            : at is { } known ? Words.Minute(known)
            : "not within half a year";
        writer.Rows(
            moves,
            "Nobody is left to copy.",
            [
                new("Name", "name", m => Words.Safe(m.Name)),
                new("Account", "account", m => Words.Safe(m.Account)),
                new("Begins", "begins", m => Time(m.Begins)),
                new("In step, earliest", "in_step_earliest", m => Time(m.InStepEarliest)),
                new("In step, latest", "in_step_latest", m => Time(m.InStepLatest)),
            ]
        );
    }

    private static void Show(ForecastView forecast, Writer writer)
    {
        writer.Line($"[bold]{Words.Safe(forecast.Sentence)}[/]");
        if (forecast.Obstacles.Count > 0)
            writer.Line($"Until then: {string.Join(", ", forecast.Obstacles.Select(o => $"{Where(o)} {o.Share:0 %}"))} of the time.");
        ShowDays(forecast, writer);
        foreach (var change in forecast.WhatIf)
            writer.Line($"  with [bold]{Words.Safe(change.Change)}[/]: {Words.Safe(Effect(change))}");
        writer.Line(
            forecast.Measured > 0
                ? $"[grey]Rates measured on {forecast.Measured} first passes of this route.[/]"
                : "[grey]Rates are assumed until first passes were measured.[/]"
        );
        if (forecast.NotStarted > 0)
            writer.Line($"[grey]{People(forecast.NotStarted)} not started yet: foreseen to start with the timetable, or now.[/]");
        if (forecast.Assumed > 0)
            writer.Line(
                $"[yellow]{People(forecast.Assumed)} not surveyed: taken to be like the others.[/] "
                    + $"Look with: caravan survey {Words.Safe(forecast.Batch)}"
            );
        if (forecast.Apart > 0)
            writer.Line(
                $"[yellow]{People(forecast.Apart)} not in it: held, or in need of somebody.[/] "
                    + $"See: caravan moves {Words.Safe(forecast.Batch)} --needs-you"
            );
    }

    private static string People(int count) => count == 1 ? "1 person is" : $"{Words.Number(count)} people are";

    private static string Where(ObstacleShare obstacle) =>
        obstacle.On switch
        {
            ObstacleWord.Shut => "no window open",
            ObstacleWord.Workers => "all moves that run at a time in use",
            ObstacleWord.Service => $"all connections of {Words.Safe(obstacle.Service)} in use",
            ObstacleWord.DayLimit => "a day's limit used up",
            ObstacleWord.Work => "only the last mailboxes running",
        };

    private static string Effect(WhatIfView change) =>
        change.InStepLatest is not { } latest ? "not in step within half a year"
        : change.Earlier is > 300 and var earlier ? $"in step by {Words.Minute(latest)}, {Words.Span(earlier)} earlier"
        : change.Earlier is < -300 and var later ? $"in step by {Words.Minute(latest)}, {Words.Span(-later)} later"
        : $"in step by {Words.Minute(latest)}, no change";

    /// <summary>How many people are in step at the end of each day, as a bar: full for the slow course, light for the fast one.</summary>
    private static void ShowDays(ForecastView forecast, Writer writer)
    {
        const int Width = 40;
        var total = Math.Max(1, forecast.Days.Count == 0 ? 1 : forecast.Days.Max(d => d.Most));
        foreach (var day in forecast.Days.Take(MostDays))
        {
            var (fewest, most) = (day.Fewest * Width / total, day.Most * Width / total);
            writer.Line(
                $"  {day.Day.ToString("ddd d MMM", CultureInfo.InvariantCulture), -10} "
                    + $"[green]{new string('█', fewest)}[/][grey]{new string('▒', Math.Max(0, most - fewest))}[/]"
                    + $"{new string(' ', Math.Max(0, Width - Math.Max(most, fewest)))} "
                    + $"{(day.Fewest == day.Most ? $"{day.Fewest}" : $"{day.Fewest} to {day.Most}")} in step"
            );
        }
        if (forecast.Days.Count > MostDays)
            writer.Line($"  [grey]… until {forecast.Days[^1].Day.ToString("ddd d MMM yyyy", CultureInfo.InvariantCulture)}[/]");
    }
}
