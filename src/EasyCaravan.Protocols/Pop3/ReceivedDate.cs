using System.Text;
using EasyCaravan.Core.Formats;
using EasyCaravan.Protocols.Files.Mail;
using MimeKit.Utils;

namespace EasyCaravan.Protocols.Pop3;

/// <summary>
/// When a message was received, as its header tells: the topmost trace (RFC 5322 §3.6.7), which its own server wrote; else the sender's
/// date.
/// </summary>
internal static class ReceivedDate
{
    /// <returns>The epoch where neither can be read: a date that nobody takes for a true one.</returns>
    public static DateTimeOffset Of(byte[] header)
    {
        DateTimeOffset? sent = null;
        var fields = new HeaderFields(header);
        while (fields.TryNext(out var name, out var value))
        {
            var text = HeaderFields.Unfold(value);
            if (Ascii.EqualsIgnoreCase(name, "received"u8))
            {
                if (MessageDate.TryReadTrace(text, out var received))
                    return received;
            }
            else if (sent is null && Ascii.EqualsIgnoreCase(name, "date"u8) && DateUtils.TryParse(text, out var date))
            {
                sent = date;
            }
        }
        return sent ?? DateTimeOffset.UnixEpoch;
    }
}
