using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>UID EXPUNGE: removes the messages among these that have <c>\Deleted</c>, and no others.</summary>
internal static class ExpungeVerb
{
    public static ImapCommand Of(NumberSet uids) => new(ImapVerbs.Expunge, $"{uids}");
}
