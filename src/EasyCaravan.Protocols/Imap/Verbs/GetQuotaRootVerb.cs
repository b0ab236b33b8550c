using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>GETQUOTAROOT: how much room the roots have that hold the inbox.</summary>
internal static class GetQuotaRootVerb
{
    public static ImapCommand Inbox { get; } = new(ImapVerbs.GetQuotaRoot, "INBOX");

    /// <summary>Octets in the unit of STORAGE (RFC 9208 §5.1).</summary>
    private const long StorageUnit = 1024;

    /// <summary>A limit above this means that there is none: servers write one that no account can reach.</summary>
    private const long MostUnits = long.MaxValue / StorageUnit;

    /// <summary>A QUOTA response (RFC 9208 §4.2.1); null for another.</summary>
    public static Room? Read(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        if (!tokens.TryUntagged("QUOTA"u8))
            return null;
        tokens.String();
        tokens.SkipSpaces();
        tokens.Take('(');
        var room = new Room(null, ByteCount.Zero, null, 0);
        while (!tokens.TryTake(')'))
        {
            var name = Encoding.ASCII.GetString(tokens.Atom()).ToUpperInvariant();
            tokens.SkipSpaces();
            var used = tokens.Number63();
            tokens.SkipSpaces();
            var limit = tokens.Number();
            tokens.SkipSpaces();
            if (name == "STORAGE")
                room = room with { Octets = limit > MostUnits ? null : InOctets((long)limit), UsedOctets = InOctets(used) };
            else if (name == "MESSAGE")
                room = room with { Messages = limit > MostUnits ? null : (long)limit, UsedMessages = used };
        }
        return room;
    }

    private static ByteCount InOctets(long units) => new(Math.Min(units, MostUnits) * StorageUnit);
}
