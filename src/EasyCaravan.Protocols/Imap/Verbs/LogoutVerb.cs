namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>LOGOUT: the server closes the connection. Nobody waits for it.</summary>
internal static class LogoutVerb
{
    public static ImapCommand Command { get; } = new(ImapVerbs.Logout);
}
