using System.Text;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Store;

/// <summary>
/// An item's tag in as few octets as it needs: most are a digest in hexadecimal digits and quotation marks, which take twice the room.
/// </summary>
internal static class PackedTag
{
    private const byte AsWritten = 0,
        QuotedHex = 1;

    public static byte[] Pack(ETag tag) =>
        tag.Value is ['"', .. var digits, '"'] && digits.Length > 0 && digits.Length % 2 == 0 && digits.All(char.IsAsciiHexDigitLower)
            ? [QuotedHex, .. Convert.FromHexString(digits)]
            : [AsWritten, .. Encoding.UTF8.GetBytes(tag.Value)];

    public static ETag Unpack(byte[] packed) =>
        new(packed is [QuotedHex, .. var octets] ? $"\"{Convert.ToHexStringLower(octets)}\"" : Encoding.UTF8.GetString(packed.AsSpan(1)));
}
