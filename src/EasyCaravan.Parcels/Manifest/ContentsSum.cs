using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;

namespace EasyCaravan.Parcels.Manifest;

/// <summary>
/// One number for all that is packed of a kind, whenever and in whatever order: two packings of the same account have the same. It is the
/// sum, modulo 2^256, of the SHA-256 of a text for each item. What protects a parcel against forgers is its seal, not this sum.
/// </summary>
public sealed class ContentsSum
{
    private const int Words = 8;

    private readonly uint[] _sum = new uint[Words];

    public void Add(ReadOnlySpan<byte> digest)
    {
        ulong carry = 0;
        for (var i = Words - 1; i >= 0; i--)
        {
            carry += (ulong)_sum[i] + BinaryPrimitives.ReadUInt32BigEndian(digest[(i * sizeof(uint))..]);
            _sum[i] = (uint)carry;
            carry >>= 32;
        }
    }

    public void Remove(ReadOnlySpan<byte> digest)
    {
        long borrow = 0;
        for (var i = Words - 1; i >= 0; i--)
        {
            borrow += (long)_sum[i] - BinaryPrimitives.ReadUInt32BigEndian(digest[(i * sizeof(uint))..]);
            _sum[i] = (uint)borrow;
            borrow >>= 32;
        }
    }

    public override string ToString()
    {
        Span<byte> octets = stackalloc byte[Words * sizeof(uint)];
        for (var i = 0; i < Words; i++)
            BinaryPrimitives.WriteUInt32BigEndian(octets[(i * sizeof(uint))..], _sum[i]);
        return Convert.ToHexStringLower(octets);
    }

    /// <summary>
    /// The digest of a message: its folder's names with a line end behind each, an empty line, SHA-256 in hexadecimal, seconds since 1970
    /// and minutes east of UTC of its internal date, and its flags in lower case, sorted; each with a line end behind it.
    /// </summary>
    public static byte[] OfMessage(
        IEnumerable<string> folder,
        ReadOnlySpan<byte> sha256,
        DateTimeOffset received,
        IEnumerable<string> flags
    )
    {
        var text = new StringBuilder();
        foreach (var name in folder)
            text.Append(name).Append('\n');
        text.Append('\n').Append(Convert.ToHexStringLower(sha256)).Append('\n');
        text.Append(
            System.Globalization.CultureInfo.InvariantCulture,
            $"{received.ToUnixTimeSeconds()}\n{(int)received.Offset.TotalMinutes}\n"
        );
        foreach (var flag in flags.Select(f => f.ToLowerInvariant()).Order(StringComparer.Ordinal))
            text.Append(flag).Append('\n');
        return SHA256.HashData(Encoding.UTF8.GetBytes(text.ToString()));
    }

    /// <summary>
    /// The digest of a contact or event: its collection's title and SHA-256 in hexadecimal, each with a line end behind it.
    /// </summary>
    public static byte[] OfItem(string collection, ReadOnlySpan<byte> sha256) =>
        SHA256.HashData(Encoding.UTF8.GetBytes($"{collection}\n{Convert.ToHexStringLower(sha256)}\n"));
}
