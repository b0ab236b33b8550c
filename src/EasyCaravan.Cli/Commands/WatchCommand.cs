using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;
using Spectre.Console;
using Spectre.Console.Rendering;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan watch</c>: a bar for each running move, and one line that says what each batch is doing and why.</summary>
internal static class WatchCommand
{
    private const int BarWidth = 24;
    private const int MostBars = 20;
    private static readonly TimeSpan s_rest = TimeSpan.FromMilliseconds(500);

    public static Command Make(CommandHost host)
    {
        var batches = new Argument<string[]>("BATCH")
        {
            Description = "Batches of the plan; left out: all",
            Arity = ArgumentArity.ZeroOrMore,
        };
        var stay = new Option<bool>("--stay") { Description = "Keep watching when nothing runs any more" };
        return host.Make(
            "watch",
            "Watches batches live; ends when nothing runs or waits any more",
            "caravan watch deckhands engineers",
            [batches, stay],
            (p, c, w, cancel) => RunAsync(p.GetValue(batches) ?? [], p.GetValue(stay), c, w, cancel)
        );
    }

    private sealed record Look(IReadOnlyList<BatchLook> Batches)
    {
        public bool IsQuiet => Batches.All(b => b.IsQuiet);

        public string Doing => string.Join('\n', Batches.Select(b => $"{b.Batch.Name}: {b.Batch.Doing}"));
    }

    private sealed record BatchLook(BatchView Batch, List<MoveView> Running)
    {
        public bool IsQuiet => Busy("running") + Busy("queued") + Busy("waiting") == 0;

        private int Busy(string condition) => Batch.Conditions.GetValueOrDefault(condition);
    }

    private static async Task<int> RunAsync(string[] batches, bool stay, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var look = await LookAsync(batches, client, cancel);
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
        var last = await LookAsync(batches, client, CancellationToken.None);
        return last.Batches.Any(b => b.Batch.Conditions.GetValueOrDefault("needs-you") > 0 || b.Batch.OpenLeftBehind > 0)
            ? ExitCode.NeedsYou
            : ExitCode.Well;

        void PrintIfNew(Look now)
        {
            if (told == now.Doing)
                return;
            told = now.Doing;
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
                var now = await LookAsync(batches, client, cancel);
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

    private static async Task<Look> LookAsync(string[] batches, CaravanClient client, CancellationToken cancel)
    {
        if (batches.Length == 0)
            batches = [.. (await client.GetAsync<List<BatchView>>("batches", cancel)).Select(b => b.Name)];
        var looks = new List<BatchLook>();
        foreach (var name in batches.Distinct().Select(Uri.EscapeDataString))
        {
            var view = await client.GetAsync<BatchView>($"batches/{name}", cancel);
            var running = await client.GetAsync<Page<MoveView>>($"batches/{name}/moves?condition=running&limit=100", cancel);
            looks.Add(new BatchLook(view, [.. running.Items]));
        }
        return new Look(looks);
    }

    private static void Print(Look look, Writer writer)
    {
        if (writer.Form is OutputForm.Table)
            writer.Say(Words.Safe(look.Doing));
        else if (look.Batches is [var only])
            writer.Json(only.Batch);
        else
            writer.Json(look.Batches.Select(b => b.Batch).ToList());
    }

    private static Rows Draw(Look look) =>
        new(look.Batches.SelectMany((b, i) => i == 0 ? [(IRenderable)Draw(b)] : new IRenderable[] { Text.Empty, Draw(b) }));

    private static Rows Draw(BatchLook look)
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
