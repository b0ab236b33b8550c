namespace EasyCaravan.Contract;

/// <summary>A service and how it is used now.</summary>
/// <param name="Speaks">imap or pop3; with host, port and security it is null for a service without mail.</param>
/// <param name="Contacts">Where its address books are; null: it has none.</param>
/// <param name="Calendars">Where its calendars are; null: it has none.</param>
/// <param name="SignIn">password, on-behalf or oauth, with the grant where there is one.</param>
/// <param name="Consent">How a person can sign in at the service from here: device-code, authorization-code, or null.</param>
/// <param name="Rules">Where its forwarding rules are kept; null: nobody can look.</param>
/// <param name="Warnings">What makes the service less safe than it could be, in words that must be shown with it.</param>
/// <param name="InUse">Connections open now.</param>
/// <param name="Connections">The most that may be open.</param>
/// <param name="LargestMessage">In octets; null when no limit is set.</param>
/// <param name="BytesPerDay">Octets for one account; null when no limit is set.</param>
/// <param name="Waiting">Moves that wait for it to answer again, or to bear more.</param>
/// <param name="Trouble">What it did last to one of those; null when none waits.</param>
/// <param name="PausedUntil">When one move tries it again for all; null when it is not in trouble.</param>
/// <param name="Pace">What holds it back, by the plan or because it asked for less; null: nothing does.</param>
/// <param name="Help">What the plan says to do about things that it says.</param>
/// <param name="Name">The service's name in the plan.</param>
/// <param name="Host">Host name or address.</param>
/// <param name="Port">TCP port.</param>
/// <param name="Security">tls, starttls or none.</param>
/// <param name="Trust">system, none, or the file with the authorities.</param>
/// <param name="PerAccount">The most connections to one account.</param>
public sealed record ServiceView(
    string Name,
    string? Speaks,
    string? Host,
    int? Port,
    string? Security,
    string? Contacts,
    string? Calendars,
    string SignIn,
    string? Consent,
    string Trust,
    string? Rules,
    int InUse,
    int Connections,
    int PerAccount,
    long? LargestMessage,
    long? BytesPerDay,
    int Waiting,
    string? Trouble,
    DateTimeOffset? PausedUntil,
    string? Pace,
    IReadOnlyList<string> Warnings,
    IReadOnlyList<HelpView> Help
);

/// <summary>A remedy of a service's definition.</summary>
/// <param name="Says">Part of what the service says.</param>
/// <param name="Remedy">What to do, in one sentence without a full stop.</param>
public sealed record HelpView(string Says, string Remedy);

/// <summary>What is to be tried.</summary>
/// <param name="Account">Whose sign-in is tried; null: only what needs none.</param>
public sealed record ServiceTryRequest(string? Account);

/// <summary>One step of a trial.</summary>
/// <param name="Connection">mail or rules.</param>
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

/// <summary>How a consent that was begun stands.</summary>
/// <param name="State">How it stands.</param>
/// <param name="Problem">What is wrong and what to do; null when all is well.</param>
public sealed record ConsentState(ConsentWord State, Problem? Problem);
