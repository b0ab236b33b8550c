using System.Text;

namespace EasyCaravan.Core.Formats;

/// <summary>Reads the text of a file whose encoding nobody tells.</summary>
public static class TextDecoder
{
    private static readonly UTF8Encoding s_strictUtf8 = new(encoderShouldEmitUTF8Identifier: false, throwOnInvalidBytes: true);

    /// <summary>What spreadsheets of western countries write where they do not write Unicode.</summary>
    private const int Windows1252 = 1252;

    /// <summary>
    /// By its byte order mark; else UTF-8, if it is that; else UTF-16, if every other octet of much of it is zero; else Windows-1252, in
    /// which every octet means something.
    /// </summary>
    /// <returns>The text without its byte order mark, and how it was encoded, for people.</returns>
    public static (string Text, string Encoding) Decode(ReadOnlySpan<byte> octets)
    {
        if (octets.StartsWith("\uFEFF"u8))
            return (Encoding.UTF8.GetString(octets[3..]), "UTF-8");
        if (octets is [0xff, 0xfe, ..])
            return (Encoding.Unicode.GetString(octets[2..]), "UTF-16");
        if (octets is [0xfe, 0xff, ..])
            return (Encoding.BigEndianUnicode.GetString(octets[2..]), "UTF-16");
        if (octets.IndexOf((byte)0) < 0)
            try
            {
                return (s_strictUtf8.GetString(octets), "UTF-8");
            }
            catch (DecoderFallbackException)
            {
                return (CodePagesEncodingProvider.Instance.GetEncoding(Windows1252)!.GetString(octets), "Windows-1252");
            }
        var start = octets[..Math.Min(octets.Length & ~1, 1024)];
        var (even, odd) = (0, 0);
        for (var i = 0; i < start.Length; i++)
            if (start[i] == 0)
                _ = i % 2 == 0 ? even++ : odd++;
        return odd >= even ? (Encoding.Unicode.GetString(octets), "UTF-16") : (Encoding.BigEndianUnicode.GetString(octets), "UTF-16");
    }
}
