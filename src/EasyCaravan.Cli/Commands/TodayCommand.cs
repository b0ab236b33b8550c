using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan today</c></summary>
internal static class TodayCommand
{
    /// <summary>People named for each cause.</summary>
    private const int MostNamed = 5;

    public static Command Make(CommandHost host)
    {
        var looked = new Option<bool>("--looked") { Description = "Remember that you looked: next time, what happened since is told" };
        return host.Make(
            "today",
            "What happened since you last looked, what needs you, what runs, and what comes next",
            "caravan today --looked",
            [looked],
            async (p, c, w, cancel) =>
            {
                var today = await c.GetAsync<Today>("today", cancel);
                Show(today, w);
                if (p.GetValue(looked))
                    await c.PostAsync<TodayLooked>("today/looked", null, cancel);
                return today.NeedsYou.Count > 0 ? ExitCode.NeedsYou : ExitCode.Well;
            }
        );
    }

    private static void Show(Today today, Writer writer)
    {
        if (writer.Form is not OutputForm.Table)
        {
            writer.Rows(
                today.NeedsYou,
                "",
                [
                    new("", "cause", n => Words.Safe(n.Cause)),
                    new("", "what", n => Words.Safe(n.What)),
                    new("", "count", n => $"{n.Count}"),
                    new("", "remedy", n => Words.Safe(n.Remedy)),
                ],
                today
            );
            return;
        }
        ShowSince(today.Since, writer);
        writer.Line("");
        writer.Line(today.NeedsYou.Count == 0 ? "[green]Nothing needs you.[/]" : "[bold]Needs you[/]");
        foreach (var cause in today.NeedsYou)
        {
            writer.Line($"  [red]![/] {Words.Safe(cause.What)} [grey]({(cause.Count == 1 ? "1 person" : $"{cause.Count} people")})[/]");
            writer.Line($"    {Words.Safe(cause.Remedy)}");
            if (cause.Moves.Count > 0)
                writer.Line($"    [grey]{Words.Safe(Names(cause))}[/]");
        }
        writer.Line("");
        writer.Line(today.Running.Count == 0 ? "Nothing runs now." : $"[bold]Runs now[/]: {today.Running.Count}");
        foreach (var batch in today.Batches)
            writer.Line($"  {Words.Safe(batch.Name)}: {Words.Safe(batch.Doing)}");
        writer.Line("");
        writer.Line(today.Next.Count == 0 ? "Nothing is due by itself." : "[bold]Comes next[/]");
        foreach (var next in today.Next)
            writer.Line($"  {Words.Minute(next.At)}  {Words.Safe(next.Batch)}: {Words.Safe(next.What)} [grey]({next.Moves} moves)[/]");
    }

    private static void ShowSince(SinceView since, Writer writer)
    {
        writer.Line(
            since.Last is { } last
                ? $"[bold]Since you last looked[/], {Words.Minute(last)}:"
                : "[bold]In the last seven days[/] (--looked remembers when you looked):"
        );
        writer.Line(
            $"  {Words.Number(since.Passes)} passes, {Words.Number(since.Carried)} items carried ({Words.Size(since.Octets)}); "
                + $"{Words.Number(since.CameInStep)} came in step; {Words.Number(since.LeftBehind)} items newly left behind; "
                + $"{Words.Number(since.Failed)} passes met a problem."
        );
        foreach (var asked in since.ByPeople)
            writer.Line($"  [grey]{Words.Minute(asked.At)}  {Words.Safe(asked.Who)} {Words.Safe(asked.Text)}{Words.Safe(Where(asked))}[/]");
    }

    private static string Where(AskedByPeople asked) =>
        asked.Batch is null ? ""
        : asked.Account is { } account ? $" ({account}, {asked.Batch})"
        : asked.Moves > 0 ? $" ({asked.Moves} of {asked.Batch})"
        : $" ({asked.Batch})";

    private static string Names(NeedsYou cause) =>
        string.Join(", ", cause.Moves.Take(MostNamed).Select(m => m.Name))
        + (cause.Count > MostNamed ? $" and {cause.Count - MostNamed} more" : "");
}
