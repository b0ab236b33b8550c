using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan aftercare</c></summary>
internal static class AftercareCommand
{
    private const int UsualDays = 30;

    private static readonly TimeSpan s_look = TimeSpan.FromMilliseconds(500);

    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = MoveCommands.MoveOption();
        var writers = new Option<bool>("--writers") { Description = "Who still writes to the old addresses, one by one" };
        var days = new Option<int>("--days")
        {
            Description = "How many days back are looked at, from 1 to 3650",
            DefaultValueFactory = _ => UsualDays,
        };
        days.Validators.Add(v =>
        {
            if (v.GetValueOrDefault<int>() is < 1 or > 3650)
                v.AddError("--days is from 1 to 3650.");
        });
        var correspondents = new Option<bool>("--correspondents")
        {
            Description = "With whom people exchange mail in both directions, counted from headers within --days",
        };
        var note = new Option<string?>("--note")
        {
            Description =
                "Tells these correspondents of the new address: as a draft for its owner, or sent in their name; none: not any more",
            HelpName = "draft|send|none",
        };
        note.AcceptOnlyFromAmong("draft", "send", "none");
        var because = new Option<string?>("--because") { Description = "With --note send: how the person said that it may be sent" };
        var leave = new Option<string[]>("--leave") { Description = "With --note: an address that gets none; can be given several times" };
        return host.Make(
            "aftercare",
            "The time after the crossing: forwarding, probes, stragglers, who still writes to the old address, and telling the others",
            "caravan aftercare deckhands --writers --output csv",
            [batch, move, writers, days, correspondents, note, because, leave],
            (p, c, w, cancel) =>
            {
                var path = $"batches/{Uri.EscapeDataString(p.GetValue(batch)!)}/aftercare";
                var who = p.GetValue(move) is { Length: > 0 } names ? names : null;
                var asked = p.GetResult(days) is { Implicit: false } ? p.GetValue(days) : (int?)null;
                if (p.GetValue(note) is { } way)
                {
                    var ask =
                        way == "draft" ? CorrespondenceAsk.Draft
                        : way == "send" ? CorrespondenceAsk.Send
                        : CorrespondenceAsk.None;
                    return NoteAsync(path, new CorrespondenceRequest(ask, who, null, p.GetValue(because), p.GetValue(leave)), c, w, cancel);
                }
                if (p.GetValue(correspondents))
                    return ShowCorrespondentsAsync(path, who, asked, c, w, cancel);
                return p.GetValue(writers)
                    ? ShowWritersAsync($"{path}/writers?limit=1000&withinDays={p.GetValue(days)}", who, c, w, cancel)
                    : ShowAsync($"{path}?limit=1000&withinDays={p.GetValue(days)}", who, p.GetValue(days), c, w, cancel);
            }
        );
    }

    private static async Task<int> ShowAsync(
        string path,
        string[]? who,
        int days,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var views = await client.GetAllOfAsync<AftercareView>(path, who, cancel);
        string Time(DateTimeOffset? at) =>
            at is not { } then ? ""
            : writer.Form is OutputForm.Csv ? then.ToString("O")
            : Words.Minute(then);
        writer.Rows(
            views,
            "Nobody of this batch has crossed yet.",
            [
                new("Name", "name", v => Words.Safe(v.Name)),
                new("Old address", "account", v => Words.Safe(v.Account)),
                new("Crossed", "settled_at", v => Time(v.SettledAt)),
                new("Forwards until", "forwarding_until", v =>
                    v.ForwardingUntil is null && writer.Form is OutputForm.Table ? "for good" : Time(v.ForwardingUntil)
                ),
                new("Last probe", "last_probe", v => ProbeOf(v, writer)),
                new($"Messages in {days} days", "messages", v => $"{v.Messages}", Right: true),
                new("From senders", "senders", v => $"{v.Senders}", Right: true),
                new("Last", "last_at", v => Time(v.LastAt)),
                new("What is wrong", "what", v => Words.Safe(v.What)),
            ]
        );
        if (writer.Form is OutputForm.Table)
            foreach (var view in views.Where(v => v.Messages > 0).OrderByDescending(v => v.Messages).Take(3))
                writer.Say($"If forwarding ended now: {Words.Safe(view.IfEnded)}.");
        return views.Exists(v => v.What is not null) ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static string ProbeOf(AftercareView view, Writer writer) =>
        view.LastProbe is not { } probe ? ""
        : writer.Form is OutputForm.Csv ? Words.Word(probe.State)
        : probe.State is ProbeWord.Arrived ? $"[green]✓[/] {Words.Minute(probe.PlannedAt)}"
        : $"[red]! {Words.Word(probe.State)}[/] {Words.Minute(probe.PlannedAt)}";

    private static async Task<int> ShowWritersAsync(
        string path,
        string[]? who,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        string Time(DateTimeOffset at) => writer.Form is OutputForm.Csv ? at.ToString("O") : Words.Minute(at);
        writer.Rows(
            await client.GetAllOfAsync<LateWriterView>(path, who, cancel),
            "Nobody has written to the old addresses in these days, as far as passes have seen.",
            [
                new("Name", "name", v => Words.Safe(v.Name)),
                new("Old address", "account", v => Words.Safe(v.Account)),
                new("Who writes", "sender", v => Words.Safe(v.Sender)),
                new("Messages", "messages", v => $"{v.Messages}", Right: true),
                new("First", "first_at", v => Time(v.FirstAt)),
                new("Last", "last_at", v => Time(v.LastAt)),
            ]
        );
        return ExitCode.Well;
    }

    /// <summary>Counts first, where days were given or nobody has counted yet.</summary>
    private static async Task<int> ShowCorrespondentsAsync(
        string path,
        string[]? who,
        int? days,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var before = await client.GetAllOfAsync<AftercareView>($"{path}?limit=1000", who, cancel);
        if (days is not null || before.Count == 0 || before.Exists(v => v.CountedAt is null))
        {
            var request = new CorrespondenceRequest(CorrespondenceAsk.Count, who, days);
            var answer = await client.PostAsync<CorrespondenceAnswer>($"{path}/correspondents", request, cancel);
            if (await UntilAsync(path, [.. answer.Accounts], v => v.CountedAt is not null, client, cancel) is { } stuck)
                return Stuck(stuck, writer);
        }
        var people = await client.GetAllOfAsync<CorrespondentView>($"{path}/correspondents?limit=1000", who, cancel);
        writer.Rows(
            people,
            "They exchange mail with nobody.",
            [
                new("Name", "name", v => Words.Safe(v.Name)),
                new("Exchanges mail with", "correspondent", v => Words.Safe(v.CorrespondentName)),
                new("Address", "address", v => Words.Safe(v.Address)),
                new("Received", "received", v => $"{v.Received}", Right: true),
                new("Sent", "sent", v => $"{v.Sent}", Right: true),
                new("Last", "last_at", v => writer.Form is OutputForm.Csv ? v.LastAt.ToString("O") : Words.Minute(v.LastAt)),
                new("Note", "note", v => NoteOf(v, writer)),
            ]
        );
        if (writer.Form is OutputForm.Table && people.Exists(p => p is { GetsNote: true, Note: null }))
            writer.Say(
                $"{people.Count(p => p is { GetsNote: true, Note: null })} of them could be told of the new address: --note draft puts a "
                    + "note among the person's drafts."
            );
        return ExitCode.Well;
    }

    private static string NoteOf(CorrespondentView view, Writer writer) =>
        view.Note is { } note ? Words.Word(note)
        : writer.Form is OutputForm.Csv ? ""
        : view.IsColleague ? "[grey]colleague[/]"
        : view.GetsNote ? ""
        : "[grey]one direction only[/]";

    private static async Task<int> NoteAsync(
        string path,
        CorrespondenceRequest request,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var answer = await client.PostAsync<CorrespondenceAnswer>($"{path}/correspondents", request, cancel);
        if (request.Ask is CorrespondenceAsk.None)
        {
            writer.Say($"{answer.Notes} notes are not written.");
            return ExitCode.Well;
        }
        if (answer.Notes == 0)
        {
            writer.Say("Nobody is left to be told. With whom people exchange mail is counted by --correspondents.");
            return ExitCode.Well;
        }
        if (await UntilAsync(path, [.. answer.Accounts], v => v.OpenNotes == 0, client, cancel) is { } stuck)
            return Stuck(stuck, writer);
        writer.Say(
            request.Ask is CorrespondenceAsk.Draft
                ? $"Put among the drafts of {answer.Accounts.Count} person(s), to {answer.Notes} people: "
                    + "its owner looks at it and sends it."
                : $"Written to {answer.Notes} people. Who did not take it: --correspondents."
        );
        return ExitCode.Well;
    }

    private static int Stuck(AftercareView view, Writer writer)
    {
        writer.Say($"[red]{Words.Safe(view.Account)}: {Words.Safe(view.What)}.[/] {Words.Safe(view.Remedy)}.");
        return ExitCode.NeedsYou;
    }

    /// <returns>Who needs somebody before it comes to that; null: nobody.</returns>
    private static async Task<AftercareView?> UntilAsync(
        string path,
        string[] accounts,
        Func<AftercareView, bool> isDone,
        CaravanClient client,
        CancellationToken cancel
    )
    {
        while (true)
        {
            var views = await client.GetAllOfAsync<AftercareView>($"{path}?limit=1000", accounts, cancel);
            if (views.TrueForAll(v => isDone(v)))
                return null;
            if (views.Find(v => !isDone(v) && v.What is not null) is { } stuck)
                return stuck;
            await Task.Delay(s_look, cancel);
        }
    }
}
