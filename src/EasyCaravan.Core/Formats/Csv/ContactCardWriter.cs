using System.IO.Hashing;
using System.Text;

namespace EasyCaravan.Core.Formats.Csv;

/// <summary>Makes a vCard of a row. Version 3.0, which every server takes (RFC 2426).</summary>
internal sealed class ContactCardWriter(ContactTable table)
{
    /// <summary>Octets of a line without its end (RFC 2426 §2.6).</summary>
    private const int LongestLine = 75;

    private readonly Dictionary<int, BirthdayReader> _birthdays = table
        .Columns.Select((column, i) => (column, i))
        .Where(c => c.column.Use.Field is ContactField.Birthday)
        .ToDictionary(c => c.i, c => new BirthdayReader(table.Rows.Where(r => c.i < r.Cells.Length).Select(r => r.Cells[c.i])));

    /// <summary>By which the row is known again when the list is sent anew; null: it says nothing about anybody.</summary>
    public string? KeyOf(ListRow row)
    {
        // A dash in an empty cell names nobody.
        string? First(ContactField field) => Values(row, field).FirstOrDefault(v => v.Any(char.IsLetterOrDigit));
        if (First(ContactField.Uid) is { } uid)
            return $"uid {uid}";
        var name = string.Join(' ', PlainWords.Of(NameOf(row)));
        return name.Length > 0 ? $"name {name}"
            : First(ContactField.Organisation) is { } organisation ? $"organisation {organisation}"
            : First(ContactField.Email) is { } address ? $"address {address.ToLowerInvariant()}"
            : First(ContactField.Phone) is { } phone ? $"phone {phone}"
            : null;
    }

    /// <param name="uid">Of the contact.</param>
    public byte[] Write(ListRow row, string uid)
    {
        var card = new StringBuilder("BEGIN:VCARD\r\nVERSION:3.0\r\nPRODID:-//Easy Caravan//EN\r\n");
        void Line(string name, string value) => Fold(card, $"{name}:{value}");
        Line("UID", Escape(uid));
        var name = NameOf(row);
        if (name.Length == 0)
            name = Values(row, ContactField.Organisation)
                .Concat(Values(row, ContactField.Nickname))
                .Concat(Values(row, ContactField.Email))
                .Concat(Values(row, ContactField.Phone))
                .First();
        Line("FN", Escape(name));
        Line("N", string.Join(';', NameParts(row).Select(Escape)));
        string Joined(ContactField field, string between = " ") => string.Join(between, Values(row, field));
        var organisation = Joined(ContactField.Organisation, ", ");
        var department = Joined(ContactField.Department, ", ");
        if (organisation.Length + department.Length > 0)
            Line("ORG", department.Length > 0 ? $"{Escape(organisation)};{Escape(department)}" : Escape(organisation));
        foreach (var (field, property) in new[] { (ContactField.JobTitle, "TITLE"), (ContactField.Nickname, "NICKNAME") })
            if (Joined(field, ", ") is { Length: > 0 } text)
                Line(property, Escape(text));
        var reach = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        foreach (var (index, column) in Columns(ContactField.Email))
        foreach (var address in Split(Cell(row, index), CellKinds.IsAddress, CellKinds.Parts))
            if (reach.Add(address))
                Line($"EMAIL{TypeOf(row, column, ";TYPE=INTERNET")}", Escape(address));
        foreach (var (index, column) in Columns(ContactField.Phone))
        foreach (var number in Split(Cell(row, index), c => Numbers(c).All(CellKinds.IsNumber), Numbers))
            if (reach.Add(number))
                Line($"TEL{TypeOf(row, column, "")}", Escape(number));
        foreach (var address in Addresses(row))
            Line(address.Name, address.Value);
        foreach (var site in Values(row, ContactField.Website))
            Line("URL", site.Contains("://", StringComparison.Ordinal) ? site : $"http://{site}");
        var groups = Values(row, ContactField.Groups)
            .SelectMany(g => g.Split([';', ',', '|'], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
            .Distinct(StringComparer.OrdinalIgnoreCase)
            .ToList();
        if (groups.Count > 0)
            Line("CATEGORIES", string.Join(',', groups.Select(Escape)));
        var notes = new List<string>();
        foreach (var (index, column) in Columns(ContactField.Birthday))
            if (Cell(row, index) is { Length: > 0 } written)
            {
                if (_birthdays[index].Read(written) is { } day && !card.ToString().Contains("\r\nBDAY:", StringComparison.Ordinal))
                    Line("BDAY", day);
                else
                    notes.Add($"{column.Header}: {written}");
            }
        foreach (var (index, column) in Columns(ContactField.Note))
            if (Cell(row, index) is { Length: > 0 } text)
                notes.Add(ColumnWords.Read(column.Header, out _, out _)?.Field is ContactField.Note ? text : $"{column.Header}: {text}");
        if (notes.Count > 0)
            Line("NOTE", Escape(string.Join('\n', notes)));
        return Encoding.UTF8.GetBytes(card.Append("END:VCARD\r\n").ToString());
    }

    private IEnumerable<(int Index, ListColumn Column)> Columns(ContactField field) =>
        table.Columns.Select((column, i) => (i, column)).Where(c => c.column.Use.Field == field);

    private static string Cell(ListRow row, int column) => column < row.Cells.Length ? row.Cells[column] : "";

    private IEnumerable<string> Values(ListRow row, ContactField field) =>
        Columns(field).Select(c => Cell(row, c.Index)).Where(v => v.Length > 0);

    private string NameOf(ListRow row)
    {
        if (Values(row, ContactField.Name).FirstOrDefault() is { } whole)
            return whole.Split(',') is [var family, var given] && given.Trim().Length > 0 ? $"{given.Trim()} {family.Trim()}" : whole;
        ContactField[] order = [ContactField.Prefix, ContactField.Given, ContactField.Middle, ContactField.Family, ContactField.Suffix];
        // A salutation alone names nobody.
        return order.Any(f => f is not (ContactField.Prefix or ContactField.Suffix) && Values(row, f).Any())
            ? string.Join(' ', order.SelectMany(f => Values(row, f)))
            : "";
    }

    /// <summary>Family, given, additional, prefix, suffix (RFC 2426 §3.1.2).</summary>
    private string[] NameParts(ListRow row)
    {
        string Of(ContactField field) => string.Join(' ', Values(row, field));
        string[] parts =
        [
            Of(ContactField.Family),
            Of(ContactField.Given),
            Of(ContactField.Middle),
            Of(ContactField.Prefix),
            Of(ContactField.Suffix),
        ];
        if (parts[0].Length + parts[1].Length > 0 || Values(row, ContactField.Name).FirstOrDefault() is not { } whole)
            return parts;
        if (whole.Split(',') is [var family, var given] && given.Trim().Length > 0)
            (parts[0], parts[1]) = (family.Trim(), given.Trim());
        else if (whole.LastIndexOf(' ') is > 0 and var last)
            (parts[0], parts[1]) = (whole[(last + 1)..], whole[..last].Trim());
        else
            parts[1] = whole;
        return parts;
    }

    /// <summary>All of a cell at once where it does not consist of several of the kind.</summary>
    private static IEnumerable<string> Split(string cell, Func<string, bool> areAll, Func<string, string[]> parts) =>
        cell.Length == 0 ? []
        : areAll(cell) ? parts(cell)
        : [cell];

    private static string[] Numbers(string cell) =>
        cell.Split([';', ',', '\n', '\r', '|'], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);

    private string TypeOf(ListRow row, ListColumn column, string byDefault) =>
        PlaceOf(row, column) switch
        {
            ContactPlace.Home => ";TYPE=HOME",
            ContactPlace.Work => ";TYPE=WORK",
            ContactPlace.Mobile => ";TYPE=CELL",
            ContactPlace.Fax => ";TYPE=FAX",
            _ => byDefault,
        };

    private ContactPlace PlaceOf(ListRow row, ListColumn column)
    {
        if (column.Use.Place is not ContactPlace.Any)
            return column.Use.Place;
        var field = column.Use.IsAddress ? ContactField.Street : column.Use.Field;
        return Columns(ContactField.Type)
            .Where(t => t.Column.TypeOf == field && t.Column.Number == column.Number)
            .Select(t => ColumnWords.PlaceOf(Cell(row, t.Index)))
            .FirstOrDefault();
    }

    /// <summary>One for each place and number: its columns belong together.</summary>
    private IEnumerable<(string Name, string Value)> Addresses(ListRow row)
    {
        var columns = table.Columns.Select((column, i) => (i, column)).Where(c => c.column.Use.IsAddress).ToList();
        foreach (var group in columns.GroupBy(c => (Place: PlaceOf(row, c.column), c.column.Number)))
        {
            string Of(ContactField field) =>
                string.Join(", ", group.Where(c => c.column.Use.Field == field).Select(c => Cell(row, c.i)).Where(v => v.Length > 0));
            // Post office box, extended address, street, locality, region, postal code, country (RFC 2426 §3.2.1).
            string[] parts =
            [
                "",
                "",
                Of(ContactField.Street),
                Of(ContactField.City),
                Of(ContactField.Region),
                Of(ContactField.Postcode),
                Of(ContactField.Country),
            ];
            if (parts.Any(p => p.Length > 0))
                yield return (
                    group.Key.Place switch
                    {
                        ContactPlace.Home => "ADR;TYPE=HOME",
                        ContactPlace.Work => "ADR;TYPE=WORK",
                        _ => "ADR",
                    },
                    string.Join(';', parts.Select(Escape))
                );
        }
    }

    /// <summary>The UID of what has none of its own: the same whenever the list is read.</summary>
    public static string UidOf(string file, string key) => $"{XxHash128.HashToUInt128(Encoding.UTF8.GetBytes($"{file}\n{key}")):x32}";

    private static string Escape(string text) =>
        text.Replace("\\", "\\\\", StringComparison.Ordinal)
            .Replace(",", "\\,", StringComparison.Ordinal)
            .Replace(";", "\\;", StringComparison.Ordinal)
            .Replace("\r\n", "\\n", StringComparison.Ordinal)
            .Replace("\n", "\\n", StringComparison.Ordinal)
            .Replace("\r", "\\n", StringComparison.Ordinal);

    /// <summary>Never within a character.</summary>
    private static void Fold(StringBuilder card, string line)
    {
        var octets = 0;
        foreach (var rune in line.EnumerateRunes())
        {
            if (octets + rune.Utf8SequenceLength > LongestLine)
            {
                card.Append("\r\n ");
                octets = 1;
            }
            // A control character is no part of a text (RFC 2426 §4), and some come out of spreadsheets.
            card.Append(Rune.IsControl(rune) ? " " : rune.ToString());
            octets += rune.Utf8SequenceLength;
        }
        card.Append("\r\n");
    }
}
