using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>STATUS: a folder's counts and change cursor, without opening it.</summary>
internal static class StatusVerb
{
    public static string Items(ImapTraits traits) =>
        traits.Can(ImapCapabilities.CondStore | ImapCapabilities.QuickResync)
            ? "MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ"
            : "MESSAGES UIDNEXT UIDVALIDITY";

    /// <param name="name">Quoted.</param>
    public static ImapCommand Of(string name, ImapTraits traits) => new(ImapVerbs.Status, $"{name} ({Items(traits)})");

    /// <summary>The folder's raw name and its cursor (RFC 9051 §7.3.4); null for another response, or where something is missing.</summary>
    public static (string Raw, FolderCursor Cursor)? Read(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        if (!tokens.TryUntagged("STATUS"u8))
            return null;
        var name = ImapSyntax.FolderName(tokens.String() ?? throw new FormatException("a status has no folder"));
        tokens.SkipSpaces();
        tokens.Take('(');
        uint? messages = null,
            uidNext = null,
            uidValidity = null;
        ulong? modSeq = null;
        while (!tokens.TryTake(')'))
        {
            if (tokens.TryWord("MESSAGES"u8))
            {
                tokens.SkipSpaces();
                messages = tokens.Number32();
            }
            else if (tokens.TryWord("UIDNEXT"u8))
            {
                tokens.SkipSpaces();
                uidNext = tokens.Number32();
            }
            else if (tokens.TryWord("UIDVALIDITY"u8))
            {
                tokens.SkipSpaces();
                uidValidity = tokens.Number32();
            }
            else if (tokens.TryWord("HIGHESTMODSEQ"u8))
            {
                tokens.SkipSpaces();
                modSeq = tokens.Number();
            }
            else
            {
                tokens.Atom();
                tokens.SkipValue();
            }
            tokens.SkipSpaces();
        }
        // RFC 7162 §3.1.2.2: zero means that the folder keeps no modification sequences.
        return messages is { } m && uidNext is { } n && uidValidity is { } v
            ? (name, new FolderCursor(v, n, modSeq is 0 ? null : modSeq, m))
            : null;
    }
}
