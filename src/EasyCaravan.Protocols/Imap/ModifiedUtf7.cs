using System.Text;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Mailbox names as IMAP4rev1 writes them (RFC 3501 §5.1.3).</summary>
public static class ModifiedUtf7
{
    public static string Encode(string name)
    {
        var text = new StringBuilder();
        for (var i = 0; i < name.Length; )
        {
            if (name[i] is >= ' ' and <= '~')
            {
                text.Append(name[i] == '&' ? "&-" : name[i].ToString());
                i++;
                continue;
            }
            var start = i;
            while (i < name.Length && name[i] is not (>= ' ' and <= '~'))
                i++;
            var base64 = Convert.ToBase64String(Encoding.BigEndianUnicode.GetBytes(name[start..i]));
            text.Append('&').Append(base64.TrimEnd('=').Replace('/', ',')).Append('-');
        }
        return text.ToString();
    }

    /// <summary>False when the text is not what <see cref="Encode"/> gives for any name; such a name must be kept as it is.</summary>
    public static bool TryDecode(string text, out string name)
    {
        name = "";
        var decoded = new StringBuilder();
        for (var i = 0; i < text.Length; )
        {
            if (text[i] != '&')
            {
                if (text[i] is not (>= ' ' and <= '~'))
                    return false;
                decoded.Append(text[i++]);
                continue;
            }
            var end = text.IndexOf('-', i);
            if (end < 0)
                return false;
            if (end == i + 1)
            {
                decoded.Append('&');
            }
            else
            {
                var base64 = text[(i + 1)..end].Replace(',', '/');
                base64 = base64.PadRight((base64.Length + 3) / 4 * 4, '=');
                var octets = new byte[base64.Length];
                if (!Convert.TryFromBase64String(base64, octets, out var length) || length % 2 != 0)
                    return false;
                decoded.Append(Encoding.BigEndianUnicode.GetString(octets, 0, length));
            }
            i = end + 1;
        }
        name = decoded.ToString();
        // Only the one spelling of a name is taken: anything else would come back changed.
        return Encode(name) == text;
    }
}
