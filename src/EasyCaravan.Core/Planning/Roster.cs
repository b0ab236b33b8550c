using System.Collections.Immutable;
using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;

namespace EasyCaravan.Core.Planning;

/// <summary>One person of a roster. Secrets are in clear only here, on their way to being sealed; errors never repeat a value.</summary>
public sealed record RosterPerson(
    int Line,
    string Name,
    string FromAccount,
    string ToAccount,
    string FromLogin,
    string? FromSecret,
    string ToLogin,
    string? ToSecret,
    string? Note
)
{
    /// <summary>Where the from side's secret is kept, instead of standing in the roster.</summary>
    public SecretReference? FromSecretReference { get; init; }

    public SecretReference? ToSecretReference { get; init; }

    /// <summary>Overrides the route's <see cref="Route.Under"/>; <see cref="CarryRules.AccountRoot"/>: at the root.</summary>
    public string? ToUnder { get; init; }

    /// <summary>In which they are written to: en, de or fr; null: as the plan's notices say.</summary>
    public string? Language { get; init; }

    /// <summary>Where notices go; null: to the account itself.</summary>
    public string? Notify { get; init; }

    /// <summary>Where mail to the old address is forwarded to; null: as the batch's crossing says.</summary>
    public string? ForwardTo { get; init; }

    /// <summary>Overrides the route's <see cref="Route.Root"/>; <see cref="CarryRules.AccountRoot"/>: the person's own folders.</summary>
    public string? ToRoot { get; init; }

    /// <summary>Without the secrets: records print all they hold.</summary>
    public override string ToString() => $"{Name}, line {Line}";
}

/// <summary>The people of a batch: CSV (RFC 4180) with a header line, or LDIF (RFC 2849).</summary>
public static class Roster
{
    private static readonly string[] s_required = ["name", "from_account", "to_account"];
    private static readonly string[] s_optional =
    [
        "from_login",
        "from_secret",
        "from_secret_ref",
        "to_login",
        "to_secret",
        "to_secret_ref",
        "to_under",
        "to_root",
        "note",
        "language",
        "notify",
        "forward_to",
    ];

    /// <summary>Reads every line and reports every error, each with its line. Columns may stand in any order.</summary>
    /// <param name="file">How the file is named in errors.</param>
    /// <param name="text">UTF-8 decoded; a byte order mark at its start is passed over.</param>
    public static ImmutableArray<RosterPerson> Read(string file, string text, ICollection<PlanError> errors)
    {
        text = text.TrimStart('\uFEFF');
        var before = errors.Count;
        var people = file.EndsWith(".ldif", StringComparison.OrdinalIgnoreCase)
            ? ReadLdif(file, text, errors)
            : ReadCsv(file, text, errors);
        if (people.Length == 0 && errors.Count == before)
            errors.Add(new PlanError(file, 1, "the roster names nobody", "add a line for each person below the header"));
        return people;
    }

    private static ImmutableArray<RosterPerson> ReadCsv(string file, string text, ICollection<PlanError> errors)
    {
        var broken = new List<int>();
        var configuration = new CsvConfiguration(CultureInfo.InvariantCulture)
        {
            TrimOptions = TrimOptions.Trim,
            MissingFieldFound = null,
            BadDataFound = bad => broken.Add(bad.Context.Parser!.RawRow),
            IgnoreBlankLines = true,
            DetectDelimiter = true,
            DetectDelimiterValues = [",", ";", "\t"],
        };
        using var reader = new StringReader(text);
        using var csv = new CsvReader(reader, configuration);
        if (!csv.Read() || !csv.ReadHeader())
        {
            errors.Add(new PlanError(file, 1, "the roster is empty", $"begin it with a header line: {string.Join(',', s_required)}"));
            return [];
        }
        if (!CheckHeader(file, csv.HeaderRecord!, errors))
            return [];

        var people = ImmutableArray.CreateBuilder<RosterPerson>();
        while (csv.Read())
        {
            var line = csv.Parser.RawRow;
            if (csv.Parser.Count > csv.HeaderRecord!.Length)
                errors.Add(
                    new PlanError(
                        file,
                        line,
                        $"the line has {csv.Parser.Count} fields, the header {csv.HeaderRecord.Length}",
                        "put a field that holds the separator in quotes"
                    )
                );
            else if (
                Make(file, line, c => csv.TryGetField<string>(c, out var value) && !string.IsNullOrEmpty(value) ? value : null, errors) is
                { } person
            )
                people.Add(person);
        }
        foreach (var line in broken.Distinct())
            errors.Add(new PlanError(file, line, "a quote stands where none may", "quote the whole field, and double a quote within it"));
        return people.ToImmutable();
    }

    private static ImmutableArray<RosterPerson> ReadLdif(string file, string text, ICollection<PlanError> errors)
    {
        var people = ImmutableArray.CreateBuilder<RosterPerson>();
        foreach (var entry in Ldif.Read(file, text, errors))
        {
            // What directories call a person's name and address, and our own columns where a directory has no word.
            string? Field(string column) =>
                column switch
                {
                    "name" => entry.First("name") ?? entry.First("cn") ?? entry.First("displayName"),
                    "from_account" => entry.First("from_account") ?? entry.First("mail"),
                    "to_account" => entry.First("to_account") ?? entry.First("mail"),
                    "note" => entry.First("note") ?? entry.First("description"),
                    "language" => entry.First("language") ?? LanguageOf(entry.First("preferredLanguage")),
                    _ => entry.First(column),
                };
            if (Make(file, entry.Line, Field, errors) is { } person)
                people.Add(person);
        }
        return people.ToImmutable();
    }

    private static RosterPerson? Make(string file, int line, Func<string, string?> field, ICollection<PlanError> errors)
    {
        var before = errors.Count;
        foreach (var column in s_required.Where(c => field(c) is null))
            errors.Add(new PlanError(file, line, $"{column} is empty", "every person needs a name, a from_account and a to_account"));
        SecretReference? Reference(string column)
        {
            if (field(column) is not { } text)
                return null;
            var reference = SecretReference.Parse(text);
            if (reference is null)
                errors.Add(
                    new PlanError(
                        file,
                        line,
                        // What stands there may be the secret itself.
                        $"what stands in {column} is no reference to a secret",
                        $"env:{SecretReference.EnvironmentPrefix}NAME or file:NAME"
                    )
                );
            else if (field(column[..^4]) is not null)
                errors.Add(new PlanError(file, line, $"{column[..^4]} and {column} are both given", "one of them"));
            return reference;
        }
        var (fromReference, toReference) = (Reference("from_secret_ref"), Reference("to_secret_ref"));
        if (
            field("to_under") is { } under
            && under != CarryRules.AccountRoot
            && (!FolderPath.TryParse(under, out var place) || place!.IsInbox)
        )
            errors.Add(
                new PlanError(
                    file,
                    line,
                    "what stands in to_under is not a folder",
                    "names with '/' between them, or a single / for the account's root"
                )
            );
        if (field("language") is { } language && !Notifying.LetterTemplates.Languages.Contains(language))
            errors.Add(
                new PlanError(
                    file,
                    line,
                    "what stands in language is none in which notices are written",
                    string.Join(", ", Notifying.LetterTemplates.Languages)
                )
            );
        foreach (var column in new[] { "notify", "forward_to" })
            if (field(column) is { } address && !MimeKit.MailboxAddress.TryParse(address, out _))
                errors.Add(
                    new PlanError(file, line, $"what stands in {column} is no mail address", "an address such as desk@saltmarsh.example")
                );
        if (errors.Count > before)
            return null;
        var (from, to) = (field("from_account")!, field("to_account")!);
        return new RosterPerson(
            line,
            field("name")!,
            from,
            to,
            field("from_login") ?? from,
            field("from_secret"),
            field("to_login") ?? to,
            field("to_secret"),
            field("note")
        )
        {
            FromSecretReference = fromReference,
            ToSecretReference = toReference,
            ToUnder = field("to_under"),
            ToRoot = field("to_root"),
            Language = field("language"),
            Notify = field("notify"),
            ForwardTo = field("forward_to"),
        };
    }

    /// <summary>A directory's word such as <c>de-AT, en;q=0.8</c> (RFC 2798 §2.7), where it begins with one that notices have.</summary>
    private static string? LanguageOf(string? preferred) =>
        Notifying.LetterTemplates.Languages.FirstOrDefault(l =>
            preferred?.Trim().StartsWith(l, StringComparison.OrdinalIgnoreCase) == true
        );

    private static bool CheckHeader(string file, string[] header, ICollection<PlanError> errors)
    {
        var before = errors.Count;
        foreach (var column in s_required.Where(c => !header.Contains(c)))
            errors.Add(
                new PlanError(
                    file,
                    1,
                    $"the column {column} is missing",
                    $"the header needs {string.Join(", ", s_required)}; it may have {string.Join(", ", s_optional)}"
                )
            );
        // Where nothing of a header is there, the first line is a person's, and what stands in it may be a secret.
        if (!header.Any(s_required.Contains))
            return false;
        foreach (var column in header.Where(c => !s_required.Contains(c) && !s_optional.Contains(c)))
            errors.Add(
                new PlanError(
                    file,
                    1,
                    $"the column '{column}' is not known{Spelling.Suggest(column, [.. s_required, .. s_optional])}",
                    $"columns are {string.Join(", ", [.. s_required, .. s_optional])}"
                )
            );
        foreach (var column in header.GroupBy(c => c).Where(g => g.Count() > 1))
            errors.Add(new PlanError(file, 1, $"the column {column.Key} stands twice", "keep one of them"));
        return errors.Count == before;
    }
}
