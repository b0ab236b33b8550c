using System.Text;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Imap.Wire;

/// <summary>What one FETCH response says of a message (RFC 9051 §7.5.2). Items that it leaves out are null.</summary>
/// <param name="Name">The server's own name of the message (RFC 8474 §5.1).</param>
internal sealed record FetchRow(uint? Number, long? Size, DateTimeOffset? Received, FlagSet? Flags, byte[]? Header, string? Name)
{
    public ItemInfo? Item => this is { Number: { } number, Size: { } size, Received: { } received, Flags: { } flags } ? new ItemInfo(number, size, received, flags) : null;

    /// <param name="flagSets">Most messages of a mailbox share a few sets of flags: each is made once.</param>
    public static FetchRow? Read(ImapResponse response, Dictionary<string, FlagSet> flagSets)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (tokens.AtEnd || tokens.Rest[0] is < (byte)'0' or > (byte)'9') return null;
        tokens.Number();
        tokens.SkipSpaces();
        if (!tokens.TryWord("FETCH"u8)) return null;
        tokens.SkipSpaces();
        tokens.Take('(');
        var row = new FetchRow(null, null, null, null, null, null);
        while (!tokens.TryTake(')'))
        {
            var name = tokens.Atom();
            tokens.SkipSpaces();
            if (Ascii.EqualsIgnoreCase(name, "UID"u8)) row = row with { Number = tokens.Number32() };
            else if (Ascii.EqualsIgnoreCase(name, "RFC822.SIZE"u8)) row = row with { Size = (long)tokens.Number() };
            else if (Ascii.EqualsIgnoreCase(name, "INTERNALDATE"u8)) row = row with { Received = ImapSyntax.ReadDate(tokens.String()) };
            else if (Ascii.EqualsIgnoreCase(name, "FLAGS"u8)) row = row with { Flags = ReadFlags(ref tokens, flagSets) };
            else if (Ascii.EqualsIgnoreCase(name, "EMAILID"u8)) row = row with { Name = ReadName(ref tokens) };
            else if (name.StartsWith("BODY["u8)) row = row with { Header = tokens.String() ?? [] };
            else tokens.SkipValue();
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
        if (end < 0) throw new FormatException("a list of flags has no end");
        var written = Encoding.UTF8.GetString(tokens.Rest[..end]);
        while (!tokens.TryTake(')')) { tokens.Atom(); tokens.SkipSpaces(); }
        if (!flagSets.TryGetValue(written, out var flags)) flagSets[written] = flags = FlagSet.Parse(written);
        return flags;
    }
}
