namespace EasyCaravan.Core.Pacing;

/// <summary>
/// What can go wrong with the world outside. Closed: every map over it is exhaustive. Kept by number: new ones come last.
/// </summary>
public enum Cause
{
    HostUnknown,
    Unreachable,
    TlsUntrusted,
    TlsNotOffered,
    SignInRefused,

    /// <summary>Mail over this protocol is switched off for the account.</summary>
    ProtocolOff,

    /// <summary>The account's own password is not taken: programs need one of their own.</summary>
    AppPasswordNeeded,

    /// <summary>The login is not in the form that the service knows.</summary>
    LoginFormWrong,
    AccountLocked,
    AccountNotFound,

    /// <summary>The administrator may not act for the account.</summary>
    NotOnBehalf,

    /// <summary>A permission (scope) was not granted; the fault names it.</summary>
    ScopeMissing,

    /// <summary>Nobody has consented yet, or the consent was taken back.</summary>
    ConsentMissing,
    SecretMissing,
    SecretUnreadable,
    ConnectionLost,
    TimedOut,
    ServiceBusy,

    /// <summary>What the plan allows an account in a day is used up.</summary>
    DaySpent,
    NoRoom,
    NotPermitted,
    FolderRefused,
    MessageTooLarge,
    MessageRefused,
    MessageUnreadable,
    ProtocolBroken,
    Unexpected,

    /// <summary>The disk under our own store is full.</summary>
    StoreFull,

    /// <summary>Of a contact or an event, as <see cref="MessageTooLarge"/> of a message; so are the next two.</summary>
    ItemTooLarge,
    ItemRefused,
    ItemUnreadable,

    /// <summary>The new side stored something else than it was given.</summary>
    ArrivedDamaged,

    /// <summary>It was edited on both sides since the last pass.</summary>
    EditedOnBothSides,

    /// <summary>The account has another item of the same UID, and may have it only once.</summary>
    UidTaken,

    /// <summary>Writing it would send invitations, and nothing that is allowed keeps the new side from it.</summary>
    WouldInvite,

    /// <summary>An address book or calendar cannot be made on the new side.</summary>
    CollectionRefused,

    /// <summary>The old side's mail rules cannot do what is asked, or do not take it.</summary>
    RulesRefused,

    /// <summary>Somebody changed the account's mail rules meanwhile.</summary>
    RulesChanged,

    /// <summary>The service confirmed a change of mail rules and did not make it.</summary>
    RulesNotKept,

    /// <summary>A gate is shut, so that somebody does not cross yet.</summary>
    GateShut,

    /// <summary>Forwarding has to be set, or switched off, by a person.</summary>
    ForwardingByHand,

    /// <summary>The old side wants the new address confirmed, and nobody has done so.</summary>
    ForwardingUnconfirmed,

    /// <summary>A message to the old address did not come to the new one.</summary>
    ProbeMissing,

    /// <summary>It came into a folder for junk.</summary>
    ProbeInJunk,

    /// <summary>It came with another text than it was sent with.</summary>
    ProbeAltered,

    /// <summary>It came more than once.</summary>
    ProbeDoubled,

    /// <summary>What the waybill of a move leaves open keeps it from being done.</summary>
    WaybillOpen,

    /// <summary>A folder of files is not there, or nothing may be written to it.</summary>
    PlaceRefused,

    /// <summary>A file is not what was packed, or cannot be read at all.</summary>
    FileDamaged,

    /// <summary>The server speaks only forms of TLS that are no longer safe.</summary>
    TlsTooOld,

    /// <summary>Text came unprotected where TLS was agreed: it may have been put in on the way.</summary>
    TlsTampered,

    /// <summary>The server says that somebody is signed in before we said who we are.</summary>
    SignedInUnasked,
}

/// <summary>What is to be done after a fault.</summary>
public enum FaultAction
{
    /// <summary>It passes by itself: try again later.</summary>
    RetryLater,

    /// <summary>A person has to act: trying again will not help.</summary>
    AskPerson,

    /// <summary>This item is left behind, and the others go on.</summary>
    SkipItem,
}

/// <summary>What went wrong, to whom, and what the service said. Safe to show: holds no secret.</summary>
/// <param name="Whom">The account, folder or service concerned, as people know it.</param>
/// <param name="What">One sentence without a full stop.</param>
/// <param name="Code">The server's own response code (RFC 5530), where it gave one.</param>
public sealed record Fault(Cause Cause, string Whom, string What, string? Code = null)
{
    /// <summary>A server may say a great deal, and this is kept for each person.</summary>
    private const int Longest = 2000;

    public string What { get; init; } = Short(Secrecy.Hide(What));

    public string? Code { get; init; } = Code is null ? null : Secrecy.Hide(Code);

    /// <summary>A remedy that the service's definition in the plan has for it; null: the one for its cause.</summary>
    public string? Help { get; init; }

    /// <summary>The service that it came from, by its name in the plan; null where none did.</summary>
    public string? Service { get; init; }

    /// <summary>Nobody had signed in yet: it is not about the account.</summary>
    public bool BeforeSignIn { get; init; }

    /// <summary>Trying before this is in vain; null: the backoff decides.</summary>
    public NodaTime.Instant? NotBefore { get; init; }

    private static string Short(string text) => text.Length > Longest ? text[..Longest] + "…" : text;

    /// <summary>With the remedy that a service's definition has for what it said, if it has one.</summary>
    public Fault Advised(IEnumerable<Planning.Help> help) =>
        Help is null && help.FirstOrDefault(h => What.Contains(h.Says, StringComparison.OrdinalIgnoreCase)) is { } known
            ? this with
            {
                Help = known.Remedy,
            }
            : this;

    public FaultAction Action => FaultRules.ActionOf(Cause);

    public string Remedy => Help ?? FaultRules.RemedyFor(Cause);

    public override string ToString() => $"{Whom}: {What}. {Remedy}.";
}

/// <summary>The one place that says what each cause means for the move and for the person.</summary>
public static class FaultRules
{
    /// <summary>Another login, secret or consent may mend it.</summary>
    public static bool IsOfSignIn(Cause cause) =>
        cause
            is Cause.SignInRefused
                or Cause.AppPasswordNeeded
                or Cause.LoginFormWrong
                or Cause.AccountLocked
                or Cause.AccountNotFound
                or Cause.ConsentMissing
                or Cause.SecretMissing
                or Cause.SecretUnreadable;

    /// <summary>
    /// It would meet everybody who moves over the same service, not this account alone (RFC 5530 §3, UNAVAILABLE; LIMIT before anyone has
    /// signed in).
    /// </summary>
    public static bool IsOfService(Fault fault) =>
        fault.Service is not null
        && fault.Cause switch
        {
            Cause.HostUnknown
            or Cause.Unreachable
            or Cause.TlsUntrusted
            or Cause.TlsNotOffered
            or Cause.TlsTooOld
            or Cause.TlsTampered
            or Cause.SignedInUnasked => true,
            Cause.ServiceBusy => fault.Code is "UNAVAILABLE" or "LIMIT" || fault.BeforeSignIn,
            _ => false,
        };

    /// <summary>The service asks for less: whoever uses it slows down.</summary>
    public static bool AsksForLess(Fault fault) => fault.Cause is Cause.ServiceBusy or Cause.TimedOut or Cause.Unreachable;

    public static FaultAction ActionOf(Cause cause) =>
        cause switch
        {
            Cause.Unreachable
            or Cause.ConnectionLost
            or Cause.TimedOut
            or Cause.ServiceBusy
            or Cause.DaySpent
            or Cause.ProtocolBroken
            or Cause.StoreFull
            or Cause.Unexpected => FaultAction.RetryLater,
            Cause.HostUnknown
            or Cause.TlsUntrusted
            or Cause.TlsNotOffered
            or Cause.SignInRefused
            or Cause.SecretMissing
            or Cause.SecretUnreadable
            or Cause.ProtocolOff
            or Cause.AppPasswordNeeded
            or Cause.LoginFormWrong
            or Cause.AccountLocked
            or Cause.AccountNotFound
            or Cause.NotOnBehalf
            or Cause.ScopeMissing
            or Cause.ConsentMissing
            or Cause.NoRoom
            or Cause.NotPermitted
            or Cause.FolderRefused
            or Cause.CollectionRefused
            or Cause.RulesRefused
            or Cause.RulesChanged
            or Cause.RulesNotKept
            or Cause.GateShut
            or Cause.ForwardingByHand
            or Cause.ForwardingUnconfirmed
            or Cause.ProbeMissing
            or Cause.ProbeInJunk
            or Cause.ProbeAltered
            or Cause.ProbeDoubled
            or Cause.WaybillOpen
            or Cause.PlaceRefused
            or Cause.FileDamaged
            or Cause.TlsTooOld
            or Cause.TlsTampered
            or Cause.SignedInUnasked => FaultAction.AskPerson,
            Cause.MessageTooLarge
            or Cause.MessageRefused
            or Cause.MessageUnreadable
            or Cause.ItemTooLarge
            or Cause.ItemRefused
            or Cause.ItemUnreadable
            or Cause.ArrivedDamaged
            or Cause.EditedOnBothSides
            or Cause.UidTaken
            or Cause.WouldInvite => FaultAction.SkipItem,
        };

    public static string RemedyFor(Cause cause) =>
        cause switch
        {
            Cause.HostUnknown => "Correct the host in the plan, or look at this machine's name resolution, and apply the plan again",
            Cause.Unreachable => "Nothing to do yet, it is tried again; if it lasts, check host, port and firewall",
            Cause.TlsUntrusted =>
                "Name the authority that signed the certificate as trust: {ca-file: …} in the plan, or have the certificate renewed",
            Cause.TlsNotOffered => "Have the service offer STARTTLS, or use security: tls with its TLS port in the plan",
            Cause.TlsTooOld => "Have the service switch on TLS 1.2 or 1.3; nothing is sent over older ones",
            Cause.TlsTampered =>
                "Use security: tls with the service's TLS port in the plan; if it stays so, have the network and the service looked at",
            Cause.SignedInUnasked =>
                "Use a port at which the service asks who one is: nobody knows whose mailbox this would be; then retry",
            Cause.SignInRefused =>
                "Set the right password, app password or login (caravan secret set), or correct the roster and apply the plan",
            Cause.ProtocolOff => "Have mail over this protocol switched on for the account at the service, then retry",
            Cause.AppPasswordNeeded =>
                "Have an app password made for the account and set it (caravan secret set), or put it in the roster and apply the plan",
            Cause.LoginFormWrong =>
                "Write the login as the service knows it (whole address, or the part before the @) in the roster's login column and "
                    + "apply the plan, then retry",
            Cause.AccountLocked => "Have the account unlocked at the service, then retry; too many wrong tries lock it again",
            Cause.AccountNotFound => "Correct the account in the roster and apply the plan, or have it made at the service, then retry",
            Cause.NotOnBehalf => "Grant the administrator of sign-in: {with: on-behalf} the right to act for this account, then retry",
            Cause.ScopeMissing => "Grant the client that permission at the authorization server, consent again if it asks, then retry",
            Cause.ConsentMissing =>
                "Send its owner a link (caravan service consent-links), or sign in together with them (caravan service sign-in); a token "
                    + "of the roster is replaced with caravan secret set. Then it goes on by itself",
            Cause.SecretMissing => "Set the secret for this side (caravan secret set), or add it to the roster and apply the plan",
            Cause.SecretUnreadable =>
                "The keys that sealed it are gone: set the secret again (caravan secret set), or apply the roster with it again",
            Cause.ConnectionLost => "Nothing to do, it is tried again from where it stopped",
            Cause.TimedOut => "Nothing to do yet, it is tried again; if it lasts, ask whether the service is overloaded",
            Cause.ServiceBusy => "Nothing to do, the service asked for a pause and gets it",
            Cause.DaySpent => "Nothing to do, it goes on when the service's next day starts",
            Cause.NoRoom => "Give the account on the new side more room, then retry",
            Cause.NotPermitted => "Grant the account the right that is missing, then retry",
            Cause.FolderRefused => "Add a folder rule to the route that gives this folder another place, then retry",
            Cause.MessageTooLarge => "Raise the limit of the new side and retry, or accept that it stays behind",
            Cause.MessageRefused => "Look at the message on the old side and retry, or accept that it stays behind",
            Cause.MessageUnreadable => "Have the old side's mailbox repaired and retry, or accept that it stays behind",
            Cause.ItemTooLarge => "Raise the limit of the new side and retry, or accept that it stays behind",
            Cause.ItemRefused => "Mend it on the old side and retry, or accept that it stays behind",
            Cause.ItemUnreadable => "Have the old side's address book or calendar repaired and retry, or accept that it stays behind",
            Cause.ArrivedDamaged => "Compare both forms: mend it on the new side by hand, or accept what is lost",
            Cause.EditedOnBothSides => "Compare both versions, and choose the old one, the new one or both",
            Cause.UidTaken => "Look at both: keep the one that is there and accept this, or delete one and retry",
            Cause.WouldInvite =>
                "Have the service switch scheduling off for the calendar, or allow schedule-agent in the route; then retry",
            Cause.CollectionRefused => "Give it another place in the route's collections, or make it on the new side by hand; then retry",
            Cause.RulesRefused => "Have forwarding set by hand on the old side, or have the account's rules mended there; then retry",
            Cause.RulesChanged => "Look at the account's rules with its owner, then retry: they are looked at anew",
            Cause.RulesNotKept => "Look at the account's rules on the old side; if they are not kept there, have forwarding set by hand",
            Cause.GateShut => "Look at the gates (caravan crossing BATCH --check), mend or accept them, then retry",
            Cause.ForwardingByHand => "Set it at the old service by hand, and say so: caravan crossing BATCH --forwarding-is on --move WHO",
            Cause.ForwardingUnconfirmed =>
                "Give the code back at the old service, or follow the link, and say so: caravan crossing BATCH --confirmed --move WHO",
            Cause.ProbeMissing =>
                "Look at the forwarding on the old side and at the logs of both mail servers, then retry: another probe is sent",
            Cause.ProbeInJunk =>
                "Have the new side take mail that the old side forwards for wanted, then retry; or accept it as the gate probe",
            Cause.ProbeAltered => "Look what rewrites mail on its way, then retry; or accept it as the gate probe",
            Cause.ProbeDoubled =>
                "Look for a second rule that forwards too, or an alias to both addresses; then retry, or accept it as the gate probe",
            Cause.PlaceRefused => "Make the folder, or let the service write to it (docs/parcel.md), then retry",
            Cause.FileDamaged => "Look what is wrong with 'caravan parcel check', put a sound copy in its place, then retry",
            Cause.WaybillOpen => "Decide on what is left behind and on the differences, then retry",
            Cause.ProtocolBroken =>
                "It is tried again a few times; if it stays so, have the service's operator look at its answers, then retry",
            Cause.StoreFull => "Make room on the disk that holds the service's data folder; passes go on by themselves",
            Cause.Unexpected => "It is tried again a few times; if it stays so, the service's log has the details; then retry",
        };
}

/// <summary>What may be done with the connection on which a fault came.</summary>
public enum Verdict
{
    Keep,
    Close,
}

/// <summary>A fault on its way to whoever decides.</summary>
public sealed class FaultException(Fault fault, Verdict verdict, Exception? inner = null) : Exception(fault.ToString(), inner)
{
    public Fault Fault { get; } = fault;

    public Verdict Verdict { get; } = verdict;
}
