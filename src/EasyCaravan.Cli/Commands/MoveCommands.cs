using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan start, catch-up, hold, resume, retry, withdraw</c> and <c>moves</c></summary>
internal static class MoveCommands
{
    /// <summary>Between two looks: at first often, as small passes end at once, later at most a tenth of the time that has passed.</summary>
    private static readonly TimeSpan s_shortestLook = TimeSpan.FromMilliseconds(40), s_longestLook = TimeSpan.FromSeconds(1);

    public static IEnumerable<Command> Make(CommandHost host)
    {
        yield return Act(host, MoveAction.Start, "start", "Starts the first pass of everybody in a batch who has not begun", "caravan start deckhands --wait", mayWait: true);
        yield return Act(host, MoveAction.CatchUp, "catch-up", "Carries what is new since the last pass", "caravan catch-up deckhands --move \"Aoife Marsh\"", mayWait: true);
        yield return Act(host, MoveAction.Hold, "hold", "Stops moves where they are, until they are resumed", "caravan hold deckhands");
        yield return Act(host, MoveAction.Resume, "resume", "Lets held moves go on", "caravan resume deckhands");
        yield return Act(host, MoveAction.Retry, "retry", "Tries again what needs you or waits for its next try", "caravan retry deckhands --move orla.fenwick@saltmarsh.example --wait", mayWait: true);
        yield return Act(host, MoveAction.Withdraw, "withdraw", "Takes people out of the move for good; what was carried stays on the new side", "caravan withdraw deckhands --move \"Orla Fenwick\"");

        var batch = BatchArgument();
        var needsYou = new Option<bool>("--needs-you") { Description = "Only those that need a person" };
        var search = new Option<string?>("--search") { Description = "Only names and accounts that hold this text" };
        yield return host.Make("moves", "Lists the moves of a batch: stage, condition, counts", "caravan moves deckhands --needs-you", [batch, needsYou, search],
            (p, c, w, cancel) => ListAsync(p.GetValue(batch)!, p.GetValue(needsYou), p.GetValue(search), c, w, cancel));
    }

    public static Argument<string> BatchArgument() => new("BATCH") { Description = "A batch of the plan" };

    public static Option<string[]> MoveOption() => new("--move") { Description = "Only these people: account or name", AllowMultipleArgumentsPerToken = true };

    private static Command Act(CommandHost host, MoveAction action, string name, string description, string example, bool mayWait = false)
    {
        var batch = BatchArgument();
        var move = MoveOption();
        var wait = new Option<bool>("--wait") { Description = "Wait until every named move is in step, or needs a person" };
        return host.Make(name, description, example, mayWait ? [batch, move, wait] : [batch, move],
            (p, c, w, cancel) => ActAsync(action, p.GetValue(batch)!, p.GetValue(move), mayWait && p.GetValue(wait), c, w, cancel));
    }

    private static async Task<int> ActAsync(MoveAction action, string batch, string[]? who, bool wait, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var moves = who is { Length: > 0 } ? who : null;
        var result = await client.PostAsync<MoveActionResult>($"batches/{Uri.EscapeDataString(batch)}/actions", new MoveActionRequest(action, moves), cancel);
        if (writer.Form is OutputForm.Table)
            writer.Say($"{Done(action)}: {result.Changed.Count}{(result.Unchanged > 0 ? $", as they were: {result.Unchanged}" : "")}");
        else if (!wait)
            writer.Rows(result.Changed, "", [new Column<string>("Account", "account", Words.Safe)], result);
        return wait ? await WaitAsync(batch, moves, client, writer, cancel) : ExitCode.Well;
    }

    private static string Done(MoveAction action) => action switch
    {
        MoveAction.Survey => "Looking at",
        MoveAction.Start => "Started",
        MoveAction.CatchUp => "Catching up",
        MoveAction.Hold => "Held",
        MoveAction.Resume => "Resumed",
        MoveAction.Retry => "Trying again",
        MoveAction.Withdraw => "Withdrawn",
    };

    private static async Task<int> WaitAsync(string batch, string[]? who, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var named = await AwaitAsync(batch, who, client, cancel);
        Show(named, writer);
        return CodeFor(named);
    }

    /// <summary>Somebody is needed: to mend what stopped a move, to let a held one go on, or to decide.</summary>
    private static int CodeFor(List<MoveView> moves) =>
        moves.Exists(m => m.Condition is MoveCondition.NeedsYou or MoveCondition.Held || m.OpenLeftBehind > 0 || m.Undecided > 0) ? ExitCode.NeedsYou : ExitCode.Well;

    /// <summary>Waits until every named move has nothing more to do by itself now.</summary>
    public static async Task<List<MoveView>> AwaitAsync(string batch, string[]? who, CaravanClient client, CancellationToken cancel)
    {
        var began = System.Diagnostics.Stopwatch.StartNew();
        while (true)
        {
            var all = await client.GetAllAsync<MoveView>($"batches/{Uri.EscapeDataString(batch)}/moves?limit=1000", cancel);
            var named = who is null ? all : [.. all.Where(m => who.Any(w => IsCalled(m, w)))];
            if (named.TrueForAll(IsSettled)) return named;
            await Task.Delay(TimeSpan.FromTicks(Math.Clamp(began.Elapsed.Ticks / 10, s_shortestLook.Ticks, s_longestLook.Ticks)), cancel);
        }
    }

    private static bool IsCalled(MoveView move, string word) =>
        new[] { move.Account, move.ToAccount, move.Name }.Contains(word, StringComparer.OrdinalIgnoreCase);

    private static bool IsSettled(MoveView move) =>
        move.Condition is MoveCondition.NeedsYou or MoveCondition.Held || (move.Condition is MoveCondition.Idle && move.Stage is not MoveStage.Copying);

    private static async Task<int> ListAsync(string batch, bool needsYou, string? search, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var query = $"batches/{Uri.EscapeDataString(batch)}/moves?limit=1000{(needsYou ? "&needsYou=true" : "")}{(search is null ? "" : $"&search={Uri.EscapeDataString(search)}")}";
        var moves = await client.GetAllAsync<MoveView>(query, cancel);
        Show(moves, writer);
        return CodeFor(moves);
    }

    private static string Names(IEnumerable<MoveView> moves)
    {
        const int MostNamed = 5;
        var names = moves.Select(m => m.Name).ToList();
        return names.Count <= MostNamed ? string.Join(", ", names) : $"{string.Join(", ", names.Take(MostNamed))} and {names.Count - MostNamed} more";
    }

    private static void Show(List<MoveView> moves, Writer writer)
    {
        writer.Rows(moves, "Nobody.",
        [
            new("Name", "name", m => Words.Safe(m.Name)),
            new("Account", "account", m => Words.Safe(m.Account)),
            new("Stage", "stage", m => Words.Word(m.Stage)),
            new("Condition", "condition", m => writer.Form is OutputForm.Csv ? Words.Word(m.Condition) : Words.Condition(m.Condition)),
            new("Found", "found", m => Plain(m.Counts.Found), Right: true),
            new("Carried", "carried", m => Plain(m.Counts.Carried), Right: true),
            new("Paired", "paired", m => Plain(m.Counts.Paired), Right: true),
            new("Excluded", "excluded", m => Plain(m.Counts.Excluded), Right: true),
            new("Left", "left_behind", m => m.OpenLeftBehind > 0 && writer.Form is OutputForm.Table ? $"[red]{Plain(m.Counts.LeftBehind)}[/]" : Plain(m.Counts.LeftBehind), Right: true),
            new("Differ", "undecided", m => m.Undecided > 0 && writer.Form is OutputForm.Table ? $"[red]{Plain(m.Undecided)}[/]" : Plain(m.Undecided), Right: true),
            new("Size", "octets", m => writer.Form is OutputForm.Csv ? $"{m.Octets}" : Words.Size(m.Octets), Right: true),
        ]);
        if (writer.Form is not OutputForm.Table) return;
        // A cause that many meet is told once, with its people.
        foreach (var same in moves.Where(m => m.Problem is not null).GroupBy(m => (m.Problem!.What, m.Problem.Remedy)).OrderByDescending(g => g.Count()))
            writer.Say($"[red]![/] {Words.Safe(Names(same))}: {Words.Safe(same.Key.What)}.\n  {Words.Safe(same.Key.Remedy)}.");
        if (moves.Sum(m => m.OpenLeftBehind) is > 0 and var left) writer.Say($"[red]![/] {Words.Number(left)} message(s) were left behind. See: caravan left-behind {Words.Safe(moves[0].Batch)}");
        if (moves.Sum(m => m.Undecided) is > 0 and var undecided) writer.Say($"[red]![/] {Words.Number(undecided)} message(s) differ between the sides. See: caravan differences {Words.Safe(moves[0].Batch)}");

        string Plain(long number) => writer.Form is OutputForm.Csv ? $"{number}" : Words.Number(number);
    }
}
