namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>UNSELECT: closes the open folder without removing anything from it, which CLOSE would.</summary>
internal static class UnselectVerb
{
    public static ImapCommand Command { get; } = new(ImapVerbs.Unselect);
}
