using System.Text;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>UID SEARCH (RFC 9051 §6.4.4): the UIDs of messages in the open folder.</summary>
internal static class SearchVerb
{
    /// <summary>With ESEARCH (RFC 4731) the answer is in ranges: a few octets for a full folder.</summary>
    public static ImapCommand All(ImapTraits traits) =>
        new(ImapVerbs.Search, traits.Can(ImapCapabilities.ESearch) ? "RETURN (ALL) ALL" : "ALL");

    /// <summary>Those received on this day, as the server's zone has it, or later.</summary>
    public static ImapCommand Since(DateTimeOffset day) =>
        new(ImapVerbs.Search, $"SINCE {day.UtcDateTime.ToString("d-MMM-yyyy", System.Globalization.CultureInfo.InvariantCulture)}");

    /// <summary>Those with this Message-ID.</summary>
    /// <param name="quoted">The number without its angle brackets, as an IMAP string.</param>
    public static ImapCommand ByMessageId(string quoted) => new(ImapVerbs.Search, $"HEADER Message-ID {quoted}");
}

/// <summary>The answer to one UID SEARCH for all messages: UIDs one by one (RFC 9051 §7.3.4), or ranges (RFC 4731).</summary>
/// <remarks>
/// A server may give the ESEARCH response before the tagged answers of commands that were sent ahead of the search (RFC 9051 §5.5). It
/// carries the tag of its search (RFC 4731 §3.1), so it is taken wherever it comes.
/// </remarks>
/// <param name="tag">Of the search command.</param>
internal sealed class SearchAnswer(string tag)
{
    private List<uint>? _listed;
    private NumberSet? _ranges;

    public string Tag => tag;

    /// <summary>The UIDs that the server told; null while it told none, not even that there are none.</summary>
    public NumberSet? Uids => _ranges ?? (_listed is null ? null : new NumberSet(_listed));

    /// <summary>Takes a response if it belongs to this search. False for everything else.</summary>
    public bool Take(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        if (tokens.TryUntagged("SEARCH"u8))
        {
            _listed ??= [];
            while (!tokens.AtEnd && tokens.Rest[0] != '(')
            {
                _listed.Add(tokens.Number32());
                tokens.SkipSpaces();
            }
            return true;
        }
        if (!tokens.TryUntagged("ESEARCH"u8))
            return false;
        if (!IsOurs(ref tokens))
            return false;
        var ranges = new NumberSet();
        while (!tokens.AtEnd)
        {
            tokens.SkipSpaces();
            if (tokens.TryWord("ALL"u8))
            {
                tokens.SkipSpaces();
                ranges = ImapSyntax.ReadNumbers(tokens.Atom());
            }
            else if (!tokens.AtEnd)
                tokens.Atom();
        }
        // RFC 4731 §3.1: ALL is left out when nothing matches.
        _ranges = ranges;
        return true;
    }

    /// <summary>
    /// The search correlator. One that a server leaves out is taken for ours: it can only belong to the search that is under way.
    /// </summary>
    private bool IsOurs(ref ImapTokens tokens)
    {
        if (!tokens.TryTake('('))
            return true;
        tokens.SkipSpaces();
        if (!tokens.TryWord("TAG"u8))
            throw new FormatException("an ESEARCH response has a correlator that is no TAG");
        tokens.SkipSpaces();
        var told = tokens.String() ?? [];
        tokens.SkipSpaces();
        tokens.Take(')');
        return told.AsSpan().SequenceEqual(Encoding.ASCII.GetBytes(tag));
    }
}
