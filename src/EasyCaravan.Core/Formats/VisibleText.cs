using System.Buffers;
using System.Globalization;
using System.Text;

namespace EasyCaravan.Core.Formats;

/// <summary>
/// Text of others (names, subjects, what servers say) as people are to see it. Marks that steer a terminal, begin a new line or turn the
/// direction of what stands around them are shown as what they are, so that no text looks like something else.
/// </summary>
public static class VisibleText
{
    /// <summary>Controls (C0, C1, DEL), separators of lines and paragraphs, marks without a width. Joiners belong to letters.</summary>
    private static readonly SearchValues<char> s_suspects = SearchValues.Create([
        .. Range(0x00, 0x1F),
        .. Range(0x7F, 0x9F),
        '\u00AD',
        '\u061C',
        '\u180E',
        '\u200B',
        '\u200E',
        '\u200F',
        .. Range(0x2028, 0x202E),
        .. Range(0x2060, 0x206F),
        '\uFEFF',
        .. Range(0xFFF9, 0xFFFB),
        // Halves of characters above U+FFFF: alone they are none, and tags (U+E0000 to U+E007F) are not seen.
        .. Range(0xD800, 0xDFFF),
    ]);

    /// <param name="keepsLines">Line ends and tabs stay: it is a text of several lines, shown by itself.</param>
    public static string Of(string text, bool keepsLines = false)
    {
        var first = text.AsSpan().IndexOfAny(s_suspects);
        if (first < 0)
            return text;
        var seen = new StringBuilder(text, 0, first, text.Length + 16);
        for (var at = first; at < text.Length; )
        {
            if (Rune.DecodeFromUtf16(text.AsSpan(at), out var rune, out var length) is OperationStatus.Done)
                Append(seen, rune, keepsLines);
            else
                AppendNumber(seen, text[at]);
            at += length;
        }
        return seen.ToString();
    }

    private static void Append(StringBuilder seen, Rune rune, bool keepsLines)
    {
        if (keepsLines && rune.Value is '\n' or '\r' or '\t')
            seen.Append((char)rune.Value);
        else if (rune.IsBmp ? s_suspects.Contains((char)rune.Value) : rune.Value is >= 0xE0000 and <= 0xE007F)
            AppendNumber(seen, rune.Value);
        else
            seen.Append(rune.ToString());
    }

    /// <summary>Unicode has pictures of controls, but few fonts have them.</summary>
    private static void AppendNumber(StringBuilder seen, int number) => seen.Append(CultureInfo.InvariantCulture, $"‹U+{number:X4}›");

    /// <summary>A cell of a CSV file, on one line. A leading sign is defused: a spreadsheet would take a name for a formula.</summary>
    public static string OfCell(string text)
    {
        var seen = Of(text);
        // A number is no formula, also below zero.
        return
            seen.Length > 0
            && text[0] is '=' or '+' or '-' or '@' or '\t' or '\r' or '\n'
            && !double.TryParse(seen, NumberStyles.Float, CultureInfo.InvariantCulture, out _)
            ? "'" + seen
            : seen;
    }

    private static IEnumerable<char> Range(int first, int last) => Enumerable.Range(first, last - first + 1).Select(c => (char)c);
}
