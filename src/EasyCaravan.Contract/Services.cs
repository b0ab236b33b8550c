using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>Which protocol mail is read and written with.</summary>
[JsonConverter(typeof(KebabWord<MailProtocolWord>))]
public enum MailProtocolWord
{
    Imap,
    Pop3,
}

/// <summary>How a connection is protected.</summary>
[JsonConverter(typeof(KebabWord<SecurityWord>))]
public enum SecurityWord
{
    /// <summary>TLS from the first octet.</summary>
    Tls,

    /// <summary>Plain at first, then upgraded before anyone signs in.</summary>
    Starttls,

    /// <summary>Not protected.</summary>
    None,
}

/// <summary>Where the mail of a service is.</summary>
/// <param name="Speaks">The protocol.</param>
/// <param name="Host">Host name or address.</param>
/// <param name="Port">TCP port.</param>
/// <param name="Security">How the connection is protected.</param>
public sealed record MailConnectionView(MailProtocolWord Speaks, string Host, int Port, SecurityWord Security);

/// <summary>What the plan lets a service be used for.</summary>
/// <param name="Connections">The most connections that may be open.</param>
/// <param name="PerAccount">The most connections to one account.</param>
/// <param name="LargestMessage">In octets; null when no limit is set.</param>
/// <param name="BytesPerDay">Octets for one account; null when no limit is set.</param>
public sealed record ServiceLimitsView(int Connections, int PerAccount, long? LargestMessage, long? BytesPerDay);

/// <summary>How a service is used now.</summary>
/// <param name="Connections">Connections open now.</param>
/// <param name="Waiting">Moves that wait for it to answer again, or until it takes more.</param>
/// <param name="Trouble">What it did last to one of those; null when none waits.</param>
/// <param name="PausedUntil">When one move tries it again for all; null when it is not in trouble.</param>
/// <param name="Pace">What slows its use, by the plan or because it asked for less; null: nothing does.</param>
public sealed record ServiceUseView(int Connections, int Waiting, string? Trouble, DateTimeOffset? PausedUntil, string? Pace);

/// <summary>A service and how it is used now.</summary>
/// <param name="Name">The service's name in the plan.</param>
/// <param name="Mail">Where its mail is; null: it has none.</param>
/// <param name="Contacts">Where its address books are; null: it has none.</param>
/// <param name="Calendars">Where its calendars are; null: it has none.</param>
/// <param name="SignIn">password, on-behalf or oauth, with the grant where there is one.</param>
/// <param name="Consent">How a person can sign in at the service from here: device-code, authorization-code, or null.</param>
/// <param name="Trust">system, none, or the file with the authorities.</param>
/// <param name="Rules">Where its forwarding rules are kept; null: nobody can look.</param>
/// <param name="Limits">What the plan lets it be used for.</param>
/// <param name="Use">How it is used now.</param>
/// <param name="Warnings">What makes the service less safe than it could be, in words that must be shown with it.</param>
/// <param name="Help">What the plan says to do about things that it says.</param>
/// <param name="Parcels">The folder in which its accounts lie packed; null: it is a mail system.</param>
/// <param name="MailFiles">In which form and which files its mail lies; null: it has none that does.</param>
public sealed record ServiceView(
    string Name,
    MailConnectionView? Mail,
    string? Contacts,
    string? Calendars,
    string SignIn,
    string? Consent,
    string Trust,
    string? Rules,
    ServiceLimitsView Limits,
    ServiceUseView Use,
    IReadOnlyList<string> Warnings,
    IReadOnlyList<HelpView> Help,
    string? Parcels,
    string? MailFiles
);

/// <summary>A remedy of a service's definition.</summary>
/// <param name="Says">Part of what the service says.</param>
/// <param name="Remedy">What to do, in one sentence without a full stop.</param>
public sealed record HelpView(string Says, string Remedy);

/// <summary>What is to be tried.</summary>
/// <param name="Account">Whose sign-in is tried; null: only what needs none.</param>
public sealed record ServiceTryRequest(string? Account);

/// <summary>One step of a trial.</summary>
/// <param name="Connection">mail, contacts, calendars, rules, or sign-in.</param>
/// <param name="Milliseconds">How long the step took.</param>
/// <param name="Remedy">What to do, where it failed.</param>
/// <param name="Name">The step.</param>
/// <param name="Ok">All went well.</param>
/// <param name="Result">What came of it, in words.</param>
public sealed record TrialStep(string Connection, string Name, bool Ok, string Result, long Milliseconds, string? Remedy);

/// <summary>Every connection of a service tried, step by step.</summary>
/// <param name="Problem">The first that failed; null when all is well.</param>
/// <param name="Service">The service's name in the plan.</param>
/// <param name="Account">Whose sign-in was tried; null: none.</param>
/// <param name="Ok">All went well.</param>
/// <param name="Steps">Every step.</param>
public sealed record ServiceTrial(string Service, string? Account, bool Ok, IReadOnlyList<TrialStep> Steps, Problem? Problem);

/// <summary>A connection that was found for an address.</summary>
/// <param name="Kind">imap, pop3, smtp, managesieve, carddav, caldav or jmap.</param>
/// <param name="Source">Where it came from, in words.</param>
/// <param name="Verified">A connection was made, and its certificate holds.</param>
/// <param name="Host">Host name or address.</param>
/// <param name="Port">TCP port.</param>
/// <param name="Security">tls, starttls or none.</param>
/// <param name="Url">For HTTP services; null for others.</param>
/// <param name="Result">What came of it, in words.</param>
public sealed record FoundSettingView(
    string Kind,
    string Host,
    int Port,
    string Security,
    string? Url,
    string Source,
    bool Verified,
    string Result
);

/// <summary>What was found for an address.</summary>
/// <param name="Plan">What verified settings look like in a plan; null when none was found.</param>
/// <param name="Domain">The domain that was looked at.</param>
/// <param name="Settings">Every connection that was found.</param>
public sealed record FoundSettings(string Domain, IReadOnlyList<FoundSettingView> Settings, string? Plan);

/// <summary>Whose consent is to be asked for.</summary>
/// <param name="Account">The account whose owner shall consent.</param>
public sealed record ConsentRequest(string Account);

/// <summary>A consent that was begun.</summary>
/// <param name="Id">To ask how it stands.</param>
/// <param name="Where">The address at which the person consents.</param>
/// <param name="UserCode">What the person types there; null where the address is all.</param>
/// <param name="Ends">Until when the owner has to have consented.</param>
public sealed record ConsentBegun(string Id, string Where, string? UserCode, DateTimeOffset Ends);

/// <summary>For whom links of consent are made.</summary>
/// <param name="Batch">Only people of this batch; null: of every batch.</param>
/// <param name="Accounts">These accounts; null: everybody whose consent is missing.</param>
public sealed record ConsentLinksRequest(string? Batch, IReadOnlyList<string>? Accounts);

/// <summary>A link to be sent to the owner of an account, who consents in a browser of their own.</summary>
/// <param name="Account">The account whose owner shall consent.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Link">The address to open.</param>
/// <param name="Ends">Until when it is good.</param>
public sealed record ConsentLinkView(string Account, string Name, string Link, DateTimeOffset Ends);

/// <summary>How a consent that was begun stands.</summary>
/// <param name="State">How it stands.</param>
/// <param name="Problem">What is wrong and what to do; null when all is well.</param>
public sealed record ConsentState(ConsentWord State, Problem? Problem);
