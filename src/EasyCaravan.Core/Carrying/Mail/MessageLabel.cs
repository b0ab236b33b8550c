using System.Text;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>Subject and sender as its owner would recognise a message. A lens for people: nothing is decided by it.</summary>
public static class MessageLabel
{
    private const int Longest = 200;

    public static (string Subject, string Sender) Read(ReadOnlySpan<byte> header)
    {
        string subject = "", sender = "";
        foreach (var line in Encoding.UTF8.GetString(header).Replace("\r\n ", " ", StringComparison.Ordinal).Replace("\r\n\t", " ", StringComparison.Ordinal).Split('\n'))
        {
            if (line.StartsWith("Subject:", StringComparison.OrdinalIgnoreCase)) subject = Clean(line[8..]);
            else if (line.StartsWith("From:", StringComparison.OrdinalIgnoreCase)) sender = Clean(line[5..]);
        }
        return (subject, sender);
    }

    private static string Clean(string value)
    {
        var text = new string([.. EncodedWords.Decode(value.Trim()).Where(c => !char.IsControl(c))]);
        return text.Length <= Longest ? text : text[..Longest] + "…";
    }
}
