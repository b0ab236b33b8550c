using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using CsvHelper;
using EasyCaravan.Contract;
using EasyCaravan.Core.Formats;
using Spectre.Console;

namespace EasyCaravan.Cli.Output;

internal enum OutputForm
{
    Table,
    Json,
    Csv,
}

/// <param name="Right">Numbers stand to the right.</param>
internal sealed record Column<T>(string Title, string CsvName, Func<T, string> Text, bool Right = false);

/// <summary>Writes what a reading command found: a table for people, the API's own JSON or CSV for programs.</summary>
internal sealed class Writer(OutputForm form, IAnsiConsole console, TextWriter output, TextWriter error)
{
    private static readonly ContractTypes s_indented = new(
        new JsonSerializerOptions(ContractTypes.Default.Options) { WriteIndented = true }
    );

    public OutputForm Form => form;

    public IAnsiConsole Console => console;

    /// <summary>Messages for people: beside the table, or on the error stream where programs read the output.</summary>
    public void Say(string markup)
    {
        if (form is OutputForm.Table)
            console.MarkupLine(markup);
        else
            error.WriteLine(Markup.Remove(markup));
    }

    /// <summary>A line of what was asked for, in a table's place.</summary>
    public void Line(string markup) => console.MarkupLine(markup);

    /// <summary>As <see cref="Say"/>, to be copied as it stands: it is not broken at the terminal's width.</summary>
    public void Whole(string text) => (form is OutputForm.Table ? output : error).WriteLine(text);

    public void Json(object value) => output.WriteLine(JsonSerializer.Serialize(value, s_indented.GetTypeInfo(value.GetType())!));

    /// <summary>JSON on one line, whatever form was asked for.</summary>
    public void JsonLine(object value) =>
        output.WriteLine(JsonSerializer.Serialize(value, ContractTypes.Default.GetTypeInfo(value.GetType())!));

    /// <summary>Lists of the contract are known as what answers hold, or as they are answered by themselves.</summary>
    private static JsonTypeInfo ListOf<T>() =>
        s_indented.GetTypeInfo(typeof(IReadOnlyList<T>))
        ?? s_indented.GetTypeInfo(typeof(List<T>))
        ?? throw new InvalidOperationException($"The contract does not know lists of {typeof(T).Name}.");

    /// <param name="whole">What JSON shows; by default the rows.</param>
    public void Rows<T>(IReadOnlyList<T> rows, string whenEmpty, IReadOnlyList<Column<T>> columns, object? whole = null)
    {
        switch (form)
        {
            case OutputForm.Json:
                if (whole is not null)
                    Json(whole);
                else
                    output.WriteLine(JsonSerializer.Serialize(rows, ListOf<T>()));
                break;
            case OutputForm.Csv:
                using (var csv = new CsvWriter(output, CultureInfo.InvariantCulture, leaveOpen: true))
                {
                    foreach (var column in columns)
                        csv.WriteField(column.CsvName);
                    csv.NextRecord();
                    foreach (var row in rows)
                    {
                        foreach (var column in columns)
                            csv.WriteField(VisibleText.OfCell(Markup.Remove(column.Text(row))));
                        csv.NextRecord();
                    }
                }
                break;
            default:
                if (rows.Count == 0)
                {
                    console.MarkupLine($"[grey]{whenEmpty.EscapeMarkup()}[/]");
                    break;
                }
                var table = new Table { Border = TableBorder.Simple };
                foreach (var column in columns)
                    table.AddColumn(
                        new TableColumn($"[bold]{column.Title}[/]")
                        {
                            Alignment = column.Right ? Justify.Right : Justify.Left,
                            NoWrap = column.Right,
                        }
                    );
                foreach (var row in rows)
                    table.AddRow([.. columns.Select(c => c.Text(row))]);
                console.Write(table);
                break;
        }
    }
}
