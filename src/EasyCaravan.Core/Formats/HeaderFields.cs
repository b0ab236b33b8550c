using System.Text;

namespace EasyCaravan.Core.Formats;

/// <summary>
/// Walks the fields of a message's header (RFC 5322 §2.2), folded lines included. A line that is no field is passed over.
/// </summary>
/// <param name="header">The octets of the header.</param>
public ref struct HeaderFields(ReadOnlySpan<byte> header)
{
    private ReadOnlySpan<byte> _rest = header;

    /// <summary>Takes the next field off the front. False at the end.</summary>
    /// <param name="name">Without the colon and blanks before it.</param>
    /// <param name="value">As written, with its line ends.</param>
    public bool TryNext(out ReadOnlySpan<byte> name, out ReadOnlySpan<byte> value)
    {
        name = value = default;
        while (!_rest.IsEmpty)
        {
            var field = TakeField();
            var colon = field.IndexOf((byte)':');
            if (colon <= 0)
                continue;
            name = field[..colon].TrimEnd(" \t"u8);
            value = field[(colon + 1)..];
            return true;
        }
        return false;
    }

    /// <summary>A line and those after it that begin with white space (RFC 5322 §2.2.3).</summary>
    private ReadOnlySpan<byte> TakeField()
    {
        var end = 0;
        do
        {
            var newline = _rest[end..].IndexOf((byte)'\n');
            end = newline < 0 ? _rest.Length : end + newline + 1;
        } while (end < _rest.Length && _rest[end] is (byte)' ' or (byte)'\t');
        var field = _rest[..end];
        _rest = _rest[end..];
        return field;
    }

    /// <summary>A value on one line, in UTF-8.</summary>
    public static string Unfold(ReadOnlySpan<byte> value) =>
        Encoding.UTF8.GetString(value).Replace("\r", "", StringComparison.Ordinal).Replace("\n", "", StringComparison.Ordinal).Trim();
}
