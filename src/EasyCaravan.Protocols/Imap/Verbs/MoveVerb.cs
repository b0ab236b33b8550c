using System.Text;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>UID MOVE, or UID COPY where the server has no MOVE: the messages then have to be expunged.</summary>
internal static class MoveVerb
{
    /// <param name="to">Quoted.</param>
    public static ImapCommand Of(NumberSet uids, string to, ImapTraits traits) =>
        new(traits.Can(ImapCapabilities.Move) ? ImapVerbs.Move : ImapVerbs.Copy, $"{uids} {to}");

    /// <summary>COPYUID (RFC 4315 §3): the old and new UIDs in the same order. More than was asked for is not believed.</summary>
    /// <param name="code">A response code; null and any other gives nothing.</param>
    /// <param name="most">Messages that were asked for.</param>
    public static IEnumerable<(uint Old, uint New)> ReadCopyUid(string? code, long most)
    {
        if (code is null || !code.StartsWith("COPYUID ", StringComparison.OrdinalIgnoreCase))
            return [];
        var words = code.Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (words.Length != 4)
            throw new FormatException($"'{code}' does not say where messages landed");
        var (old, now) = (
            ImapSyntax.ReadNumbers(Encoding.ASCII.GetBytes(words[2])),
            ImapSyntax.ReadNumbers(Encoding.ASCII.GetBytes(words[3]))
        );
        if (old.Count != now.Count || old.Count > most)
            throw new FormatException($"'{code}' tells {now.Count} places for {most} messages");
        return old.Zip(now);
    }
}
