using System.Globalization;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Imap.Wire;

/// <summary>How values are written on the wire.</summary>
internal static class ImapWords
{
    private const string DateForm = "dd-MMM-yyyy HH:mm:ss zzz";

    /// <summary>A date-time (RFC 9051 §9), to the second with its zone.</summary>
    public static string Date(DateTimeOffset date)
    {
        var text = date.ToString(DateForm, CultureInfo.InvariantCulture);
        return $"\"{text[..^3]}{text[^2..]}\"";
    }

    public static DateTimeOffset ReadDate(ReadOnlySpan<byte> text)
    {
        var written = Encoding.ASCII.GetString(text).Trim();
        if (written.Length > 5 && written[^3] != ':') written = written[..^2] + ":" + written[^2..];
        return DateTimeOffset.TryParseExact(written, ["d-MMM-yyyy HH:mm:ss zzz", DateForm], CultureInfo.InvariantCulture, DateTimeStyles.None, out var date)
            ? date
            : throw new FormatException($"'{written}' is not a date");
    }

    /// <summary>A quoted string. A name that cannot be quoted safely is refused, so that none can smuggle a command.</summary>
    public static string Quote(string name, string whom)
    {
        if (name.Any(c => c is '\r' or '\n' or '\0')) throw new FaultException(new Fault(Cause.FolderRefused, whom, "a folder's name holds a line end"), Verdict.Keep);
        return $"\"{name.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";
    }

    /// <summary>Number sets short enough for one command line: RFC 7162 §4 asks servers to take 8,192 octets.</summary>
    public static IEnumerable<NumberSet> Lines(NumberSet numbers, int most)
    {
        const int RangesPerLine = 350; // 21 digits and marks each at worst
        foreach (var slice in numbers.Slices(most))
        {
            if (slice.Ranges.Count <= RangesPerLine)
            {
                yield return slice;
                continue;
            }
            foreach (var ranges in slice.Ranges.Chunk(RangesPerLine))
            {
                var line = new NumberSet();
                foreach (var (first, last) in ranges) line.Add(first, last);
                yield return line;
            }
        }
    }

    /// <summary>Reads a sequence set such as <c>1:4,7</c>.</summary>
    public static NumberSet ReadNumbers(ReadOnlySpan<byte> text)
    {
        var numbers = new NumberSet();
        var tokens = new ImapTokens(text, []);
        while (!tokens.AtEnd)
        {
            var first = tokens.Number32();
            var last = tokens.TryTake(':') ? tokens.Number32() : first;
            numbers.Add(Math.Min(first, last), Math.Max(first, last));
            if (!tokens.TryTake(',')) break;
        }
        return numbers;
    }
}
