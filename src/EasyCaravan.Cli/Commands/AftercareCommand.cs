using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan aftercare</c></summary>
internal static class AftercareCommand
{
    private const int UsualDays = 30;

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
        return host.Make(
            "aftercare",
            "The time after the crossing: forwarding, probes, stragglers, and who still writes to the old address",
            "caravan aftercare deckhands --writers --output csv",
            [batch, move, writers, days],
            (p, c, w, cancel) =>
            {
                var path = $"batches/{Uri.EscapeDataString(p.GetValue(batch)!)}/aftercare";
                var who = p.GetValue(move) is { Length: > 0 } names ? names : null;
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
}
