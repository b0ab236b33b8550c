using System.Text;

namespace EasyCaravan.Core.Formats.VCard;

/// <summary>
/// Writes a vCard of version 2.1 or 4.0 as version 3.0 (RFC 2426), for servers that take no other. What it says stays; only how it is said
/// changes: encodings, bare types, and where a picture stands.
/// </summary>
internal static class VersionThree
{
    /// <summary>Null where it is of version 3.0 already, or of none.</summary>
    public static byte[]? Of(ItemComponent card)
    {
        var version = card.Find("VERSION")?.Text(8).Trim();
        if (version is not ("2.1" or "4.0"))
            return null;
        var text = new MemoryStream();
        void Write(string line) => text.Write(Encoding.UTF8.GetBytes($"{line}\r\n"));
        Write("BEGIN:VCARD\r\nVERSION:3.0");
        foreach (var line in card.Lines.Where(l => l.Name is not ("VERSION" or "")))
            if (version == "2.1")
                Write(FromEarlier(line));
            else
                WriteFromLater(line, text);
        // A name of one's own is asked for by version 3.0, and only advised by 4.0 (RFC 2426 §3.1.2).
        if (card.Find("N") is null)
            Write($"N:{card.Find("FN")?.Text().Replace(";", "\\;", StringComparison.Ordinal)};;;;");
        Write("END:VCARD");
        return text.ToArray();
    }

    private static string FromEarlier(ContentLine line)
    {
        var encoding = line.ParameterValues("ENCODING").Concat(line.ParameterValues("TYPE")).Select(e => e.ToUpperInvariant()).ToList();
        var isQuoted = encoding.Contains("QUOTED-PRINTABLE");
        var isBase64 = encoding.Contains("BASE64") || encoding.Contains("B");
        var octets = line.TryRead(int.MaxValue) ?? [];
        var charset = line.ParameterValues("CHARSET").FirstOrDefault();
        var value = isQuoted
            ? ValueOf(Unquote(octets), charset)
            : ValueOf(octets, charset).Replace(" ", isBase64 ? "" : " ", StringComparison.Ordinal);
        // Line ends and commas have to be escaped here, and were not there; a semicolon parts a value in both.
        if (!isBase64)
            value = value
                .ReplaceLineEndings("\n")
                .Replace("\n", "\\n", StringComparison.Ordinal)
                .Replace(",", "\\,", StringComparison.Ordinal);
        var types = line.ParameterValues("TYPE").Where(t => t.ToUpperInvariant() is not ("QUOTED-PRINTABLE" or "BASE64" or "B")).ToList();
        var rest = line
            .Parameters.Where(p => p.Name is not ("TYPE" or "ENCODING" or "CHARSET"))
            .Select(p => $";{p.Name}={Quoted(p.Value)}");
        return $"{(line.Group is { } group ? $"{group}." : "")}{line.Name}{(isBase64 ? ";ENCODING=b" : "")}"
            + $"{(types.Count > 0 ? $";TYPE={string.Join(',', types)}" : "")}{string.Concat(rest)}:{value}";
    }

    /// <summary>A picture within the card is a data URI in one version, and a value with an encoding in the other.</summary>
    private static void WriteFromLater(ContentLine line, MemoryStream text)
    {
        const string Marker = ";base64,";
        var start = line.Name is "PHOTO" or "LOGO" or "SOUND" or "KEY" ? line.Text(200) : "";
        if (
            start.StartsWith("data:", StringComparison.OrdinalIgnoreCase)
            && start.IndexOf(Marker, StringComparison.Ordinal) is > 0 and var at
        )
        {
            var type = start[5..at].Split('/')[^1].ToUpperInvariant();
            text.Write(Encoding.ASCII.GetBytes($"{line.Name};ENCODING=b;TYPE={type}:"));
            text.Write((line.TryRead(int.MaxValue) ?? []).AsSpan(at + Marker.Length));
        }
        else
            text.Write(line.Raw.Span);
        text.Write("\r\n"u8);
    }

    private static string Quoted(string value) => value.AsSpan().ContainsAny(';', ':', ',') ? $"\"{value}\"" : value;

    private static string ValueOf(byte[] octets, string? charset)
    {
        if (charset is null)
            return TextDecoder.Decode(octets).Text;
        try
        {
            return (CodePagesEncodingProvider.Instance.GetEncoding(charset) ?? Encoding.GetEncoding(charset)).GetString(octets);
        }
        catch (ArgumentException)
        {
            return TextDecoder.Decode(octets).Text;
        }
    }

    /// <summary>RFC 2045 §6.7, with the soft line ends that the reader left in the value.</summary>
    private static byte[] Unquote(byte[] octets)
    {
        var plain = new MemoryStream();
        for (var i = 0; i < octets.Length; i++)
            if (octets[i] != '=')
                plain.WriteByte(octets[i]);
            else if (i + 2 < octets.Length && char.IsAsciiHexDigit((char)octets[i + 1]) && char.IsAsciiHexDigit((char)octets[i + 2]))
            {
                plain.WriteByte(Convert.ToByte(Encoding.ASCII.GetString(octets, i + 1, 2), 16));
                i += 2;
            }
            else
                while (i + 1 < octets.Length && octets[i + 1] is (byte)'\r' or (byte)'\n')
                    i++;
        return plain.ToArray();
    }
}
