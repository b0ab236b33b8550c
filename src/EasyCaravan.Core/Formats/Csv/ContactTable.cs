using System.Collections.Immutable;
using System.Globalization;
using System.Text.RegularExpressions;
using CsvHelper;
using CsvHelper.Configuration;

namespace EasyCaravan.Core.Formats.Csv;

/// <summary>One column of a list.</summary>
/// <param name="Header">As it is written; where the list has no header, <c>column 1</c> and so on.</param>
/// <param name="IsGuessed">Nobody said what it holds: its header or its content did.</param>
/// <param name="Number">Tells columns of the same kind apart; 0: none.</param>
/// <param name="TypeOf">Of a column of types: what it tells the type of.</param>
public sealed record ListColumn(string Header, ColumnUse Use, bool IsGuessed, int Number, ContactField TypeOf);

/// <param name="Line">1-based line of the file on which it begins.</param>
public sealed record ListRow(int Line, ImmutableArray<string> Cells);

/// <summary>A line that cannot be read.</summary>
/// <param name="What">What is wrong with it.</param>
/// <param name="Text">As it stands in the file.</param>
public sealed record ListFault(int Line, string What, string Text);

/// <summary>A list of contacts as a table: what its columns hold is said by somebody, or guessed.</summary>
/// <param name="Encoding">How its text is encoded, for people.</param>
/// <param name="Separator">What stands between its fields.</param>
public sealed record ContactTable(
    string Encoding,
    string Separator,
    bool HasHeader,
    ImmutableArray<ListColumn> Columns,
    IReadOnlyList<ListRow> Rows,
    IReadOnlyList<ListFault> Faults
)
{
    /// <summary>Rows by which columns are guessed.</summary>
    private const int Sample = 200;

    private static readonly string[] s_separators = [",", ";", "\t", "|"];

    private static readonly string[] s_salutations =
    [
        "mr",
        "mrs",
        "ms",
        "miss",
        "dr",
        "prof",
        "herr",
        "frau",
        "mme",
        "m",
        "sr",
        "sra",
        "sir",
    ];

    /// <param name="said">What somebody said that columns hold, by header.</param>
    public static ContactTable Read(ReadOnlySpan<byte> octets, IReadOnlyDictionary<string, ColumnUse> said)
    {
        var (text, encoding) = TextDecoder.Decode(octets);
        // Some spreadsheets write as the first line which character parts the fields.
        var named = text.StartsWith("sep=", StringComparison.OrdinalIgnoreCase) && text.Length > 4 ? text[4].ToString() : null;
        var faults = new List<ListFault>();
        var (rows, separator) = Parse(text, named, faults);
        if (rows.Count == 0)
            return new ContactTable(encoding, separator, false, [], [], faults);
        var hasHeader = IsHeader(rows[0].Cells, said);
        var headers = hasHeader ? rows[0].Cells : [.. rows[0].Cells.Select((_, i) => $"column {i + 1}")];
        var data = hasHeader ? rows[1..] : rows;
        foreach (
            var row in data.Where(r => r.Cells.Length > headers.Length && r.Cells.Skip(headers.Length).Any(c => c.Length > 0)).ToList()
        )
        {
            faults.Add(
                new ListFault(
                    row.Line,
                    $"the line has {row.Cells.Length} fields, {(hasHeader ? "the header" : "the first line")} {headers.Length}",
                    string.Join(separator, row.Cells)
                )
            );
            data.Remove(row);
        }
        return new ContactTable(encoding, separator, hasHeader, Guess(headers, data, said, hasHeader), data, faults);
    }

    private static (List<ListRow> Rows, string Separator) Parse(string text, string? separator, List<ListFault> faults)
    {
        var broken = new List<int>();
        var configuration = new CsvConfiguration(CultureInfo.InvariantCulture)
        {
            HasHeaderRecord = false,
            TrimOptions = TrimOptions.Trim,
            IgnoreBlankLines = true,
            Delimiter = separator ?? ",",
            DetectDelimiter = separator is null,
            DetectDelimiterValues = s_separators,
            BadDataFound = bad => broken.Add(bad.Context.Parser!.RawRow),
        };
        var rows = new List<ListRow>();
        using var reader = new StringReader(text);
        using var csv = new CsvParser(reader, configuration);
        if (separator is not null)
            csv.Read();
        while (csv.Read())
        {
            var raw = csv.RawRecord;
            // The parser tells the line on which a row ends. One with a note of several lines begins above.
            var line = csv.RawRow - raw.TrimEnd('\r', '\n').Count(c => c == '\n');
            if (broken.Count > 0)
                faults.Add(new ListFault(line, "a quotation mark stands where none may", raw.TrimEnd('\r', '\n')));
            else if (csv.Record!.Any(c => c.Length > 0))
                rows.Add(new ListRow(line, [.. csv.Record!]));
            broken.Clear();
        }
        return (rows, csv.Delimiter);
    }

    /// <summary>No list of people has an address or a number as a heading.</summary>
    private static bool IsHeader(ImmutableArray<string> cells, IReadOnlyDictionary<string, ColumnUse> said) =>
        cells.All(c => !CellKinds.IsAddress(c) && !CellKinds.IsNumber(c) && !CellKinds.IsDate(c))
        && cells.Any(c => said.ContainsKey(c) || ColumnWords.Read(c, out _, out _) is not null);

    private static ImmutableArray<ListColumn> Guess(
        ImmutableArray<string> headers,
        List<ListRow> rows,
        IReadOnlyDictionary<string, ColumnUse> said,
        bool hasHeader
    )
    {
        var columns = headers.Select((h, i) => Column(h, [.. Values(rows, i)], said, hasHeader)).ToArray();
        bool Has(ContactField field) => columns.Any(c => c.Use.Field == field);
        var (given, family) = (Has(ContactField.Given), Has(ContactField.Family));
        for (var i = 0; i < columns.Length; i++)
            if (columns[i] is { IsGuessed: true, Use.Field: ContactField.Name } column)
            {
                if (given && !family && ColumnWords.IsFamilyBesideGiven(column.Header))
                    columns[i] = column with { Use = new ColumnUse(ContactField.Family) };
                else if (family && !given && ColumnWords.IsGivenBesideFamily(column.Header))
                    columns[i] = column with { Use = new ColumnUse(ContactField.Given) };
            }
        // Without any name, the first column of words is one.
        if (!Has(ContactField.Name) && !given && !family && !Has(ContactField.Organisation))
        {
            var first = Array.FindIndex(columns, c => c is { IsGuessed: true, Use.Field: ContactField.Note });
            if (first >= 0)
                columns[first] = columns[first] with { Use = new ColumnUse(ContactField.Name) };
        }
        return [.. columns];
    }

    private static IEnumerable<string> Values(List<ListRow> rows, int column) =>
        rows.Where(r => column < r.Cells.Length).Select(r => r.Cells[column]).Where(c => c.Length > 0).Take(Sample);

    private static ListColumn Column(string header, List<string> values, IReadOnlyDictionary<string, ColumnUse> said, bool hasHeader)
    {
        var (read, number, typeOf) = (default(ColumnUse?), 0, ContactField.Leave);
        if (hasHeader)
            read = ColumnWords.Read(header, out number, out typeOf);
        if (said.TryGetValue(header, out var use))
            return new ListColumn(header, use, IsGuessed: false, number, typeOf);
        if (read is { Field: ContactField.JobTitle } && Mostly(values, v => s_salutations.Contains(v.Trim('.').ToLowerInvariant())))
            read = new ColumnUse(ContactField.Prefix);
        // What is in the column outweighs a heading such as 'contact' or 'number'.
        if (Mostly(values, CellKinds.IsAddress) && read?.Field is not ContactField.Email)
            read = new ColumnUse(ContactField.Email);
        else if (read is { Field: ContactField.Phone } && values.Count > 0 && !values.Exists(CellKinds.IsNumber))
            read = null;
        else if (read is null && Mostly(values, CellKinds.IsDialled))
            read = new ColumnUse(ContactField.Phone, ColumnWords.PlaceOf(header));
        else if (read is null && Mostly(values, CellKinds.IsWebsite))
            read = new ColumnUse(ContactField.Website);
        return new ListColumn(header, read ?? new ColumnUse(ContactField.Note), IsGuessed: true, number, typeOf);
    }

    private static bool Mostly(List<string> values, Func<string, bool> fits) =>
        values.Count > 0 && values.Count(fits) * 5 >= values.Count * 4;
}

/// <summary>What the content of a single cell looks like.</summary>
internal static partial class CellKinds
{
    public static bool IsAddress(string cell) => Parts(cell) is { Length: > 0 } parts && parts.All(p => Address().IsMatch(p));

    /// <summary>Digits with what people write between them, enough for somebody to be called.</summary>
    public static bool IsNumber(string cell) => Number().IsMatch(cell) && cell.Count(char.IsAsciiDigit) is >= 3 and <= 20;

    /// <summary>A number that is no date, no amount and no mere count.</summary>
    public static bool IsDialled(string cell) =>
        IsNumber(cell)
        && !IsDate(cell)
        && cell.Count(char.IsAsciiDigit) >= 6
        && (cell[0] is '+' or '0' or '(' || cell.AsSpan().ContainsAny(' ', '-', '/'));

    public static bool IsDate(string cell) => Date().IsMatch(cell);

    public static bool IsWebsite(string cell) => Website().IsMatch(cell);

    public static string[] Parts(string cell) =>
        cell.Split([';', ',', ' ', '\n', '\r', '|'], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);

    [GeneratedRegex(@"^(mailto:)?[^\s@<>()]+@[^\s@<>()]+\.[^\s@<>().]{2,}$", RegexOptions.NonBacktracking)]
    private static partial Regex Address();

    [GeneratedRegex(@"^(tel:)?[+(]?[0-9][0-9 ()./+\u00a0–-]*(x|ext\.?)? ?[0-9]*$", RegexOptions.NonBacktracking | RegexOptions.IgnoreCase)]
    private static partial Regex Number();

    [GeneratedRegex(@"^([0-9]{4}-[0-9]{1,2}-[0-9]{1,2}|[0-9]{1,2}[./-][0-9]{1,2}[./-]([0-9]{4}|[0-9]{2}))$", RegexOptions.NonBacktracking)]
    private static partial Regex Date();

    [GeneratedRegex(@"^(https?://\S+|www\.\S+)$", RegexOptions.NonBacktracking | RegexOptions.IgnoreCase)]
    private static partial Regex Website();
}
