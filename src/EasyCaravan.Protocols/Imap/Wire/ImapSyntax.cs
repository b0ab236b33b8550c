using System.Buffers.Text;
using System.Globalization;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Imap.Wire;

/// <summary>How values are written on the wire.</summary>
internal static class ImapSyntax
{
    private const string DateForm = "dd-MMM-yyyy HH:mm:ss zzz";

    /// <summary>A date-time (RFC 9051 §9), to the second with its zone.</summary>
    public static string Date(DateTimeOffset date)
    {
        var text = date.ToString(DateForm, CultureInfo.InvariantCulture);
        return $"\"{text[..^3]}{text[^2..]}\"";
    }

    /// <summary>
    /// Null for what is no date: its message is named, and no other date made up. A zone further off than any on earth, which some clients
    /// write, becomes the same moment in UTC.
    /// </summary>
    public static DateTimeOffset? ReadDate(ReadOnlySpan<byte> text)
    {
        var written = Encoding.ASCII.GetString(text).Trim();
        var blank = written.LastIndexOf(' ');
        if (
            blank < 0
            || !DateTime.TryParseExact(
                written.AsSpan(0, blank),
                "d-MMM-yyyy HH:mm:ss",
                CultureInfo.InvariantCulture,
                DateTimeStyles.None,
                out var local
            )
        )
            return null;
        if (
            written.AsSpan(blank + 1) is not [('+' or '-') and var sign, ..] zone
            || zone.Length != 5
            || !int.TryParse(zone[1..], NumberStyles.None, CultureInfo.InvariantCulture, out var digits)
        )
            return null;
        var offset = TimeSpan.FromMinutes((sign == '-' ? -1 : 1) * ((digits / 100 * 60) + (digits % 100)));
        // In the first hours of the calendar or the last, no zone can be counted.
        if (local.Ticks < offset.Ticks || local.Ticks - offset.Ticks > DateTime.MaxValue.Ticks)
            return null;
        return offset.Duration() <= TimeSpan.FromHours(14)
            ? new DateTimeOffset(local, offset)
            : new DateTimeOffset(local - offset, TimeSpan.Zero);
    }

    /// <summary>A quoted string. A name that cannot be quoted safely is refused, so that none can smuggle a command.</summary>
    public static string Quote(string name, string whom)
    {
        if (name.Any(c => c is '\r' or '\n' or '\0'))
            throw new FaultException(new Fault(Cause.FolderRefused, whom, "a folder's name holds a line end"), Verdict.Keep);
        return $"\"{name.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"";
    }

    /// <summary>
    /// A folder's name as its octets came, a character for each; the inbox in capitals, as it has no case (RFC 9051 §5.1).
    /// </summary>
    public static string FolderName(byte[] octets)
    {
        var name = Encoding.Latin1.GetString(octets);
        return name.Equals("INBOX", StringComparison.OrdinalIgnoreCase) ? "INBOX" : name;
    }

    /// <summary>
    /// The length of the literal that a line ends with (<c>{n}</c>, <c>{n+}</c>, <c>~{n}</c>); null when it ends with none.
    /// </summary>
    public static long? LiteralLength(ReadOnlySpan<byte> line)
    {
        if (line is not [.., (byte)'}'])
            return null;
        var open = line.LastIndexOf((byte)'{');
        if (open < 0)
            return null;
        var digits = line[(open + 1)..^1];
        if (digits is [.., (byte)'+'])
            digits = digits[..^1];
        return Utf8Parser.TryParse(digits, out long length, out var used) && used == digits.Length && length >= 0 ? length : null;
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
                foreach (var (first, last) in ranges)
                    line.Add(first, last);
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
            if (!tokens.TryTake(','))
                break;
        }
        return numbers;
    }
}
