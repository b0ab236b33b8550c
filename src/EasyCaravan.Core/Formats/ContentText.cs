using System.Text;

namespace EasyCaravan.Core.Formats;

/// <summary>Values of type text, in which some characters are escaped (RFC 6350 §3.4, RFC 5545 §3.3.11).</summary>
internal static class ContentText
{
    public static string Unescape(string text)
    {
        if (!text.Contains('\\', StringComparison.Ordinal))
            return text;
        var plain = new StringBuilder(text.Length);
        for (var i = 0; i < text.Length; i++)
            if (text[i] != '\\' || i + 1 == text.Length)
                plain.Append(text[i]);
            else
                plain.Append(
                    text[++i] switch
                    {
                        'n' or 'N' => "\n",
                        ',' or ';' or '\\' or ':' => text[i].ToString(),
                        _ => $"\\{text[i]}",
                    }
                );
        return plain.ToString();
    }
}
