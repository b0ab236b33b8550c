namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>SUBSCRIBE: puts a folder among those that the owner's programs show.</summary>
internal static class SubscribeVerb
{
    /// <param name="name">Quoted.</param>
    public static ImapCommand Of(string name) => new(ImapVerbs.Subscribe, name);
}
