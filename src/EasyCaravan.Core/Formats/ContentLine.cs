using System.IO.Hashing;
using System.Text;

namespace EasyCaravan.Core.Formats;

/// <summary>One parameter of a property: <c>TYPE=HOME,WORK</c>.</summary>
/// <param name="Name">In capitals. A bare word of vCard 2.1 (<c>TEL;HOME:</c>) is a TYPE.</param>
/// <param name="Value">Without quotation marks.</param>
public readonly record struct ContentParameter(string Name, string Value);

/// <summary>
/// One property of a vCard or an iCalendar object (RFC 6350 §3.3, RFC 5545 §3.1): a view of the object's own octets. The value, which may
/// be a photo of many megabytes, is not copied.
/// </summary>
public readonly struct ContentLine
{
    private readonly ReadOnlyMemory<byte> _value;

    internal ContentLine(
        ReadOnlyMemory<byte> raw,
        string? group,
        string name,
        IReadOnlyList<ContentParameter> parameters,
        ReadOnlyMemory<byte> value
    )
    {
        (Group, Name, Parameters) = (group, name, parameters);
        (Raw, _value) = (raw, value);
    }

    /// <summary>The whole of it with its folds, without the line end: a slice of the object's octets.</summary>
    internal ReadOnlyMemory<byte> Raw { get; }

    /// <summary>What stands before the dot, as in <c>item1.EMAIL</c>; null: nothing.</summary>
    public string? Group { get; }

    /// <summary>In capitals; empty where the line has no colon, and then all of it is the value.</summary>
    public string Name { get; }

    public IReadOnlyList<ContentParameter> Parameters { get; }

    /// <summary>Octets of the value as it is written, folds included.</summary>
    public int Length => _value.Length;

    public bool IsEmpty
    {
        get
        {
            foreach (var piece in Pieces)
                if (!piece.IsEmpty)
                    return false;
            return true;
        }
    }

    /// <summary>The value without its folds, piece by piece.</summary>
    internal UnfoldedPieces Pieces => new(_value.Span);

    /// <summary>
    /// All values of a parameter that may be a list: <c>TYPE=a,b</c> and <c>TYPE=a;TYPE=b</c> are the same (RFC 6350 §5.6).
    /// </summary>
    public IEnumerable<string> ParameterValues(string name) =>
        Parameters.Where(p => p.Name == name).SelectMany(p => p.Value.Split(',', StringSplitOptions.TrimEntries));

    /// <summary>The value as text, as it is written: escapes stay. What is not UTF-8 is shown as U+FFFD.</summary>
    /// <param name="most">Octets of it that are read.</param>
    public string Text(int most = 4096)
    {
        var octets = new MemoryStream();
        foreach (var piece in Pieces)
        {
            octets.Write(piece[..(int)Math.Min(piece.Length, most - octets.Length)]);
            if (octets.Length == most)
                break;
        }
        return Encoding.UTF8.GetString(octets.GetBuffer().AsSpan(0, (int)octets.Length));
    }

    /// <summary>The value without its folds; null where it has more octets than that.</summary>
    internal byte[]? TryRead(int most)
    {
        var octets = new MemoryStream();
        foreach (var piece in Pieces)
        {
            octets.Write(piece);
            if (octets.Length > most)
                return null;
        }
        return octets.ToArray();
    }

    /// <summary>Adds the value, unfolded, to a hash.</summary>
    internal void HashValueInto(XxHash128 hash)
    {
        foreach (var piece in Pieces)
            hash.Append(piece);
    }
}

/// <summary>
/// Goes over octets that may be folded. A fold is a line end before a blank or a tab, wherever it stands, even within a character
/// (RFC 5545 §3.1).
/// </summary>
internal ref struct UnfoldedPieces(ReadOnlySpan<byte> folded)
{
    private ReadOnlySpan<byte> _rest = folded;
    private bool _isDone = folded.IsEmpty;

    public ReadOnlySpan<byte> Current { get; private set; }

    public readonly UnfoldedPieces GetEnumerator() => this;

    public bool MoveNext()
    {
        if (_isDone)
            return false;
        var end = _rest.IndexOf((byte)'\n');
        if (end < 0)
        {
            Current = _rest;
            _isDone = true;
            return true;
        }
        Current = end > 0 && _rest[end - 1] == '\r' ? _rest[..(end - 1)] : _rest[..end];
        // The blank after the line end belongs to the fold. In quoted-printable of vCard 2.1 there is none.
        var isFold = end + 1 < _rest.Length && _rest[end + 1] is (byte)' ' or (byte)'\t';
        _rest = _rest[(isFold ? end + 2 : end + 1)..];
        return true;
    }
}
