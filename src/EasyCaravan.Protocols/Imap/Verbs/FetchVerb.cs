using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>UID FETCH: of messages in the open folder, what the items ask for.</summary>
internal static class FetchVerb
{
    /// <summary>The items that the ledger stores of a message.</summary>
    public const string Index = "(UID RFC822.SIZE INTERNALDATE FLAGS)";

    /// <summary>The items that identify a message.</summary>
    public const string Identity = "(UID RFC822.SIZE BODY.PEEK[HEADER.FIELDS (MESSAGE-ID DATE FROM SUBJECT)])";

    /// <summary>Who wrote to whom, and whether a list or a machine did.</summary>
    public const string Addresses = "(UID RFC822.SIZE BODY.PEEK[HEADER.FIELDS (FROM TO CC LIST-ID PRECEDENCE AUTO-SUBMITTED)])";

    /// <summary>The server's own name of a message (RFC 8474 §5.1).</summary>
    public const string EmailId = "(UID EMAILID)";

    public const string Flags = "(UID FLAGS)";

    /// <summary>The octets. BODY.PEEK does not set <c>\Seen</c>.</summary>
    public const string Body = "(UID BODY.PEEK[])";

    public const string BodyWithIndex = "(UID INTERNALDATE FLAGS BODY.PEEK[])";

    public static ImapCommand Of(NumberSet uids, string items) => new(ImapVerbs.Fetch, $"{uids} {items}");

    /// <summary>Of all messages from this UID on.</summary>
    public static ImapCommand From(uint uid, string items) => new(ImapVerbs.Fetch, $"{uid}:* {items}");

    /// <summary>Of the messages below this UID, all flags, or those that changed since a modification sequence (RFC 7162 §3.1.4).</summary>
    public static ImapCommand FlagsBelow(uint uid, ulong? since) =>
        new(ImapVerbs.Fetch, $"1:{uid - 1} {Flags}{(since is null ? "" : $" (CHANGEDSINCE {since})")}");
}

/// <summary>What one FETCH response says of a message (RFC 9051 §7.5.2). Items that it leaves out are null.</summary>
/// <param name="Name">The server's own name of the message (RFC 8474 §5.1).</param>
internal sealed record FetchRow(uint? Uid, ByteCount? Size, DateTimeOffset? Received, FlagSet? Flags, byte[]? Header, string? Name)
{
    public ItemInfo? Item =>
        this is { Uid: { } uid, Size: { } size, Received: { } received, Flags: { } flags }
            ? new ItemInfo(uid, size, received, flags)
            : null;

    /// <param name="flagSets">Most messages of a mailbox share a few sets of flags: each is made once.</param>
    public static FetchRow? Read(ImapResponse response, Dictionary<string, FlagSet> flagSets)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (tokens.AtEnd || tokens.Rest[0] is < (byte)'0' or > (byte)'9')
            return null;
        tokens.Number();
        tokens.SkipSpaces();
        if (!tokens.TryWord("FETCH"u8))
            return null;
        tokens.SkipSpaces();
        tokens.Take('(');
        var row = new FetchRow(null, null, null, null, null, null);
        while (!tokens.TryTake(')'))
        {
            var name = tokens.Atom();
            tokens.SkipSpaces();
            if (Ascii.EqualsIgnoreCase(name, "UID"u8))
                row = row with { Uid = tokens.Number32() };
            else if (Ascii.EqualsIgnoreCase(name, "RFC822.SIZE"u8))
                row = row with { Size = tokens.MessageSize() };
            else if (Ascii.EqualsIgnoreCase(name, "INTERNALDATE"u8))
                row = row with { Received = ImapSyntax.ReadDate(tokens.String()) };
            else if (Ascii.EqualsIgnoreCase(name, "FLAGS"u8))
                row = row with { Flags = ReadFlags(ref tokens, flagSets) };
            else if (Ascii.EqualsIgnoreCase(name, "EMAILID"u8))
                row = row with { Name = ReadName(ref tokens) };
            else if (name.StartsWith("BODY["u8))
                row = row with { Header = tokens.String() ?? [] };
            else
                tokens.SkipValue();
            tokens.SkipSpaces();
        }
        return row;
    }

    private static string ReadName(ref ImapTokens tokens)
    {
        tokens.Take('(');
        var name = Encoding.ASCII.GetString(tokens.Atom());
        tokens.Take(')');
        return name;
    }

    public static FlagSet ReadFlags(ref ImapTokens tokens, Dictionary<string, FlagSet> flagSets)
    {
        tokens.Take('(');
        var end = tokens.Rest.IndexOf((byte)')');
        if (end < 0)
            throw new FormatException("a list of flags has no end");
        var written = Encoding.UTF8.GetString(tokens.Rest[..end]);
        while (!tokens.TryTake(')'))
        {
            tokens.Atom();
            tokens.SkipSpaces();
        }
        if (!flagSets.TryGetValue(written, out var flags))
            flagSets[written] = flags = FlagSet.Parse(written);
        return flags;
    }
}
