using System.IO.Hashing;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>What makes two messages the same message.</summary>
/// <remarks>
/// A copy that was forwarded or imported elsewhere carries other trace headers (RFC 5322 §3.6.7), so the octets cannot be compared whole.
/// Message-ID, Date, From and Subject say which message it is; the body's digest decides where they leave doubt.
/// </remarks>
public readonly record struct Identity(UInt128 Print, bool Certain)
{
    private static ReadOnlySpan<byte> MessageId => "message-id"u8;

    /// <summary>From the header lines Message-ID, Date, From and Subject, in any order, folded or not.</summary>
    public static Identity Of(ReadOnlySpan<byte> header)
    {
        Span<UInt128> prints = stackalloc UInt128[4];
        ReadPrints(header, prints);
        return new Identity(PrintOf(prints), prints[0] != 0);
    }

    /// <summary>Without its angle brackets; null where there is none.</summary>
    public static string? MessageIdOf(ReadOnlySpan<byte> header)
    {
        var fields = new HeaderFields(header);
        while (fields.TryNext(out var name, out var value))
            if (System.Text.Ascii.EqualsIgnoreCase(name, MessageId))
                return System.Text.Encoding.Latin1.GetString(value).Trim().TrimStart('<').TrimEnd('>');
        return null;
    }

    /// <summary>
    /// What the identity would be if one of the fields were not there. Octets that a server's storage left before a message make its first
    /// field unreadable.
    /// </summary>
    public static IEnumerable<Identity> WithOneFieldLess(ReadOnlySpan<byte> header)
    {
        Span<UInt128> prints = stackalloc UInt128[4];
        ReadPrints(header, prints);
        var all = new List<Identity>(prints.Length);
        for (var i = 0; i < prints.Length; i++)
        {
            if (prints[i] == 0)
                continue;
            var kept = prints[i];
            prints[i] = 0;
            all.Add(new Identity(PrintOf(prints), prints[0] != 0));
            prints[i] = kept;
        }
        return all;
    }

    /// <summary>
    /// Each field is hashed by itself and the four results combined in a fixed order, so the order on the wire does not matter.
    /// </summary>
    private static void ReadPrints(ReadOnlySpan<byte> header, Span<UInt128> prints)
    {
        prints.Clear();
        Span<byte> canonical = header.Length <= 4096 ? stackalloc byte[header.Length] : new byte[header.Length];
        var fields = new HeaderFields(header);
        while (fields.TryNext(out var name, out var value))
        {
            var index = FieldIndex(name);
            if (index < 0 || prints[index] != 0)
                continue;
            var length = Canonicalise(value, canonical);
            if (length > 0)
                prints[index] = XxHash128.HashToUInt128(canonical[..length], index + 1);
        }
    }

    private static UInt128 PrintOf(ReadOnlySpan<UInt128> prints)
    {
        var all = new XxHash128();
        Span<byte> bytes = stackalloc byte[16];
        foreach (var print in prints)
        {
            System.Buffers.Binary.BinaryPrimitives.WriteUInt128LittleEndian(bytes, print);
            all.Append(bytes);
        }
        return all.GetCurrentHashAsUInt128();
    }

    private static int FieldIndex(ReadOnlySpan<byte> name)
    {
        if (System.Text.Ascii.EqualsIgnoreCase(name, MessageId))
            return 0;
        if (System.Text.Ascii.EqualsIgnoreCase(name, "date"u8))
            return 1;
        if (System.Text.Ascii.EqualsIgnoreCase(name, "from"u8))
            return 2;
        return System.Text.Ascii.EqualsIgnoreCase(name, "subject"u8) ? 3 : -1;
    }

    /// <summary>Runs of white space and line ends become one blank, none at either end: refolding on the way changes nothing.</summary>
    private static int Canonicalise(ReadOnlySpan<byte> value, Span<byte> into)
    {
        var length = 0;
        var blank = false;
        foreach (var b in value)
        {
            if (b is (byte)' ' or (byte)'\t' or (byte)'\r' or (byte)'\n')
            {
                blank = true;
                continue;
            }
            if (blank && length > 0)
                into[length++] = (byte)' ';
            blank = false;
            into[length++] = b;
        }
        return length;
    }
}

/// <summary>
/// Digest of a message's body, or of the whole, blind to what some servers change when they store: CR before LF, the end of the last line,
/// and NUL kept as 0x80.
/// </summary>
/// <param name="whole">The header counts too.</param>
public sealed class BodyDigest(bool whole = false)
{
    private readonly XxHash128 _hash = new();
    private byte[] _buffer = new byte[4096];
    private int _newlines;
    private bool _inBody = whole;
    private bool _lineEnded;

    /// <summary>Takes the message in pieces, header included.</summary>
    public void Append(ReadOnlySpan<byte> piece)
    {
        if (_buffer.Length <= piece.Length)
            _buffer = new byte[piece.Length + 1];
        var length = 0;
        foreach (var b in piece)
        {
            if (b == '\r')
                continue;
            if (_inBody)
            {
                // A line's end counts when something follows it: some servers give one to a last line that has none.
                if (_lineEnded)
                    _buffer[length++] = (byte)'\n';
                _lineEnded = b == '\n';
                if (!_lineEnded)
                    _buffer[length++] = b == 0 ? (byte)0x80 : b;
                continue;
            }
            _newlines = b == '\n' ? _newlines + 1 : 0;
            _inBody = _newlines == 2;
        }
        _hash.Append(_buffer.AsSpan(0, length));
    }

    public UInt128 Value => _hash.GetCurrentHashAsUInt128();

    public static async Task<Dictionary<uint, UInt128>> ReadAsync(
        IMailAccount account,
        Planning.FolderPath path,
        NumberSet numbers,
        CancellationToken cancel,
        bool whole = false
    )
    {
        var digests = new Dictionary<uint, UInt128>();
        if (numbers.Count == 0)
            return digests;
        var reader = await account.ReadMessagesAsync([(path, numbers)], cancel);
        while (await reader.NextAsync(cancel) is { } message)
        {
            var digest = new BodyDigest(whole);
            while (await reader.ReadAsync(cancel) is { Length: > 0 } piece)
                digest.Append(piece.Span);
            digests[message.Number] = digest.Value;
        }
        return digests;
    }
}
