using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan start, catch-up, hold, resume, retry, withdraw</c> and <c>moves</c></summary>
internal static class MoveCommands
{
    /// <summary>
    /// The pause between two reads: short at first, because small passes end at once; later a tenth of the time that has passed.
    /// </summary>
    private static readonly TimeSpan s_shortestLook = TimeSpan.FromMilliseconds(40),
        s_longestLook = TimeSpan.FromSeconds(1);

    public static IEnumerable<Command> Make(CommandHost host)
    {
        yield return Act(
            host,
            MoveAction.Start,
            "start",
            "Starts the first pass of everybody in a batch who has not begun",
            "caravan start deckhands --wait",
            mayWait: true
        );
        yield return Act(
            host,
            MoveAction.CatchUp,
            "catch-up",
            "Carries what is new since the last pass",
            "caravan catch-up deckhands --move \"Aoife Marsh\"",
            mayWait: true,
            isWide: true
        );
        yield return Act(
            host,
            MoveAction.Hold,
            "hold",
            "Stops moves where they are, until they are resumed",
            "caravan hold --on lanternpost",
            isWide: true
        );
        yield return Act(host, MoveAction.Resume, "resume", "Lets held moves go on", "caravan resume --everything", isWide: true);
        yield return Act(
            host,
            MoveAction.Retry,
            "retry",
            "Tries again what needs you or waits for its next try",
            "caravan retry deckhands --move orla.fenwick@saltmarsh.example --wait",
            mayWait: true,
            isWide: true
        );
        yield return Act(
            host,
            MoveAction.Withdraw,
            "withdraw",
            "Takes people out of the move for good; what was carried stays on the new side",
            "caravan withdraw deckhands --move \"Orla Fenwick\""
        );

        var batch = BatchArgument();
        var needsYou = new Option<bool>("--needs-you") { Description = "Only those that need a person" };
        var search = new Option<string?>("--search") { Description = "Only names and accounts that hold this text" };
        yield return host.Make(
            "moves",
            "Lists the moves of a batch: stage, condition, counts",
            "caravan moves deckhands --needs-you",
            [batch, needsYou, search],
            (p, c, w, cancel) => ListAsync(p.GetValue(batch)!, p.GetValue(needsYou), p.GetValue(search), c, w, cancel)
        );
    }

    public static Argument<string> BatchArgument() => new("BATCH") { Description = "A batch of the plan" };

    public static Option<string[]> MoveOption() =>
        new("--move") { Description = "Only these people: account or name", AllowMultipleArgumentsPerToken = true };

    private static Command Act(
        CommandHost host,
        MoveAction action,
        string name,
        string description,
        string example,
        bool mayWait = false,
        bool isWide = false
    )
    {
        var batch = isWide ? OptionalBatch() : BatchArgument();
        var move = MoveOption();
        var wait = new Option<bool>("--wait") { Description = "Wait until every named move is in step, or needs a person" };
        var on = new Option<string?>("--on") { Description = "In place of a batch: all batches over this service" };
        var everything = new Option<bool>("--everything") { Description = "In place of a batch: all batches" };
        List<Symbol> symbols = [batch, move];
        if (mayWait)
            symbols.Add(wait);
        if (isWide)
            symbols.AddRange([on, everything]);
        var command = host.Make(name, description, example, symbols, (p, c, w, cancel) =>
            p.GetValue(batch) is { } one
                ? ActAsync(action, one, p.GetValue(move), mayWait && p.GetValue(wait), c, w, cancel)
                : ActWideAsync(new WideActionRequest(action, p.GetValue(on)), c, w, cancel)
        );
        if (isWide)
            command.Validators.Add(v =>
            {
                var isOne = v.GetValue(batch) is not null;
                if ((isOne ? 1 : 0) + (v.GetValue(on) is null ? 0 : 1) + (v.GetValue(everything) ? 1 : 0) != 1)
                    v.AddError("Give a batch, --on SERVICE or --everything.");
                else if (!isOne && (v.GetValue(move) is { Length: > 0 } || (mayWait && v.GetValue(wait))))
                    v.AddError("--move and --wait go with a batch.");
            });
        return command;
    }

    private static Argument<string> OptionalBatch() =>
        new("BATCH") { Description = "A batch of the plan", Arity = ArgumentArity.ZeroOrOne };

    private static async Task<int> ActWideAsync(WideActionRequest request, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var result = await client.PostAsync<WideActionResult>("actions", request, cancel);
        writer.Rows(
            [.. result.Batches.Select(b => $"{b.Key}: {b.Value}")],
            $"{Done(request.Action)}: nobody; all were as asked already.",
            [new Column<string>(Done(request.Action), "changed", Words.Safe)],
            result
        );
        return ExitCode.Well;
    }

    private static async Task<int> ActAsync(
        MoveAction action,
        string batch,
        string[]? who,
        bool wait,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var moves = who is { Length: > 0 } ? who : null;
        var result = await client.PostAsync<MoveActionResult>(
            $"batches/{Uri.EscapeDataString(batch)}/actions",
            new MoveActionRequest(action, moves),
            cancel
        );
        if (writer.Form is OutputForm.Table)
            writer.Say($"{Done(action)}: {result.Changed.Count}{(result.Unchanged > 0 ? $", as they were: {result.Unchanged}" : "")}");
        else if (!wait)
            writer.Rows(result.Changed, "", [new Column<string>("Account", "account", Words.Safe)], result);
        return wait ? await WaitAsync(batch, moves, client, writer, cancel) : ExitCode.Well;
    }

    private static string Done(MoveAction action) =>
        action switch
        {
            MoveAction.Survey => "Looking at",
            MoveAction.Start => "Started",
            MoveAction.CatchUp => "Catching up",
            MoveAction.Hold => "Held",
            MoveAction.Resume => "Resumed",
            MoveAction.Retry => "Trying again",
            MoveAction.Withdraw => "Withdrawn",
        };

    /// <summary>Waits until every named move has nothing more to do by itself, and shows how they stand.</summary>
    public static async Task<int> WaitAsync(string batch, string[]? who, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var named = await AwaitAsync(batch, who, client, cancel);
        Show(named, writer);
        return CodeFor(named);
    }

    /// <summary>Somebody is needed: to mend what stopped a move, to let a held one go on, or to decide.</summary>
    private static int CodeFor(List<MoveView> moves) =>
        moves.Exists(m =>
            m.Condition is MoveCondition.NeedsYou or MoveCondition.Held
            || (m.OpenLeftBehind > 0 && !m.LeftBehindTolerated)
            || m.Undecided > 0
        )
            ? ExitCode.NeedsYou
            : ExitCode.Well;

    /// <summary>Waits until every named move has nothing more to do by itself now.</summary>
    /// <param name="forWindows">Also for those that wait for their window to open.</param>
    public static async Task<List<MoveView>> AwaitAsync(
        string batch,
        string[]? who,
        CaravanClient client,
        CancellationToken cancel,
        bool forWindows = true
    )
    {
        var began = System.Diagnostics.Stopwatch.StartNew();
        while (true)
        {
            var all = await client.GetAllAsync<MoveView>($"batches/{Uri.EscapeDataString(batch)}/moves?limit=1000", cancel);
            var named = who is null ? all : [.. all.Where(m => who.Any(w => IsCalled(m, w)))];
            if (named.TrueForAll(m => IsSettled(m) || (!forWindows && m is { Condition: MoveCondition.Waiting, Problem: null })))
                return named;
            await Task.Delay(TimeSpan.FromTicks(Math.Clamp(began.Elapsed.Ticks / 10, s_shortestLook.Ticks, s_longestLook.Ticks)), cancel);
        }
    }

    private static bool IsCalled(MoveView move, string word) =>
        new[] { move.Account, move.ToAccount, move.Name }.Contains(word, StringComparer.OrdinalIgnoreCase);

    private static bool IsSettled(MoveView move) =>
        move.Condition is MoveCondition.NeedsYou or MoveCondition.Held
        || (move.Condition is MoveCondition.Idle && move.Stage is not MoveStage.Copying);

    private static async Task<int> ListAsync(
        string batch,
        bool needsYou,
        string? search,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var query =
            $"batches/{Uri.EscapeDataString(batch)}/moves?limit=1000{(needsYou ? "&needsYou=true" : "")}"
            + $"{(search is null ? "" : $"&search={Uri.EscapeDataString(search)}")}";
        var moves = await client.GetAllAsync<MoveView>(query, cancel);
        Show(moves, writer);
        return CodeFor(moves);
    }

    private static string Names(IEnumerable<MoveView> moves)
    {
        const int MostNamed = 5;
        var names = moves.Select(m => m.Name).ToList();
        return names.Count <= MostNamed
            ? string.Join(", ", names)
            : $"{string.Join(", ", names.Take(MostNamed))} and {names.Count - MostNamed} more";
    }

    /// <summary>A move, or one of its kinds where it has several.</summary>
    private sealed record Line(MoveView Move, LegView? Leg)
    {
        public Counts Counts => Leg?.Counts ?? Move.Counts;

        public long OpenLeftBehind => Leg?.OpenLeftBehind ?? Move.OpenLeftBehind;

        public long Undecided => Leg?.Undecided ?? Move.Undecided;

        public long Octets => Leg?.Octets ?? Move.Octets;
    }

    private static void Show(List<MoveView> moves, Writer writer)
    {
        var isCsv = writer.Form is OutputForm.Csv;
        var lines = moves
            .SelectMany(m => m.Legs.Count > 1 ? m.Legs.Select(l => new Line(m, l)).Prepend(new Line(m, null)) : [new Line(m, null)])
            .ToList();
        var columns = new List<Column<Line>>
        {
            new("Name", "name", l => l.Leg is { } leg && !isCsv ? $"  [grey]{Words.Word(leg.Kind)}[/]" : Words.Safe(l.Move.Name)),
            new("Account", "account", l => l.Leg is null || isCsv ? Words.Safe(l.Move.Account) : ""),
            new("Stage", "stage", l => Words.Word(l.Leg?.Stage ?? l.Move.Stage)),
            new("Condition", "condition", l => Condition(l, isCsv)),
            new("Found", "found", l => Plain(l.Counts.Found), Right: true),
            new("Carried", "carried", l => Plain(l.Counts.Carried), Right: true),
            new("Paired", "paired", l => Plain(l.Counts.Paired), Right: true),
            new("Excluded", "excluded", l => Plain(l.Counts.Excluded), Right: true),
            new("Left", "left_behind", l => Alarming(l.Counts.LeftBehind, l.OpenLeftBehind), Right: true),
            new("Differ", "undecided", l => Alarming(l.Undecided, l.Undecided), Right: true),
            new("Size", "octets", l => isCsv ? $"{l.Octets}" : Words.Size(l.Octets), Right: true),
        };
        // A row for each kind, and one for all of them together.
        if (isCsv && lines.Exists(l => l.Leg is not null))
            columns.Add(new("", "kind", l => l.Leg is { } leg ? Words.Word(leg.Kind) : "all"));
        writer.Rows(lines, "Nobody.", columns, moves);
        if (writer.Form is OutputForm.Table)
            Conclude(moves, writer);

        string Plain(long number) => isCsv ? $"{number}" : Words.Number(number);
        string Alarming(long number, long open) => open > 0 && !isCsv ? $"[red]{Plain(number)}[/]" : Plain(number);
    }

    private static string Condition(Line line, bool isCsv)
    {
        if (line.Leg is not { } leg)
            return isCsv ? Words.Word(line.Move.Condition) : Words.Condition(line.Move.Condition);
        return leg.NeedsYou
            ? isCsv
                ? "needs-you"
                : "[red]needs you[/]"
            : leg.Problem is not null
                ? "waiting"
                : "";
    }

    private static void Conclude(List<MoveView> moves, Writer writer)
    {
        // A cause that several people have is shown once, with their names.
        foreach (
            var same in moves
                .SelectMany(ProblemsOf)
                .GroupBy(p => (p.Kinds, p.Problem.What, p.Problem.Remedy))
                .OrderByDescending(g => g.Count())
        )
        {
            var what = same.Key.Kinds.Length > 0 ? $"{same.Key.Kinds}: {same.Key.What}" : same.Key.What;
            writer.Say($"[red]![/] {Words.Safe(Names(same.Select(p => p.Move)))}: {Words.Safe(what)}.\n  {Words.Safe(same.Key.Remedy)}.");
        }
        var batch = moves.Count > 0 ? Words.Safe(moves[0].Batch) : "";
        if (moves.Sum(m => m.OpenLeftBehind) is > 0 and var left)
            writer.Say($"[red]![/] {Words.Number(left)} item(s) were left behind. See: caravan left-behind {batch}");
        if (moves.Sum(m => m.Undecided) is > 0 and var undecided)
            writer.Say($"[red]![/] {Words.Number(undecided)} item(s) differ between the sides. See: caravan differences {batch}");
    }

    /// <summary>What is wrong with a move. Kinds that meet the same cause are told together, in the words of the last.</summary>
    private static IEnumerable<(MoveView Move, string Kinds, Problem Problem)> ProblemsOf(MoveView move)
    {
        var own = move.Legs.Where(l => l.Problem is not null).ToList();
        if (move.Legs.Count < 2 || own.Count == 0)
            return move.Problem is { } problem ? [(move, "", problem)] : [];
        return own.GroupBy(l => (l.Problem!.Cause, l.Problem.Remedy))
            .Select(same => (move, string.Join(", ", same.Select(l => Words.Word(l.Kind))), same.Last().Problem!));
    }
}
