namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>
/// ENABLE: lets the server use an extension in its answers. QRESYNC has to be enabled before the first folder is opened (RFC 7162 §3.2.3).
/// </summary>
internal static class EnableVerb
{
    public static ImapCommand QuickResync { get; } = new(ImapVerbs.Enable, "QRESYNC");
}
