using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan waybill</c></summary>
internal static class WaybillCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = new Option<string?>("--move") { Description = "Only this person, folder by folder" };
        var sealedTo = new Option<string?>("--sealed")
        {
            Description = "Write it to a file, signed, so that a later change shows: caravan waybill verify FILE",
            HelpName = "FILE",
        };
        var page = new Option<string?>("--page")
        {
            Description = "Write it as a page for A4 paper: to a file that ends in .html, or in .pdf where Chromium is installed here",
            HelpName = "FILE",
        };
        batch.Arity = ArgumentArity.ZeroOrOne;
        var command = host.Make(
            "waybill",
            "The proof: what was found on the old side and what became of it",
            "caravan waybill deckhands --sealed deckhands.jsonl",
            [batch, move, sealedTo, page],
            (p, c, w, cancel) =>
                p.GetValue(batch) is not { } name ? throw new CommandException(ExitCode.WrongUsage, "Name the batch.")
                : p.GetValue(sealedTo) is { } file ? SealAsync(name, p.GetValue(move), file, c, w, cancel)
                : p.GetValue(page) is { } paper ? WriteAsync(name, p.GetValue(move), paper, c, w, cancel)
                : RunAsync(name, p.GetValue(move), c, w, cancel)
        );
        command.Add(WaybillVerifyCommand.Make(host));
        return command;
    }

    private static async Task<int> SealAsync(
        string batch,
        string? move,
        string file,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        await File.WriteAllTextAsync(file, await client.GetTextAsync(PathOf(batch, "/sealed", move), cancel), cancel);
        var check = WaybillSeal.Check(File.ReadLines(file));
        writer.Say($"Written to {Words.Safe(file)}: {check.Lines} lines, sealed by the key {check.Key}.");
        writer.Say($"Check it anywhere, without the service: caravan waybill verify {Words.Safe(file)} --key {check.Key}");
        return ExitCode.Well;
    }

    private static async Task<int> WriteAsync(
        string batch,
        string? move,
        string file,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var isPdf = file.EndsWith(".pdf", StringComparison.OrdinalIgnoreCase);
        if (!isPdf && !file.EndsWith(".html", StringComparison.OrdinalIgnoreCase))
            throw new CommandException(ExitCode.WrongUsage, "--page takes a file that ends in .html or .pdf.");
        var text = await client.GetTextAsync(PathOf(batch, "/page", move), cancel);
        if (isPdf)
            await PaperPage.PrintAsync(text, file, cancel);
        else
            await File.WriteAllTextAsync(file, text, cancel);
        writer.Say($"Written to {Words.Safe(file)}.");
        return ExitCode.Well;
    }

    private static string PathOf(string batch, string form, string? move) =>
        $"batches/{Uri.EscapeDataString(batch)}/waybill{form}{(move is null ? "" : $"?move={Uri.EscapeDataString(move)}")}";

    private sealed record Line(
        MoveWaybill Move,
        string Label,
        string To,
        Counts Counts,
        long Gone,
        long Missing,
        long Twice,
        long Altered,
        bool Closes,
        bool IsFolder
    );

    private static async Task<int> RunAsync(string batch, string? move, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var waybill = await client.GetAsync<BatchWaybill>(PathOf(batch, "", move), cancel);
        var byFolder = move is not null || writer.Form is OutputForm.Csv;
        var lines = new List<Line>();
        foreach (var person in waybill.Moves)
        {
            if (writer.Form is OutputForm.Table)
                lines.Add(
                    new Line(
                        person,
                        person.Name,
                        person.ToAccount,
                        person.Total,
                        person.Gone,
                        person.Missing,
                        person.Twice,
                        person.Altered,
                        person.Closes,
                        false
                    )
                );
            // With only one kind, the kind is not named.
            var several = person.Kinds.Count > 1;
            if (several && writer.Form is OutputForm.Table)
                lines.AddRange(
                    person.Kinds.Select(k =>
                        LineOf(person, Words.Word(k.Kind), "", [.. person.Folders.Where(f => f.Kind == k.Kind)], isFolder: true)
                    )
                );
            if (byFolder)
                lines.AddRange(
                    person.Folders.Select(f => new Line(
                        person,
                        several ? $"{Words.Word(f.Kind)}: {f.From}" : f.From,
                        f.To ?? "(stays behind)",
                        f.Counts,
                        f.Gone,
                        f.Missing,
                        f.Twice,
                        f.Altered,
                        f.Closes,
                        true
                    ))
                );
        }
        if (writer.Form is OutputForm.Table && waybill.Moves.Count > 1)
            lines.Add(
                new Line(
                    waybill.Moves[0],
                    "Together",
                    "",
                    waybill.Total,
                    waybill.Moves.Sum(m => m.Gone),
                    waybill.Moves.Sum(m => m.Missing),
                    waybill.Moves.Sum(m => m.Twice),
                    waybill.Moves.Sum(m => m.Altered),
                    waybill.Closes,
                    false
                )
            );
        writer.Rows(lines, "Nobody.", Columns(writer), waybill);
        if (writer.Form is OutputForm.Table)
            Conclude(waybill, writer);
        return waybill.Moves.Any(m => m.LeftBehind.Any(i => i.State is not LeftBehindWord.Accepted) || !m.Closes)
            ? ExitCode.NeedsYou
            : ExitCode.Well;
    }

    private static Line LineOf(MoveWaybill person, string label, string to, List<FolderView> folders, bool isFolder) =>
        new(
            person,
            label,
            to,
            new Counts(
                folders.Sum(f => f.Counts.Found),
                folders.Sum(f => f.Counts.Carried),
                folders.Sum(f => f.Counts.Paired),
                folders.Sum(f => f.Counts.Excluded),
                folders.Sum(f => f.Counts.LeftBehind)
            ),
            folders.Sum(f => f.Gone),
            folders.Sum(f => f.Missing),
            folders.Sum(f => f.Twice),
            folders.Sum(f => f.Altered),
            // Of a kind that was never begun nothing is known yet.
            folders.TrueForAll(f => f.Closes) && (folders.Count > 0 || person.Closes),
            isFolder
        );

    private static void Conclude(BatchWaybill waybill, Writer writer)
    {
        foreach (var item in waybill.Moves.SelectMany(m => m.LeftBehind))
            writer.Say(
                $"[red]left behind[/] {Words.Safe(item.Account)} {Words.Safe(item.Folder)}: {Words.Safe(LeftBehindCommand.Name(item))}: "
                    + $"{Words.Safe(item.Problem.What)} [grey]({Words.Word(item.State)})[/]"
            );
        foreach (var shaped in waybill.Shaped)
            writer.Say(
                $"[grey]{Words.Word(shaped.Kind)}: {Words.Number(shaped.Items)} changed by '{Words.Safe(shaped.Shaping)}', as the route "
                    + "allows, so that the new side took them[/]"
            );
        foreach (var same in waybill.Moves.Where(m => !m.Closes).GroupBy(m => m.Sentence))
            writer.Say(
                $"[yellow]{Words.Safe(string.Join(", ", same.Take(5).Select(m => m.Name)))}"
                    + $"{(same.Count() > 5 ? $" and {same.Count() - 5} more" : "")}:[/] {Words.Safe(same.Key)}"
            );
        foreach (var (person, last) in waybill.Moves.Where(m => m.Comparison?.EndedAt is not null).Select(m => (m.Name, m.Comparison!)))
            writer.Say(
                $"[grey]{Words.Safe(person)}: both sides read anew {Words.Time(last.EndedAt!.Value)}, {Words.Number(last.Compared)} "
                    + $"item(s) compared, {Words.Number(last.Differing)} differ[/]"
            );
        writer.Say(waybill.Closes ? $"[green]{Words.Safe(waybill.Sentence)}[/]" : $"[yellow]{Words.Safe(waybill.Sentence)}[/]");
        writer.Say($"[grey]{Words.Safe(waybill.From)} → {Words.Safe(waybill.To)}, drawn {Words.Time(waybill.DrawnAt)}[/]");
    }

    private static List<Column<Line>> Columns(Writer writer)
    {
        var columns = new List<Column<Line>>();
        if (writer.Form is OutputForm.Csv)
        {
            columns.Add(new("", "account", l => Words.Safe(l.Move.Account)));
            columns.Add(new("", "to_account", l => Words.Safe(l.Move.ToAccount)));
        }
        columns.Add(
            new("Who, folder", "from", l =>
                l.IsFolder && writer.Form is OutputForm.Table
                    ? $"  {Words.Safe(l.Label)}"
                    : $"{(writer.Form is OutputForm.Table ? "[bold]" : "")}{Words.Safe(l.Label)}"
                        + $"{(writer.Form is OutputForm.Table ? "[/]" : "")}"
            )
        );
        columns.Add(new("Landed in", "to", l => Words.Safe(l.To)));
        foreach (
            var (title, name, count) in new (string, string, Func<Line, long>)[]
            {
                ("Found", "found", l => l.Counts.Found),
                ("Carried", "carried", l => l.Counts.Carried),
                ("Paired", "paired", l => l.Counts.Paired),
                ("Excluded", "excluded", l => l.Counts.Excluded),
                ("Left", "left_behind", l => l.Counts.LeftBehind),
                ("Gone", "gone", l => l.Gone),
                ("Missing", "missing", l => l.Missing),
                ("Twice", "twice", l => l.Twice),
                ("Altered", "altered", l => l.Altered),
            }
        )
        {
            columns.Add(new(title, name, l => writer.Form is OutputForm.Csv ? $"{count(l)}" : Words.Number(count(l)), Right: true));
        }
        columns.Add(new("Sums", "closes", l => writer.Form is OutputForm.Csv ? (l.Closes ? "true" : "false")
                : l.Closes ? "[green]close[/]"
                : "[yellow]open[/]"));
        return columns;
    }
}
