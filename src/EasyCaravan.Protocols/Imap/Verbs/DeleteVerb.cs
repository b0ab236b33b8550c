namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>
/// DELETE: removes a folder with its messages. Used for the folder of a write test, and for empty folders that a move made.
/// </summary>
internal static class DeleteVerb
{
    /// <param name="name">Quoted.</param>
    public static ImapCommand Of(string name) => new(ImapVerbs.Delete, name);
}
