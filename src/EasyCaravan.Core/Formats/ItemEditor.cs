using System.Runtime.InteropServices;
using System.Text;

namespace EasyCaravan.Core.Formats;

/// <summary>
/// Changes an object at single places and leaves every other octet as it is. Changes are noted first, and made all at once.
/// </summary>
public sealed class ItemEditor(ReadOnlyMemory<byte> octets)
{
    private readonly List<(int From, int Length, byte[] Text)> _changes = [];

    public bool HasChanges => _changes.Count > 0;

    /// <summary>Adds a parameter behind the name. False where the name itself is folded, which nobody does.</summary>
    public bool AddParameter(ContentLine line, string parameter)
    {
        var start = StartOf(line);
        var head = line.Raw.Span;
        var end = head.IndexOfAny((byte)':', (byte)';');
        if (end <= 0 || head[..end].Contains((byte)'\n'))
            return false;
        _changes.Add((start + end, 0, Encoding.UTF8.GetBytes($";{parameter}")));
        return true;
    }

    /// <summary>Adds a line after this one.</summary>
    public void AddAfter(ContentLine line, string text)
    {
        var end = StartOf(line) + line.Raw.Length;
        _changes.Add((end, 0, Encoding.UTF8.GetBytes($"\r\n{text}")));
    }

    /// <summary>Puts another line in the place of one.</summary>
    public void Replace(ContentLine line, string text) => _changes.Add((StartOf(line), line.Raw.Length, Encoding.UTF8.GetBytes(text)));

    /// <summary>Takes a line out, its line end included.</summary>
    public void Remove(ContentLine line)
    {
        var start = StartOf(line);
        var end = start + line.Raw.Length;
        while (end < octets.Length && octets.Span[end] is (byte)'\r' or (byte)'\n')
            if (octets.Span[end++] == '\n')
                break;
        _changes.Add((start, end - start, []));
    }

    public byte[] Apply()
    {
        var edited = new MemoryStream(octets.Length + 256);
        var at = 0;
        foreach (var (from, length, text) in _changes.OrderBy(c => c.From))
        {
            edited.Write(octets.Span[at..from]);
            edited.Write(text);
            at = from + length;
        }
        edited.Write(octets.Span[at..]);
        return edited.ToArray();
    }

    private int StartOf(ContentLine line) =>
        MemoryMarshal.TryGetArray(octets, out var whole) && MemoryMarshal.TryGetArray(line.Raw, out var part) && whole.Array == part.Array
            ? part.Offset - whole.Offset
            : throw new ArgumentException("The line is not of this object.", nameof(line));
}
