using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>How the octets of a message are announced.</summary>
/// <param name="Binary">In a literal8 (RFC 3516 §4.4), which alone may hold NUL.</param>
/// <param name="Utf8">Its header goes beyond ASCII (RFC 6855 §4).</param>
/// <param name="Waitless">The octets follow without waiting for the server's continuation (RFC 7888).</param>
internal readonly record struct LiteralForm(bool Binary, bool Utf8, bool Waitless);

/// <summary>APPEND: adds a message to a folder, or many in one command (RFC 3502).</summary>
internal static class AppendVerb
{
    /// <summary>How the command begins; one or more messages follow, then the line end.</summary>
    /// <param name="name">Quoted.</param>
    public static ImapCommand Begin(string name) => new(ImapVerbs.Append, name);

    /// <summary>What stands before a message's octets: flags, date and the literal's length.</summary>
    public static string BeforeMessage(ItemInfo item, ByteCount size, LiteralForm form) =>
        $" ({item.Flags.Written}) {ImapSyntax.Date(item.Received)} {(form.Utf8 ? "UTF8 (" : "")}{(form.Binary ? "~" : "")}{{{size.Count}"
        + $"{(form.Waitless ? "+" : "")}}}\r\n";

    /// <summary>
    /// APPENDUID (RFC 4315 §3): the UIDs in the order in which the messages were sent. Null when the server does not say, or not for all.
    /// </summary>
    public static List<ItemKey>? ReadAppendUid(ImapResult result, int count)
    {
        if (result.CodeName != "APPENDUID")
            return null;
        var tokens = new ImapTokens(Encoding.ASCII.GetBytes(result.Code!["APPENDUID".Length..]), []);
        tokens.SkipSpaces();
        var uidValidity = tokens.Number32();
        tokens.SkipSpaces();
        var uids = ImapSyntax.ReadNumbers(tokens.Rest);
        return uids.Count == count ? [.. uids.Select(uid => new ItemKey(uidValidity, uid))] : null;
    }
}
