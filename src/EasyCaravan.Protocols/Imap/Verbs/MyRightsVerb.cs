using System.Text;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>MYRIGHTS: what the account may do with a folder.</summary>
internal static class MyRightsVerb
{
    /// <summary>The right to add messages (RFC 4314 §2.1).</summary>
    public const char Insert = 'i';

    /// <param name="name">Quoted.</param>
    public static ImapCommand Of(string name) => new(ImapVerbs.MyRights, name);

    /// <summary>The rights, a letter each (RFC 4314 §3.8); null for another response.</summary>
    public static string? Read(ImapResponse response)
    {
        var tokens = new ImapTokens(response);
        if (!tokens.TryUntagged("MYRIGHTS"u8))
            return null;
        tokens.String();
        tokens.SkipSpaces();
        return Encoding.ASCII.GetString(tokens.String() ?? []);
    }
}
