using System.Text;
using MimeKit.Utils;

namespace EasyCaravan.Protocols.Pop3;

/// <summary>When a message was received, as its header tells: the topmost trace (RFC 5322 §3.6.7), which its own server wrote; else the sender's date.</summary>
internal static class ReceivedDate
{
    /// <returns>The epoch where neither can be read: a date that nobody takes for a true one.</returns>
    public static DateTimeOffset Of(byte[] header)
    {
        DateTimeOffset? sent = null;
        foreach (var field in Encoding.Latin1.GetString(header).Replace("\r\n ", " ", StringComparison.Ordinal).Replace("\r\n\t", " ", StringComparison.Ordinal).Split('\n'))
        {
            if (field.StartsWith("Received:", StringComparison.OrdinalIgnoreCase) && field.LastIndexOf(';') is var at and > 0 && DateUtils.TryParse(field[(at + 1)..].Trim(), out var received)) return received;
            if (field.StartsWith("Date:", StringComparison.OrdinalIgnoreCase) && sent is null && DateUtils.TryParse(field[5..].Trim(), out var date)) sent = date;
        }
        return sent ?? DateTimeOffset.UnixEpoch;
    }
}
