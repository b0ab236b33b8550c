using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap.Verbs;

/// <summary>In which state of the connection a command may be sent (RFC 9051 §3).</summary>
internal enum ImapState
{
    /// <summary>After the sign-in, whether a mailbox is open or not.</summary>
    Authenticated,

    /// <summary>While a mailbox is open, or is being opened by a command sent before.</summary>
    Selected,
}

/// <summary>A command that we send by ourselves. What comes before the end of the sign-in is MailKit's.</summary>
/// <param name="Name">As it stands on the wire.</param>
/// <param name="Rfc">Where it is defined.</param>
/// <param name="SafeToReplay">If its answer was lost, it may be sent again without looking first.</param>
/// <param name="Needs">The capability that the server must have; null: every server has the command.</param>
internal sealed record ImapVerb(string Name, string Rfc, ImapState State, bool SafeToReplay, ImapCapabilities? Needs = null);

/// <summary>One command, ready to be sent.</summary>
/// <param name="Arguments">Without the line end; a character for each octet.</param>
internal readonly record struct ImapCommand(ImapVerb Verb, string Arguments = "")
{
    public override string ToString() => Arguments.Length == 0 ? Verb.Name : $"{Verb.Name} {Arguments}";
}

/// <summary>All commands in one table. Each has a file of its own, with its encoder and the decoder of its answer.</summary>
internal static class ImapVerbs
{
    public static readonly ImapVerb Append = new("APPEND", "RFC 9051 §6.3.12, RFC 3502", ImapState.Authenticated, SafeToReplay: false);
    public static readonly ImapVerb Copy = new("UID COPY", "RFC 9051 §6.4.7", ImapState.Selected, SafeToReplay: false);
    public static readonly ImapVerb Create = new("CREATE", "RFC 9051 §6.3.4, RFC 6154 §3", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Delete = new("DELETE", "RFC 9051 §6.3.5", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Enable = new(
        "ENABLE",
        "RFC 9051 §6.3.1",
        ImapState.Authenticated,
        SafeToReplay: true,
        ImapCapabilities.QuickResync
    );
    public static readonly ImapVerb Examine = new(
        "EXAMINE",
        "RFC 9051 §6.3.3, RFC 7162 §3.2.5",
        ImapState.Authenticated,
        SafeToReplay: true
    );
    public static readonly ImapVerb Expunge = new(
        "UID EXPUNGE",
        "RFC 4315 §2.1",
        ImapState.Selected,
        SafeToReplay: true,
        ImapCapabilities.UidPlus
    );
    public static readonly ImapVerb Fetch = new("UID FETCH", "RFC 9051 §6.4.5", ImapState.Selected, SafeToReplay: true);
    public static readonly ImapVerb GetQuotaRoot = new(
        "GETQUOTAROOT",
        "RFC 9208 §4.1.2",
        ImapState.Authenticated,
        SafeToReplay: true,
        ImapCapabilities.Quota
    );
    public static readonly ImapVerb List = new("LIST", "RFC 9051 §6.3.9, RFC 5819", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Logout = new("LOGOUT", "RFC 9051 §6.1.3", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Lsub = new("LSUB", "RFC 3501 §6.3.9", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Move = new("UID MOVE", "RFC 6851 §3.2", ImapState.Selected, SafeToReplay: false, ImapCapabilities.Move);
    public static readonly ImapVerb MyRights = new(
        "MYRIGHTS",
        "RFC 4314 §3.5",
        ImapState.Authenticated,
        SafeToReplay: true,
        ImapCapabilities.Acl
    );
    public static readonly ImapVerb Search = new("UID SEARCH", "RFC 9051 §6.4.4, RFC 4731", ImapState.Selected, SafeToReplay: true);
    public static readonly ImapVerb Select = new("SELECT", "RFC 9051 §6.3.2", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Status = new("STATUS", "RFC 9051 §6.3.11", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Store = new("UID STORE", "RFC 9051 §6.4.6", ImapState.Selected, SafeToReplay: true);
    public static readonly ImapVerb Subscribe = new("SUBSCRIBE", "RFC 9051 §6.3.7", ImapState.Authenticated, SafeToReplay: true);
    public static readonly ImapVerb Unselect = new(
        "UNSELECT",
        "RFC 3691 §2",
        ImapState.Authenticated,
        SafeToReplay: true,
        ImapCapabilities.Unselect
    );
    public static readonly ImapVerb Unsubscribe = new("UNSUBSCRIBE", "RFC 9051 §6.3.8", ImapState.Authenticated, SafeToReplay: true);

    public static IReadOnlyList<ImapVerb> All { get; } =
    [
        Append,
        Copy,
        Create,
        Delete,
        Enable,
        Examine,
        Expunge,
        Fetch,
        GetQuotaRoot,
        List,
        Logout,
        Lsub,
        Move,
        MyRights,
        Search,
        Select,
        Status,
        Store,
        Subscribe,
        Unselect,
        Unsubscribe,
    ];
}
