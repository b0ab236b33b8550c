using System.Globalization;
using System.Text;

namespace EasyCaravan.Parcels;

/// <summary>Names of files that every system takes for one name in one folder. The true names stand in the manifest.</summary>
public static class SafeName
{
    /// <summary>Octets of UTF-8 in one name: some systems allow 255, and an ending is added.</summary>
    private const int Longest = 120;

    /// <summary>Names that are devices on some systems, with any ending.</summary>
    private static readonly HashSet<string> s_devices = new(
        ["CON", "PRN", "AUX", "NUL", .. Enumerable.Range(0, 10).SelectMany(n => new[] { $"COM{n}", $"LPT{n}" })],
        StringComparer.OrdinalIgnoreCase
    );

    /// <summary>A name that is like this one, and safe.</summary>
    public static string Of(string name)
    {
        var safe = new StringBuilder();
        foreach (var rune in name.Normalize(NormalizationForm.FormC).EnumerateRunes())
            safe.Append(IsPlain(rune) ? rune.ToString() : "_");
        var text = Shortened(safe.ToString()).Trim(' ').TrimEnd('.', ' ');
        if (text.StartsWith('.'))
            text = "_" + text[1..];
        if (text.Length == 0 || s_devices.Contains(text.Split('.')[0].TrimEnd()))
            text = "_" + text;
        return text;
    }

    /// <summary>The name, or one with a number behind it, that nobody has yet, whatever the case of letters.</summary>
    public static string Unique(string safe, Func<string, bool> isTaken)
    {
        var name = safe;
        for (var n = 2; isTaken(name); n++)
            name = $"{safe}~{n.ToString(CultureInfo.InvariantCulture)}";
        return name;
    }

    /// <summary>A path of safe names with <c>/</c> between them: it leads nowhere but below the folder that it begins in.</summary>
    public static bool IsSafePath(string path) =>
        path.Length > 0 && path.Split('/') is var names && names.All(n => n.Length > 0 && n is not ("." or "..") && IsSafeWithin(n));

    private static bool IsSafeWithin(string name) =>
        name.EnumerateRunes().All(IsPlain)
        && !name.StartsWith(' ')
        && !name.EndsWith(' ')
        && !name.EndsWith('.')
        && !s_devices.Contains(name.Split('.')[0].TrimEnd());

    /// <summary>No control or format character, and none that means something in a path or a pattern on any system.</summary>
    private static bool IsPlain(Rune rune) =>
        rune.Value is not ('/' or '\\' or ':' or '*' or '?' or '"' or '<' or '>' or '|' or 0xFFFD)
        && Rune.GetUnicodeCategory(rune)
            is not (
                UnicodeCategory.Control
                or UnicodeCategory.Format
                or UnicodeCategory.LineSeparator
                or UnicodeCategory.ParagraphSeparator
                or UnicodeCategory.Surrogate
            );

    private static string Shortened(string text)
    {
        if (Encoding.UTF8.GetByteCount(text) <= Longest)
            return text;
        var (kept, octets) = (new StringBuilder(), 0);
        foreach (var rune in text.EnumerateRunes())
        {
            if ((octets += rune.Utf8SequenceLength) > Longest)
                break;
            kept.Append(rune.ToString());
        }
        return kept.ToString();
    }
}
