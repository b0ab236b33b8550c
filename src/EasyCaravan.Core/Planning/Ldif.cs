using System.Text;

namespace EasyCaravan.Core.Planning;

/// <summary>One entry of an LDIF file: attribute names without case, each with its values.</summary>
/// <param name="Line">1-based, of the entry's first line.</param>
internal sealed record LdifEntry(int Line, ILookup<string, string> Values)
{
    public string? First(string attribute) => Values[attribute].FirstOrDefault(v => v.Length > 0);
}

/// <summary>
/// Reads LDIF content records (RFC 2849 §2). Change records and values by URL are refused: a roster says who moves, it changes no
/// directory.
/// </summary>
internal static class Ldif
{
    public static IReadOnlyList<LdifEntry> Read(string file, string text, ICollection<PlanError> errors)
    {
        var entries = new List<LdifEntry>();
        var values = new List<(string Name, string Value)>();
        var first = 0;
        void End()
        {
            if (values.Count > 0 && values[0].Name.Equals("dn", StringComparison.OrdinalIgnoreCase))
                entries.Add(new LdifEntry(first, values.ToLookup(v => v.Name, v => v.Value, StringComparer.OrdinalIgnoreCase)));
            else if (values.Count > 0)
                errors.Add(
                    new PlanError(file, first, "an entry does not begin with 'dn:'", "LDIF entries begin with their distinguished name")
                );
            values.Clear();
        }
        foreach (var (line, number) in Unfold(text))
        {
            if (line.Length == 0)
            {
                End();
                continue;
            }
            if (line[0] == '#' || (values.Count == 0 && line.StartsWith("version:", StringComparison.OrdinalIgnoreCase)))
                continue;
            if (values.Count == 0)
                first = number;
            if (Parse(file, line, number, errors) is { } pair)
                values.Add(pair);
        }
        End();
        return entries;
    }

    /// <summary>
    /// Logical lines with the number of their first physical one: a line that begins with a blank continues the one before (RFC 2849 §2,
    /// note 2).
    /// </summary>
    private static IEnumerable<(string Line, int Number)> Unfold(string text)
    {
        StringBuilder? current = null;
        var (number, at) = (0, 0);
        foreach (var raw in text.Split('\n'))
        {
            at++;
            var line = raw.TrimEnd('\r');
            if (line.Length > 0 && line[0] == ' ' && current is not null)
            {
                current.Append(line, 1, line.Length - 1);
                continue;
            }
            if (current is not null)
                yield return (current.ToString(), number);
            (current, number) = (new StringBuilder(line), at);
        }
        if (current is not null)
            yield return (current.ToString(), number);
    }

    private static (string, string)? Parse(string file, string line, int number, ICollection<PlanError> errors)
    {
        var colon = line.IndexOf(':', StringComparison.Ordinal);
        if (colon <= 0)
        {
            errors.Add(new PlanError(file, number, "the line has no attribute", "'attribute: value', or 'attribute:: base64'"));
            return null;
        }
        // Options such as ;lang-ga say of what kind the value is; any serves.
        var name = line[..colon].Split(';')[0];
        if (name.Equals("changetype", StringComparison.OrdinalIgnoreCase))
        {
            errors.Add(new PlanError(file, number, "this is a change record", "entries as a directory exports them, without changetype"));
            return null;
        }
        var rest = line[(colon + 1)..];
        if (rest.StartsWith('<'))
        {
            errors.Add(new PlanError(file, number, $"the value of {name} stands elsewhere", "values in the file itself"));
            return null;
        }
        if (!rest.StartsWith(':'))
            return (name, rest.TrimStart(' '));
        var octets = new byte[rest.Length];
        if (Convert.TryFromBase64String(rest[1..].Trim(), octets, out var length))
            return (name, Encoding.UTF8.GetString(octets, 0, length));
        errors.Add(new PlanError(file, number, $"the value of {name} is not base64", "'attribute:: base64'"));
        return null;
    }
}
