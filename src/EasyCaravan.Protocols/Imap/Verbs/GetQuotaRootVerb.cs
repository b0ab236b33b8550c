using System.Text;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>GETQUOTAROOT: how much room the roots have that hold the inbox.</summary>
internal static class GetQuotaRootVerb
{
    public static ImapCommand Inbox { get; } = new(ImapVerbs.GetQuotaRoot, "INBOX");

    /// <summary>Octets in the unit of STORAGE (RFC 9208 §5.1).</summary>
    private const long StorageUnit = 1024;

    /// <summary>A QUOTA response (RFC 9208 §4.2.1); null for another.</summary>
    public static Room? Read(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        if (!tokens.TryUntagged("QUOTA"u8))
            return null;
        tokens.String();
        tokens.SkipSpaces();
        tokens.Take('(');
        var room = new Room(null, 0, null, 0);
        while (!tokens.TryTake(')'))
        {
            var name = Encoding.ASCII.GetString(tokens.Atom()).ToUpperInvariant();
            tokens.SkipSpaces();
            var used = tokens.Number63();
            tokens.SkipSpaces();
            var limit = tokens.Number63();
            tokens.SkipSpaces();
            if (name == "STORAGE")
                room = room with { Octets = InOctets(limit), UsedOctets = InOctets(used) };
            else if (name == "MESSAGE")
                room = room with { Messages = limit, UsedMessages = used };
        }
        return room;
    }

    /// <summary>More than any number can tell is as good as the most.</summary>
    private static long InOctets(long units) => units > long.MaxValue / StorageUnit ? long.MaxValue : units * StorageUnit;
}
