using System.Runtime.InteropServices;

namespace EasyCaravan.Core.Formats.VCard;

/// <summary>Parts a file of vCards into its cards, each as it stands there.</summary>
internal static class CardFile
{
    /// <param name="Line">1-based line of the file on which the card begins.</param>
    /// <param name="IsWhole">False: its END is missing.</param>
    public readonly record struct Card(int Line, ReadOnlyMemory<byte> Octets, bool IsWhole);

    public static IEnumerable<Card> Read(ReadOnlyMemory<byte> file)
    {
        var start = -1;
        var (depth, line, counted) = (0, 1, 0);
        foreach (var content in ContentLineReader.Read(file))
        {
            var isCard = content.Name is "BEGIN" or "END" && content.Text(16).Trim().Equals("VCARD", StringComparison.OrdinalIgnoreCase);
            if (!isCard)
                continue;
            var from = OffsetOf(file, content.Raw);
            if (content.Name == "BEGIN")
            {
                // One within another is an agent's card (RFC 2426 §3.5.4). After one without end it is the next card.
                if (depth > 0 && IsAtMargin(file, start, from))
                {
                    yield return new Card(line, file[start..from], IsWhole: false);
                    depth = 0;
                }
                if (depth++ > 0)
                    continue;
                line += file.Span[counted..from].Count((byte)'\n');
                (start, counted) = (from, from);
            }
            else if (depth > 0 && --depth == 0)
            {
                var end = from + content.Raw.Length;
                yield return new Card(line, WithLineEnd(file[start..end]), IsWhole: true);
                start = -1;
            }
        }
        if (start >= 0)
            yield return new Card(line, file[start..], IsWhole: false);
    }

    /// <summary>An agent's card follows a line that says so; no other card stands within one.</summary>
    private static bool IsAtMargin(ReadOnlyMemory<byte> file, int start, int from) =>
        !ContentLineReader.Read(file[start..from]).Any(l => l.Name == "AGENT");

    private static int OffsetOf(ReadOnlyMemory<byte> file, ReadOnlyMemory<byte> part)
    {
        MemoryMarshal.TryGetArray(file, out var whole);
        MemoryMarshal.TryGetArray(part, out var slice);
        return slice.Offset - whole.Offset;
    }

    private static ReadOnlyMemory<byte> WithLineEnd(ReadOnlyMemory<byte> card) => (byte[])[.. card.Span, .. "\r\n"u8];
}
