using System.Collections.Immutable;
using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;

namespace EasyCaravan.Core.Planning;

/// <summary>One person of a roster. Secrets are in clear only here, on their way to being sealed.</summary>
public sealed record RosterPerson(
    int Line, string Name, string FromAccount, string ToAccount, string FromLogin, string? FromSecret, string ToLogin, string? ToSecret, string? Note);

/// <summary>The people of a batch, read from CSV (RFC 4180) with a header line.</summary>
public static class Roster
{
    private static readonly string[] s_required = ["name", "from_account", "to_account"];
    private static readonly string[] s_optional = ["from_login", "from_secret", "to_login", "to_secret", "note"];

    /// <summary>Reads every line and reports every error, each with its line. Columns may stand in any order.</summary>
    /// <param name="file">How the file is named in errors.</param>
    /// <param name="text">UTF-8 decoded; a byte order mark at its start is passed over.</param>
    public static ImmutableArray<RosterPerson> Read(string file, string text, ICollection<PlanError> errors)
    {
        var configuration = new CsvConfiguration(CultureInfo.InvariantCulture)
        {
            TrimOptions = TrimOptions.Trim,
            MissingFieldFound = null,
            BadDataFound = null,
            IgnoreBlankLines = true,
            DetectDelimiter = true,
            DetectDelimiterValues = [",", ";", "\t"],
        };
        using var reader = new StringReader(text.TrimStart('\uFEFF'));
        using var csv = new CsvReader(reader, configuration);
        var people = ImmutableArray.CreateBuilder<RosterPerson>();
        if (!csv.Read() || !csv.ReadHeader())
        {
            errors.Add(new PlanError(file, 1, "the roster is empty", $"begin it with a header line: {string.Join(',', s_required)}"));
            return [];
        }
        if (!CheckHeader(file, csv.HeaderRecord!, errors)) return [];

        while (csv.Read())
        {
            var line = csv.Parser.RawRow;
            string? Field(string column) => csv.TryGetField<string>(column, out var value) && !string.IsNullOrEmpty(value) ? value : null;
            var missing = s_required.Where(c => Field(c) is null).ToList();
            foreach (var column in missing)
                errors.Add(new PlanError(file, line, $"{column} is empty", "every person needs a name, a from_account and a to_account"));
            if (missing.Count > 0) continue;
            var from = Field("from_account")!;
            var to = Field("to_account")!;
            people.Add(new RosterPerson(
                line, Field("name")!, from, to, Field("from_login") ?? from, Field("from_secret"), Field("to_login") ?? to, Field("to_secret"), Field("note")));
        }
        if (people.Count == 0 && errors.Count == 0)
            errors.Add(new PlanError(file, 1, "the roster names nobody", "add a line for each person below the header"));
        return people.ToImmutable();
    }

    private static bool CheckHeader(string file, string[] header, ICollection<PlanError> errors)
    {
        var before = errors.Count;
        foreach (var column in s_required.Where(c => !header.Contains(c)))
            errors.Add(new PlanError(file, 1, $"the column {column} is missing", $"the header needs {string.Join(", ", s_required)}; it may have {string.Join(", ", s_optional)}"));
        foreach (var column in header.Where(c => !s_required.Contains(c) && !s_optional.Contains(c)))
            errors.Add(new PlanError(file, 1, $"the column '{column}' is not known{Spelling.Suggest(column, [.. s_required, .. s_optional])}", $"columns are {string.Join(", ", [.. s_required, .. s_optional])}"));
        foreach (var column in header.GroupBy(c => c).Where(g => g.Count() > 1))
            errors.Add(new PlanError(file, 1, $"the column {column.Key} stands twice", "keep one of them"));
        return errors.Count == before;
    }
}
