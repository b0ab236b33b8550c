using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>A folder as a LIST or LSUB response tells it.</summary>
/// <param name="Raw">Its name as its octets went over the wire.</param>
internal sealed record ListedFolder(string Raw, char? Separator, SpecialUse Use, bool Selectable, bool Subscribed);

/// <summary>LIST and LSUB: which folders there are. With LIST-STATUS (RFC 5819) their state comes in the same answer.</summary>
internal static class ListVerb
{
    /// <summary>The list tells by itself which folders are subscribed (RFC 5258 §3.1).</summary>
    public static bool TellsSubscriptions(ImapTraits traits) => traits.Can(ImapCapabilities.ListExtended | ImapCapabilities.ListStatus);

    public static ImapCommand All(ImapTraits traits)
    {
        if (!TellsSubscriptions(traits))
            return new ImapCommand(ImapVerbs.List, "\"\" \"*\"");
        var options = new List<string> { "SUBSCRIBED" };
        if (traits.Can(ImapCapabilities.SpecialUse))
            options.Add("SPECIAL-USE");
        if (traits.Can(ImapCapabilities.ListStatus))
            options.Add($"STATUS ({StatusVerb.Items(traits)})");
        return new ImapCommand(ImapVerbs.List, $"\"\" \"*\" RETURN ({string.Join(' ', options)})");
    }

    public static ImapCommand Subscriptions { get; } = new(ImapVerbs.Lsub, "\"\" \"*\"");

    /// <summary>Null for a response that is not of this verb (RFC 9051 §7.3.1).</summary>
    public static ListedFolder? Read(ImapResponse response, ImapVerb verb)
    {
        var tokens = new ImapTokens(response);
        if (!tokens.TryUntagged(Encoding.ASCII.GetBytes(verb.Name)))
            return null;
        tokens.Take('(');
        var (use, selectable, subscribed) = (SpecialUse.None, true, false);
        while (!tokens.TryTake(')'))
        {
            var flag = Encoding.ASCII.GetString(tokens.Atom());
            if (
                flag.Equals("\\Noselect", StringComparison.OrdinalIgnoreCase)
                || flag.Equals("\\NonExistent", StringComparison.OrdinalIgnoreCase)
            )
                selectable = false;
            else if (flag.Equals("\\Subscribed", StringComparison.OrdinalIgnoreCase))
                subscribed = true;
            else if (Enum.TryParse<SpecialUse>(flag.TrimStart('\\'), ignoreCase: true, out var known) && !char.IsDigit(flag[^1]))
                use = known;
            tokens.SkipSpaces();
        }
        tokens.SkipSpaces();
        var separator = tokens.String();
        tokens.SkipSpaces();
        var name = ImapSyntax.FolderName(tokens.String() ?? throw new FormatException("a folder has no name"));
        return new ListedFolder(name, separator is [var s] ? (char)s : null, use, selectable, subscribed);
    }
}
