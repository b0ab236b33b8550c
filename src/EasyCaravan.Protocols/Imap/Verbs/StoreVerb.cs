using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>UID STORE: adds and removes flags of messages in the open folder. Done twice it changes nothing more.</summary>
internal static class StoreVerb
{
    /// <summary>UIDs in one command.</summary>
    private const int Step = 5_000;

    public static IEnumerable<ImapCommand> Of(FlagChange change)
    {
        foreach (var uids in ImapSyntax.Lines(change.Numbers, Step))
        {
            if (change.Add.Flags.Length > 0)
                yield return Add(uids, change.Add.Written);
            if (change.Remove.Flags.Length > 0)
                yield return new ImapCommand(ImapVerbs.Store, $"{uids} -FLAGS.SILENT ({change.Remove.Written})");
        }
    }

    public static ImapCommand Add(NumberSet uids, string flags) => new(ImapVerbs.Store, $"{uids} +FLAGS.SILENT ({flags})");
}
