using System.CommandLine;
using System.Net.Http.Headers;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan files</c>: files with contacts or events that were handed over.</summary>
internal static class FilesCommand
{
    public static Command Make(CommandHost host)
    {
        var name = new Argument<string>("NAME") { Description = "The file's path below the plan's folder, as the service knows it" };
        var path = new Argument<string>("PATH") { Description = "The file here" };
        var asName = new Option<string?>("--as") { Description = "Its path below the plan's folder, where that is not PATH" };
        var holds = new Option<string[]>("--holds")
        {
            Description = "What a column holds, as HEADER=WORD; can be given several times. The words stand under the table",
        };
        return new Command("files", "Files with contacts or events that were handed over: lists, how they are read, what columns hold")
        {
            host.Make("list", "The files that were handed over", "caravan files list", [], (_, c, w, cancel) => ListAsync(c, w, cancel)),
            host.Make(
                "send",
                "Hands over one file; 'plan apply' hands over all that the plan names",
                "caravan files send lists/aoife.csv --as lists/aoife.marsh@saltmarsh.example.csv",
                [path, asName],
                (p, c, w, cancel) => SendAsync(p.GetValue(path)!, p.GetValue(asName), c, w, cancel)
            ),
            host.Make(
                "show",
                "How a file is read: what its columns hold, and which lines cannot be read",
                "caravan files show lists/aoife.marsh@saltmarsh.example.csv",
                [name],
                (p, c, w, cancel) => ShowAsync(p.GetValue(name)!, c, w, cancel)
            ),
            host.Make(
                "columns",
                "Says what columns of a spreadsheet hold, in place of the guess and the plan",
                "caravan files columns lists/aoife.csv --holds \"Kontakt=email\" --holds \"Nr.=leave\"",
                [name, holds],
                (p, c, w, cancel) => ChooseAsync(p.GetValue(name)!, p.GetValue(holds) ?? [], c, w, cancel)
            ),
            host.Make("forget", "Deletes a file that was handed over", "caravan files forget lists/aoife.csv", [name], (p, c, w, cancel) =>
                ForgetAsync(p.GetValue(name)!, c, w, cancel)
            ),
        };
    }

    private static async Task<int> ListAsync(CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var files = await client.GetAllAsync<ItemFileView>("files?limit=1000", cancel);
        var plain = writer.Form is OutputForm.Csv;
        writer.Rows(
            files,
            "No files were handed over. 'caravan plan apply' does it for those that the plan names.",
            [
                new("File", "name", f => Words.Safe(f.Name)),
                new("Size", "octets", f => plain ? $"{f.Length}" : Words.Size(f.Length), Right: true),
                new("Handed over", "received_at", f => plain ? f.ReceivedAt.ToString("O") : Words.Time(f.ReceivedAt)),
            ]
        );
        return ExitCode.Well;
    }

    private static async Task<int> SendAsync(string path, string? asName, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        if (!File.Exists(path))
            throw new CommandException(ExitCode.WrongUsage, $"There is no file {path}.\nGive the path of a file.");
        var name = asName ?? path.Replace('\\', '/');
        await using var file = File.OpenRead(path);
        using var content = new StreamContent(file) { Headers = { ContentType = new MediaTypeHeaderValue("application/octet-stream") } };
        var kept = await client.PutAsync<ItemFileView>(PathOf(name), content, cancel);
        if (writer.Form is OutputForm.Json)
            writer.Json(kept);
        writer.Say(
            $"[green]{Words.Safe(kept.Name)} was handed over.[/] See how it is read with: caravan files show {Words.Safe(kept.Name)}"
        );
        return ExitCode.Well;
    }

    private static async Task<int> ShowAsync(string name, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var reading = await client.GetAsync<FileReading>($"files/reading?file={Uri.EscapeDataString(name)}", cancel);
        Show(reading, writer);
        return reading.Problems.Count > 0 ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static void Show(FileReading reading, Writer writer)
    {
        writer.Rows(
            reading.Columns,
            reading.Format == "csv" ? "The file is empty." : "",
            [
                new("Column", "column", c => Words.Safe(c.Header)),
                new("Holds", "holds", c => Words.Safe(c.Holds)),
                new("Said by", "said_by", c => c.Said),
                new("Such as", "examples", c => Words.Safe(string.Join(" | ", c.Examples))),
            ],
            reading
        );
        var joined = reading.Joined > 0 ? $", {reading.Joined} of them on several lines" : "";
        var text = reading.Encoding is { } encoding
            ? $"; {encoding}, parted by {SeparatorOf(reading.Separator)}, {(reading.HasHeader ? "with" : "without")} a header"
            : "";
        writer.Say($"{Words.Safe(reading.Name)}: {Words.Number(reading.Items)} contact(s) or event(s){joined}{text}.");
        foreach (var problem in reading.Problems)
            writer.Say($"[yellow]{Words.Safe(problem.What)}[/]");
        if (reading.Words.Count > 0)
            writer.Say($"[grey]A column may hold: {string.Join(", ", reading.Words)}.[/]");
    }

    private static string SeparatorOf(string? separator) =>
        separator switch
        {
            "\t" => "tabs",
            ";" => "semicolons",
            "," => "commas",
            _ => Words.Safe($"'{separator}'"),
        };

    private static async Task<int> ChooseAsync(string name, string[] holds, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var columns = new Dictionary<string, string>();
        foreach (var one in holds)
            if (one.LastIndexOf('=') is > 0 and var equals)
                columns[one[..equals]] = one[(equals + 1)..];
            else
                throw new CommandException(ExitCode.WrongUsage, $"'{one}' says nothing of a column.\nWrite it as HEADER=WORD.");
        await client.PutAsync($"files/columns?file={Uri.EscapeDataString(name)}", new ColumnChoice(columns), cancel);
        return await ShowAsync(name, client, writer, cancel);
    }

    private static async Task<int> ForgetAsync(string name, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        await client.DeleteAsync(PathOf(name), cancel);
        writer.Say($"{Words.Safe(name)} was deleted. What was carried from it stays on the new side.");
        return ExitCode.Well;
    }

    private static string PathOf(string name) => $"files?file={Uri.EscapeDataString(name)}";
}
