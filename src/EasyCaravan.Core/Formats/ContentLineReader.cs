using System.Text;

namespace EasyCaravan.Core.Formats;

/// <summary>
/// Parts a vCard or an iCalendar object into its properties (RFC 6350 §3.2, RFC 5545 §3.1). What is malformed is given as it stands, so
/// that nothing gets lost because somebody wrote it wrongly.
/// </summary>
public static class ContentLineReader
{
    /// <summary>Octets of a name with its parameters; a longer one is taken for a line without a name.</summary>
    private const int LongestHead = 64 * 1024;

    public static IEnumerable<ContentLine> Read(ReadOnlyMemory<byte> octets)
    {
        // A byte order mark is no part of the first name.
        if (octets.Span.StartsWith("\uFEFF"u8))
            octets = octets[3..];
        while (!octets.IsEmpty)
        {
            var length = LengthOfLine(octets.Span, out var next);
            var line = octets[..length];
            octets = octets[next..];
            if (!line.Span.Trim((byte)' ').IsEmpty)
                yield return Parse(line);
        }
    }

    /// <summary>Up to the line end that no fold follows.</summary>
    /// <param name="next">Where the next line begins.</param>
    private static int LengthOfLine(ReadOnlySpan<byte> rest, out int next)
    {
        var isQuotedPrintable = false;
        for (var from = 0; ; )
        {
            var end = rest[from..].IndexOf((byte)'\n');
            if (end < 0)
            {
                next = rest.Length;
                return rest.Length;
            }
            end += from;
            next = end + 1;
            var length = end > 0 && rest[end - 1] == '\r' ? end - 1 : end;
            if (next < rest.Length && rest[next] is (byte)' ' or (byte)'\t')
            {
                from = next + 1;
                continue;
            }
            // vCard 2.1 ends each line of a quoted-printable value but the last with an equals sign.
            isQuotedPrintable = isQuotedPrintable || (from == 0 && IsQuotedPrintable(rest[..length]));
            if (isQuotedPrintable && length > 0 && rest[length - 1] == '=' && next < rest.Length)
            {
                from = next;
                continue;
            }
            return length;
        }
    }

    private static bool IsQuotedPrintable(ReadOnlySpan<byte> line)
    {
        var colon = line.IndexOf((byte)':');
        return colon > 0 && Encoding.ASCII.GetString(line[..colon]).Contains("QUOTED-PRINTABLE", StringComparison.OrdinalIgnoreCase);
    }

    private static ContentLine Parse(ReadOnlyMemory<byte> line)
    {
        var head = new MemoryStream();
        var span = line.Span;
        var quoted = false;
        for (var i = 0; i < span.Length; i++)
        {
            var octet = span[i];
            if (octet == '\n' || (octet == '\r' && i + 1 < span.Length && span[i + 1] == '\n'))
            {
                // A fold within the name or the parameters.
                i += octet == '\r' ? 2 : 1;
                continue;
            }
            if (octet == ':' && !quoted)
                return Parse(line, Encoding.UTF8.GetString(head.GetBuffer().AsSpan(0, (int)head.Length)), line[(i + 1)..]);
            if (octet == '"')
                quoted = !quoted;
            if (head.Length == LongestHead)
                break;
            head.WriteByte(octet);
        }
        return new ContentLine(line, null, "", [], line);
    }

    private static ContentLine Parse(ReadOnlyMemory<byte> line, string head, ReadOnlyMemory<byte> value)
    {
        var parts = SplitOutsideQuotes(head);
        var dot = parts[0].LastIndexOf('.');
        var parameters = new List<ContentParameter>();
        foreach (var part in parts.Skip(1))
        {
            var equals = part.IndexOf('=', StringComparison.Ordinal);
            parameters.Add(
                equals < 0
                    ? new ContentParameter("TYPE", part.Trim())
                    : new ContentParameter(
                        part[..equals].Trim().ToUpperInvariant(),
                        part[(equals + 1)..].Trim().Replace("\"", "", StringComparison.Ordinal)
                    )
            );
        }
        return new ContentLine(line, dot < 0 ? null : parts[0][..dot], parts[0][(dot + 1)..].Trim().ToUpperInvariant(), parameters, value);
    }

    private static List<string> SplitOutsideQuotes(string head)
    {
        var parts = new List<string>();
        var (from, quoted) = (0, false);
        for (var i = 0; i < head.Length; i++)
        {
            if (head[i] == '"')
                quoted = !quoted;
            if (head[i] != ';' || quoted)
                continue;
            parts.Add(head[from..i]);
            from = i + 1;
        }
        parts.Add(head[from..]);
        return parts;
    }
}
