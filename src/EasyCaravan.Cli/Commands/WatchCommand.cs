using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;
using Spectre.Console;
using Spectre.Console.Rendering;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan watch</c>: a bar for each running move, and one line that says what the batch is doing and why.</summary>
internal static class WatchCommand
{
    private const int BarWidth = 24;
    private const int MostBars = 20;
    private static readonly TimeSpan s_rest = TimeSpan.FromMilliseconds(500);

    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var stay = new Option<bool>("--stay") { Description = "Keep watching when nothing runs any more" };
        return host.Make(
            "watch",
            "Watches a batch live; ends when nothing runs or waits any more",
            "caravan watch deckhands",
            [batch, stay],
            (p, c, w, cancel) => RunAsync(p.GetValue(batch)!, p.GetValue(stay), c, w, cancel)
        );
    }

    private sealed record Look(BatchView Batch, List<MoveView> Running)
    {
        public bool IsQuiet => Busy("running") + Busy("queued") + Busy("waiting") == 0;

        private int Busy(string condition) => Batch.Conditions.GetValueOrDefault(condition);
    }

    private static async Task<int> RunAsync(string batch, bool stay, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var look = await LookAsync(batch, client, cancel);
        var told = default(string);
        if (writer.Form is OutputForm.Table && writer.Console.Profile.Capabilities.Interactive)
            await writer
                .Console.Live(Draw(look))
                .StartAsync(live => FollowAsync(look, l =>
                    {
                        live.UpdateTarget(Draw(l));
                        live.Refresh();
                    }));
        else
            await FollowAsync(look, PrintIfNew);
        var last = await LookAsync(batch, client, CancellationToken.None);
        return last.Batch.Conditions.GetValueOrDefault("needs-you") > 0 || last.Batch.OpenLeftBehind > 0
            ? ExitCode.NeedsYou
            : ExitCode.Well;

        void PrintIfNew(Look now)
        {
            if (told == now.Batch.Doing)
                return;
            told = now.Batch.Doing;
            Print(now, writer);
        }

        async Task FollowAsync(Look first, Action<Look> show)
        {
            show(first);
            if (first.IsQuiet && !stay)
                return;
            // Every event causes a read; the pause between two reads limits the requests to a busy service.
            await foreach (var _ in client.ListenAsync(cancel))
            {
                var now = await LookAsync(batch, client, cancel);
                show(now);
                if (now.IsQuiet && !stay)
                    return;
                await Task.Delay(s_rest, cancel);
            }
            throw new CommandException(
                ExitCode.NoService,
                "The service ended the live stream.\nLook whether it is running, and watch again."
            );
        }
    }

    private static async Task<Look> LookAsync(string batch, CaravanClient client, CancellationToken cancel)
    {
        var name = Uri.EscapeDataString(batch);
        var view = await client.GetAsync<BatchView>($"batches/{name}", cancel);
        var running = await client.GetAsync<Page<MoveView>>($"batches/{name}/moves?condition=running&limit=100", cancel);
        return new Look(view, [.. running.Items]);
    }

    private static void Print(Look look, Writer writer)
    {
        if (writer.Form is OutputForm.Table)
            writer.Say($"{Words.Safe(look.Batch.Name)}: {Words.Safe(look.Batch.Doing)}");
        else
            writer.Json(look.Batch);
    }

    private static Rows Draw(Look look)
    {
        var batch = look.Batch;
        var counts = batch.Counts;
        var parts = new List<IRenderable>
        {
            new Markup(
                $"[bold]{Words.Safe(batch.Name)}[/]  [grey]{Words.Safe(batch.From)} → {Words.Safe(batch.To)}, {batch.People} people[/]"
            ),
            new Markup($"{Words.Safe(batch.Doing)}"),
            new Markup($"[grey]stages:[/] {string.Join("  ", batch.Stages.Select(s => $"{s.Key} {s.Value}"))}"),
            Text.Empty,
        };
        if (look.Running.Count > 0)
            parts.Add(Bars(look.Running));
        else
            parts.Add(
                new Markup(
                    $"{Words.Number(counts.Found)} found: {Words.Number(counts.Carried)} carried ({Words.Size(batch.Octets)}), "
                        + $"{Words.Number(counts.Paired)} paired, {Words.Number(counts.Excluded)} excluded, "
                        + $"{Words.Number(counts.LeftBehind)} left behind"
                )
            );
        if (look.Running.Count > MostBars)
            parts.Add(new Markup($"[grey]and {look.Running.Count - MostBars} more[/]"));
        if (batch.Conditions.GetValueOrDefault("needs-you") > 0)
            parts.Add(
                new Markup(
                    $"[red]! {batch.Conditions["needs-you"]} need{(batch.Conditions["needs-you"] == 1 ? "s" : "")} you:[/] caravan moves "
                        + $"{Words.Safe(batch.Name)} --needs-you"
                )
            );
        if (batch.OpenLeftBehind > 0)
            parts.Add(new Markup($"[red]! {batch.OpenLeftBehind} left behind:[/] caravan left-behind {Words.Safe(batch.Name)}"));
        return new Rows(parts);
    }

    private static Table Bars(List<MoveView> running)
    {
        var table = new Table { Border = TableBorder.None, ShowHeaders = true };
        table
            .AddColumn(Text("who"))
            .AddColumn(Text(""))
            .AddColumn(Number("messages"))
            .AddColumn(Number("size"))
            .AddColumn(Number("a second"))
            .AddColumn(Number("left"))
            .AddColumn(Text("folder"));
        foreach (var move in running.Take(MostBars))
        {
            var pass = move.Pass;
            var share = pass is { Expected: > 0 } ? Math.Min(1.0, (double)pass.Settled / pass.Expected) : 0;
            var full = (int)(share * BarWidth);
            table.AddRow(
                Words.Safe(move.Name),
                $"[green]{new string('━', full)}[/][grey]{new string('─', BarWidth - full)}[/]",
                pass is null ? "" : $"{Words.Number(pass.Settled)} of {Words.Number(pass.Expected)}",
                pass is null ? "" : Words.Size(pass.Octets),
                pass is null ? "" : $"{pass.PerSecond:0.0}",
                pass?.SecondsLeft is { } left ? Words.Duration(left) : "…",
                Words.Safe(pass?.Folder)
            );
        }
        return table;

        static TableColumn Text(string title) => new($"[grey]{title}[/]") { NoWrap = true, Padding = new Padding(0, 0, 3, 0) };

        static TableColumn Number(string title) =>
            new($"[grey]{title}[/]")
            {
                Alignment = Justify.Right,
                NoWrap = true,
                Padding = new Padding(0, 0, 3, 0),
            };
    }
}
