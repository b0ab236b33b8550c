using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>Decodes encoded words in header values (RFC 2047) in UTF-8, US-ASCII and ISO-8859-1; others stay as written.</summary>
internal static partial class EncodedWords
{
    public static string Decode(string value) =>
        Word().Replace(BetweenWords().Replace(value, "?=="), m =>
        {
            Encoding? encoding = m.Groups[1].Value.ToUpperInvariant() switch
            {
                "UTF-8" or "US-ASCII" => Encoding.UTF8,
                "ISO-8859-1" => Encoding.Latin1,
                _ => null,
            };
            return encoding is null ? m.Value : Octets(m.Groups[2].Value, m.Groups[3].Value) is { } octets ? encoding.GetString(octets) : m.Value;
        });

    private static byte[]? Octets(string kind, string text)
    {
        if (kind is "B" or "b")
        {
            var buffer = new byte[text.Length];
            return Convert.TryFromBase64String(text, buffer, out var length) ? buffer[..length] : null;
        }
        var octets = new List<byte>();
        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] == '=' && i + 2 < text.Length && byte.TryParse(text.AsSpan(i + 1, 2), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var octet))
            {
                octets.Add(octet);
                i += 2;
            }
            else
            {
                octets.Add(text[i] == '_' ? (byte)' ' : (byte)text[i]);
            }
        }
        return [.. octets];
    }

    [GeneratedRegex(@"=\?([^?*]+)(?:\*[^?]*)?\?([BbQq])\?([^?]*)\?=")]
    private static partial Regex Word();

    // RFC 2047 §6.2: white space between two encoded words is not part of the text.
    [GeneratedRegex(@"\?=\s+=(?=\?)")]
    private static partial Regex BetweenWords();
}
