namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>UNSUBSCRIBE: takes a folder off the list of those that the owner's programs show.</summary>
internal static class UnsubscribeVerb
{
    /// <param name="name">Quoted.</param>
    public static ImapCommand Of(string name) => new(ImapVerbs.Unsubscribe, name);
}
