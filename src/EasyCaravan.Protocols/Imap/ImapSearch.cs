using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap;

/// <summary>The answers to UID SEARCH: numbers one by one (RFC 9051 §7.3.4), or ranges, which is a few octets for a full folder (RFC 4731).</summary>
internal static class ImapSearch
{
    /// <summary>Asks for the numbers of all messages in the open folder.</summary>
    public static string CommandFor(ImapTraits traits) => traits.Can(MailKit.Net.Imap.ImapCapabilities.ESearch) ? "UID SEARCH RETURN (ALL) ALL" : "UID SEARCH ALL";

    /// <summary>The ranges of an ESEARCH answer, or null while the numbers of a SEARCH answer are added to the list.</summary>
    public static NumberSet? Read(ImapResponse response, List<uint> numbers)
    {
        var tokens = new ImapTokens(response);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (tokens.TryWord("SEARCH"u8))
        {
            tokens.SkipSpaces();
            while (!tokens.AtEnd && tokens.Rest[0] != '(')
            {
                numbers.Add(tokens.Number32());
                tokens.SkipSpaces();
            }
            return null;
        }
        if (!tokens.TryWord("ESEARCH"u8)) return null;
        tokens.SkipSpaces();
        if (!tokens.AtEnd && tokens.Rest[0] == '(') tokens.SkipValue();
        while (!tokens.AtEnd)
        {
            tokens.SkipSpaces();
            if (tokens.TryWord("ALL"u8))
            {
                tokens.SkipSpaces();
                return ImapWords.ReadNumbers(tokens.Atom());
            }
            if (!tokens.AtEnd) tokens.Atom();
        }
        // RFC 4731 §3.1: ALL is left out when nothing matches.
        return new NumberSet();
    }
}
