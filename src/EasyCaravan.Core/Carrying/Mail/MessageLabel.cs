using System.Text;
using EasyCaravan.Core.Formats;
using MimeKit.Utils;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>Subject and sender, so that its owner recognises a message. For people alone: nothing is decided by it.</summary>
public static class MessageLabel
{
    /// <summary>Characters of a subject or sender that are kept.</summary>
    private const int Longest = 200;

    public static (string Subject, string Sender) Read(ReadOnlySpan<byte> header)
    {
        string subject = "",
            sender = "";
        var fields = new HeaderFields(header);
        while (fields.TryNext(out var name, out var value))
        {
            if (Ascii.EqualsIgnoreCase(name, "subject"u8))
                subject = Clean(value);
            else if (Ascii.EqualsIgnoreCase(name, "from"u8))
                sender = Clean(value);
        }
        return (subject, sender);
    }

    /// <summary>The address in From, in lower case; null where there is none.</summary>
    public static string? AddressOf(ReadOnlySpan<byte> header)
    {
        var sender = Read(header).Sender;
        return MimeKit.InternetAddressList.TryParse(sender, out var list) && list.Mailboxes.FirstOrDefault() is { } mailbox
            ? mailbox.Address.ToLowerInvariant()
            : null;
    }

    /// <summary>Encoded words (RFC 2047) are decoded; what is no text is left out.</summary>
    private static string Clean(ReadOnlySpan<byte> value)
    {
        var decoded = Rfc2047.DecodeText(Encoding.UTF8.GetBytes(HeaderFields.Unfold(value)));
        return Cut(decoded);
    }

    /// <summary>Without control characters, and no longer than is shown.</summary>
    public static string Cut(string words)
    {
        var text = new string([.. words.Where(c => !char.IsControl(c))]);
        return text.Length <= Longest ? text : text[..Longest] + "…";
    }
}
