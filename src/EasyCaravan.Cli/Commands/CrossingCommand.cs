using System.CommandLine;
using System.Globalization;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan crossing</c></summary>
internal static class CrossingCommand
{
    private static readonly TimeSpan s_look = TimeSpan.FromMilliseconds(300);

    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = MoveCommands.MoveOption();
        Option<bool> Flag(string name, string what) => new(name) { Description = what };
        var asks = new Dictionary<Option<bool>, CrossingAsk>
        {
            [Flag("--check", "A rehearsal: look at the gates and say what would be done. Changes nothing")] = CrossingAsk.Check,
            [Flag("--go", "Cross. Without --move the whole batch does, in the waves of its plan")] = CrossingAsk.Go,
            [Flag("--stop", "Begin no further wave; who crosses now goes on")] = CrossingAsk.Stop,
            [Flag("--undo", "Put back what was there before the crossing")] = CrossingAsk.Undo,
            [Flag("--finish", "Be done: forwarding as the timetable says, credentials forgotten")] = CrossingAsk.Finish,
            [Flag("--confirmed", "Say that the new address was confirmed at the old service")] = CrossingAsk.Confirmed,
            [Flag("--forward-again", "Switch forwarding on again, although somebody changed it")] = CrossingAsk.ForwardAgain,
        };
        var accept = new Option<GateWord?>("--accept")
        {
            Description = "Say that an amber gate is well all the same; with --because",
            HelpName = string.Join("|", Enum.GetValues<GateWord>().Select(Words.Word)),
            CustomParser = given =>
            {
                var word = given.Tokens[0].Value;
                foreach (var gate in Enum.GetValues<GateWord>())
                    if (Words.Word(gate).Equals(word, StringComparison.OrdinalIgnoreCase))
                        return gate;
                given.AddError(
                    $"There is no gate '{word}'. The gates are {string.Join(", ", Enum.GetValues<GateWord>().Select(Words.Word))}."
                );
                return null;
            },
        };
        var because = new Option<string?>("--because") { Description = "Why, for the journal" };
        var forwarding = new Option<string?>("--forwarding-is")
        {
            Description = "Say that forwarding was set, or switched off, by hand",
            HelpName = "on|off",
        };
        forwarding.AcceptOnlyFromAmong("on", "off");
        var wait = Flag("--wait", "Wait until each has crossed, is undone, or needs somebody");
        var command = host.Make(
            "crossing",
            "The cutover: gates, forwarding, probe, closing pass, comparison. Without an option, how it stands",
            "caravan crossing deckhands --check --move \"Orla Fenwick\"",
            [batch, move, .. asks.Keys, accept, because, forwarding, wait],
            async (p, c, w, cancel) =>
            {
                var ask = asks.Where(a => p.GetValue(a.Key)).Select(a => (CrossingAsk?)a.Value).FirstOrDefault();
                if (p.GetValue(accept) is not null)
                    ask = CrossingAsk.Accept;
                if (p.GetValue(forwarding) is { } is_)
                    ask = is_ == "on" ? CrossingAsk.ForwardingOn : CrossingAsk.ForwardingOff;
                var who = p.GetValue(move) is { Length: > 0 } names ? names : null;
                var path = $"batches/{Uri.EscapeDataString(p.GetValue(batch)!)}/crossing";
                var since = DateTimeOffset.UtcNow;
                if (ask is { } asked)
                {
                    var before = await LoadAsync(path, who, c, cancel);
                    since = before.Select(v => v.LookedAt ?? DateTimeOffset.MinValue).DefaultIfEmpty().Max();
                    await AskAsync(path, asked, who, p.GetValue(accept), p.GetValue(because), c, w, cancel);
                }
                if (ask is CrossingAsk.Check || (ask is not null && p.GetValue(wait)))
                    await UntilStillAsync(path, who, ask is CrossingAsk.Check ? since : null, c, cancel);
                return who is [var one] ? await ShowOneAsync(path, one, c, w, cancel) : await ShowAllAsync(path, who, c, w, cancel);
            }
        );
        command.Validators.Add(v =>
        {
            var given = asks.Keys.Count(o => v.GetValue(o));
            given += (v.GetValue(accept) is null ? 0 : 1) + (v.GetValue(forwarding) is null ? 0 : 1);
            if (given > 1)
                v.AddError("Give one thing to be done at a time.");
            if (v.GetValue(accept) is not null && string.IsNullOrWhiteSpace(v.GetValue(because)))
                v.AddError("To accept a gate, say why: --because \"They were told in person\".");
        });
        return command;
    }

    private static async Task AskAsync(
        string path,
        CrossingAsk ask,
        string[]? who,
        GateWord? gate,
        string? because,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var result = await client.PostAsync<MoveActionResult>(path, new CrossingRequest(ask, who, gate, because), cancel);
        if (ask is CrossingAsk.Stop)
            writer.Say("No further wave begins. Who crosses now goes on.");
        else
            writer.Say(
                $"{WordsOf(ask)}: {result.Changed.Count}"
                    + (result.Unchanged > 0 ? $", unchanged: {result.Unchanged} (it is so already, or cannot be now)" : "")
            );
    }

    private static string WordsOf(CrossingAsk ask) =>
        ask switch
        {
            CrossingAsk.Check => "Looking at gates",
            CrossingAsk.Go => "Crossing",
            CrossingAsk.Stop => "Stopped",
            CrossingAsk.Undo => "Going back",
            CrossingAsk.Finish => "Being finished",
            CrossingAsk.Accept => "Accepted",
            CrossingAsk.ForwardingOn or CrossingAsk.ForwardingOff or CrossingAsk.Confirmed => "Noted",
            CrossingAsk.ForwardAgain => "Asked for",
        };

    private static Task<List<CrossingView>> LoadAsync(string path, string[]? who, CaravanClient client, CancellationToken cancel) =>
        client.GetAllOfAsync<CrossingView>($"{path}/moves?limit=1000", who, cancel);

    /// <summary>Nobody is on the way any more.</summary>
    /// <param name="lookedAfter">Of a rehearsal: gates that were looked at before do not count.</param>
    private static async Task UntilStillAsync(
        string path,
        string[]? who,
        DateTimeOffset? lookedAfter,
        CaravanClient client,
        CancellationToken cancel
    )
    {
        while (true)
        {
            var views = await LoadAsync(path, who, client, cancel);
            var waves = await client.GetAsync<BatchCrossingView>(path, cancel);
            if ((who is not null || waves.State is not WavesWord.Running) && views.TrueForAll(v => !IsMoving(v, lookedAfter)))
                return;
            await Task.Delay(s_look, cancel);
        }
    }

    private static bool IsMoving(CrossingView view, DateTimeOffset? lookedAfter) =>
        view.Condition is not (MoveCondition.NeedsYou or MoveCondition.Held)
        && view.Goal is not null
        && (
            view.Goal is CrossingGoalWord.Check ? view.NextAt is not null && !(view.LookedAt > lookedAfter)
            : view.Goal is CrossingGoalWord.Cross ? view.Step is not CrossingStepWord.Settle
            : view.NextAt is not null
        );

    private static async Task<int> ShowAllAsync(string path, string[]? who, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var views = await LoadAsync(path, who, client, cancel);
        var batch = await client.GetAsync<BatchCrossingView>(path, cancel);
        if (writer.Form is OutputForm.Table)
            Explain(batch, writer);
        writer.Rows(
            views,
            "Nobody is in this batch.",
            [
                new("Name", "name", v => Words.Safe(v.Name)),
                new("Account", "account", v => Words.Safe(v.Account)),
                new("Step", "step", v => v.Step is { } step ? StepWords(v, step, writer) : ""),
                new("Gates", "gates", v => GatesOf(v, writer)),
                new("Probe", "probe", v => ProbesOf(v, writer)),
                new("Wave", "wave", v => v.Wave?.ToString(CultureInfo.InvariantCulture) ?? "", Right: true),
                new("Condition", "condition", v => writer.Form is OutputForm.Csv ? Words.Word(v.Condition) : Words.Condition(v.Condition)),
                new("What is wrong", "what", v => Words.Safe(v.What)),
            ]
        );
        if (writer.Form is OutputForm.Table && views.Exists(v => v.Remedy is not null))
            foreach (var group in views.Where(v => v.Remedy is not null).GroupBy(v => v.Remedy).Take(5))
                writer.Say($"{Words.Safe(string.Join(", ", group.Take(3).Select(v => v.Account)))}: {Words.Safe(group.Key)}.");
        return views.Exists(v => v.Condition is MoveCondition.NeedsYou) ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static void Explain(BatchCrossingView batch, Writer writer)
    {
        var waves = batch.WaveSize is { } size
            ? $"in waves of {size}, which stop by themselves above {batch.StopAt:0.#%} gone wrong"
            : "all at once";
        writer.Line(
            batch.State switch
            {
                WavesWord.NotAsked => batch.CutoverAt is { } at
                    ? $"Crosses {waves}, by itself on {Words.Minute(at)}."
                    : $"Crosses {waves}, when you ask for it.",
                WavesWord.Running => $"Crossing {waves}.",
                WavesWord.Stopped => $"[red]Stopped: {Words.Safe(batch.Because)}.[/] Begin the next wave with --go.",
                WavesWord.Ended => "The waves are over: whoever could cross has crossed, or went back.",
            }
        );
        foreach (var wave in batch.Waves)
            writer.Line(
                $"Wave {wave.Wave}: {wave.People} people, {wave.Crossed} crossed"
                    + (wave.Stopped > 0 ? $", [red]{wave.Stopped} need somebody[/]" : "")
            );
        if (batch.NotLooked > 0)
            writer.Line($"Gates of {batch.NotLooked} people were not looked at yet: use --check.");
    }

    private static string StepWords(CrossingView view, CrossingStepWord step, Writer writer) =>
        writer.Form is OutputForm.Csv ? Words.Word(step)
        : view.Stage is MoveStage.Done ? "done"
        : (view.Goal, step) switch
        {
            (CrossingGoalWord.Undo, CrossingStepWord.Gates) => "undone",
            (_, CrossingStepWord.Gates) => "gates",
            (_, CrossingStepWord.Forward) => "forwarding",
            (_, CrossingStepWord.Confirm) => "confirmation",
            (_, CrossingStepWord.Probe) => "probe",
            (_, CrossingStepWord.Close) => "closing pass",
            (_, CrossingStepWord.Compare) => "comparison",
            (_, CrossingStepWord.Settle) => "crossed, settling",
            (_, CrossingStepWord.Undo) => "going back",
            (_, CrossingStepWord.End) => "being finished",
        };

    private static string GatesOf(CrossingView view, Writer writer)
    {
        if (view.Gates.Count == 0)
            return "";
        var shut = view
            .Gates.Where(g => g.Colour is GateColourWord.Red || g is { Colour: GateColourWord.Amber, AcceptedAt: null })
            .ToList();
        if (writer.Form is OutputForm.Csv)
            return string.Join(
                ' ',
                view.Gates.Select(g => $"{Words.Word(g.Gate)}={(g.AcceptedAt is null ? Words.Word(g.Colour) : "accepted")}")
            );
        return shut.Count == 0
            ? "[green]✓ all open[/]"
            : string.Join(
                ", ",
                shut.Select(g => g.Colour is GateColourWord.Red ? $"[red]✗ {Words.Word(g.Gate)}[/]" : $"[yellow]? {Words.Word(g.Gate)}[/]")
            );
    }

    private static string ProbesOf(CrossingView view, Writer writer) =>
        string.Join(
            ", ",
            view.Probes.Select(p =>
                writer.Form is OutputForm.Csv ? $"{Words.Word(p.Way)}={Words.Word(p.State)}"
                : p is { State: ProbeWord.Arrived, ArrivedAt: { } at } ? $"{(at - p.PlannedAt).TotalSeconds:0.0} s"
                : Words.Word(p.State)
            )
        );

    private static async Task<int> ShowOneAsync(string path, string who, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var detail = await client.GetAsync<CrossingDetail>($"{path}/move?move={Uri.EscapeDataString(who)}", cancel);
        var view = detail.Crossing;
        writer.Rows(
            view.Gates,
            "Nobody has looked at the gates yet: use --check.",
            [
                new("Gate", "gate", g => Words.Word(g.Gate)),
                new("", "colour", g => writer.Form is OutputForm.Csv ? Words.Word(g.Colour) : Colour(g)),
                new("What is so", "facts", g => Words.Safe(g.Facts)),
                new("What to do", "remedy", g =>
                    g.AcceptedAt is null ? Words.Safe(g.Remedy) : Words.Safe($"accepted by {g.AcceptedBy}: {g.AcceptedBecause}")
                ),
            ],
            detail
        );
        if (writer.Form is OutputForm.Table)
            Describe(detail, writer);
        return view.Condition is MoveCondition.NeedsYou ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static string Colour(GateView gate) =>
        gate.Colour switch
        {
            GateColourWord.Green => "[green]✓ green[/]",
            GateColourWord.Amber when gate.AcceptedAt is not null => "[green]✓ accepted[/]",
            GateColourWord.Amber => "[yellow]? amber[/]",
            GateColourWord.Red => "[red]✗ red[/]",
        };

    private static void Describe(CrossingDetail detail, Writer writer)
    {
        var view = detail.Crossing;
        if (view.Step is { } step)
            writer.Line(
                $"{Words.Safe(view.Name)} → {Words.Safe(view.ToAccount)}: {StepWords(view, step, writer)}, "
                    + Words.Condition(view.Condition)
            );
        if (view.What is not null)
            writer.Line($"[red]{Words.Safe(view.What)}.[/] {Words.Safe(view.Remedy)}.");
        if (detail.WouldDo.Count > 0 && view.BegunAt is null)
        {
            writer.Line("What would be done:");
            foreach (var (what, number) in detail.WouldDo.Select((w, i) => (w, i + 1)))
                writer.Line($"  {number}. {Words.Safe(what)}.");
        }
        if (detail.Forwarding is { Script: { } script } forwarding)
        {
            writer.Line(forwarding.OnAt is { } on ? $"Forwarding is on since {Words.Time(on)}, by this script:" : "By this script:");
            foreach (var line in script.ReplaceLineEndings("\n").TrimEnd('\n').Split('\n'))
                writer.Line($"  [grey]{Words.Safe(line)}[/]");
        }
        if (detail.Forwarding is { Confirmation: ConfirmationWord.CodeSeen, Code: { } code })
            writer.Line($"To confirm, give this back at the old service: [bold]{Words.Safe(code)}[/]");
        foreach (var probe in detail.Probes.Take(10))
            writer.Line($"Probe from {Words.Word(probe.Way)}, {Words.Time(probe.PlannedAt)}: {ProbeLine(probe)}");
        foreach (var act in detail.Acts.Take(10))
            writer.Line($"{Words.Time(act.BegunAt)}  {Words.Safe(act.What)}: {Words.Safe(act.Outcome ?? "not ended")}");
    }

    private static string ProbeLine(ProbeView probe) =>
        probe is { ArrivedAt: { } at, State: ProbeWord.Arrived }
            ? $"arrived in {(at - probe.PlannedAt).TotalSeconds:0.0} s{(probe.KeptAt is null ? "" : ", a copy was in the old mailbox")}"
            : $"{Words.Word(probe.State)}{(probe.Said is null ? "" : $" ({Words.Safe(probe.Said)})")}";
}
