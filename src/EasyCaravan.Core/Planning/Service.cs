using System.Collections.Immutable;
using EasyCaravan.Core.Formats.Csv;

namespace EasyCaravan.Core.Planning;

/// <summary>A mail system that can be reached, with its connections, its way to sign in and its limits.</summary>
/// <param name="Mail">Null: it has no mail.</param>
public sealed record Service(string Name, MailConnection? Mail, SignIn SignIn, Trust Trust, Limits Limits)
{
    /// <summary>Null: it has no address books.</summary>
    public CollectionConnection? Contacts { get; init; }

    /// <summary>Null: it has no calendars.</summary>
    public CollectionConnection? Calendars { get; init; }

    /// <summary>
    /// What it has, in the order in which kinds are carried unless a route says otherwise: people find their address book first.
    /// </summary>
    public ImmutableArray<Kind> Kinds =>
        [
            .. new[]
            {
                (Kind.Contacts, Contacts is not null),
                (Kind.Calendars, Calendars is not null),
                (Kind.Mail, Mail is not null || MailFiles is not null),
            }
                .Where(k => k.Item2 || Parcels is not null)
                .Select(k => k.Item1),
        ];

    /// <summary>Its mail lies in files, and <see cref="Mail"/> is null; null: it does not.</summary>
    public MailFiles? MailFiles { get; init; }

    /// <summary>It is no mail system but a folder of packed accounts, which hold all kinds; null: it is none.</summary>
    public ParcelPlace? Parcels { get; init; }

    /// <summary>Where its address books or calendars are; null: it has none, or mail was asked for.</summary>
    public CollectionConnection? CollectionsOf(Kind kind) =>
        kind switch
        {
            Kind.Contacts => Contacts,
            Kind.Calendars => Calendars,
            _ => null,
        };

    /// <summary>One for which people sign in, if there is one: files that were handed over need none.</summary>
    public Kind SignInKind => Kinds.FirstOrDefault(k => !IsFiles(k), Kinds[0]);

    /// <summary>This kind lies in files that can only be read, for which nobody signs in.</summary>
    public bool IsFiles(Kind kind) => kind is Kind.Mail ? MailFiles is not null : CollectionsOf(kind) is CollectionConnection.Files;

    /// <summary>Nobody's mail system: what lies in files receives nothing and forwards nothing.</summary>
    public bool IsAtRest => Parcels is not null || (Mail is null && MailFiles is not null);

    /// <summary>Where its people's programs send; null: it is not said.</summary>
    public SendingConnection? Sending { get; init; }

    /// <summary>Where its forwarding rules are kept; null: nobody can look.</summary>
    public RulesConnection? Rules { get; init; }

    /// <summary>How it asks for the confirmation of an address to which it shall forward; null: it does not.</summary>
    public ForwardingConfirmation? Confirmation { get; init; }

    /// <summary>What it is known to refuse as names of folders.</summary>
    public FolderNames Names { get; init; } = FolderNames.Any;

    /// <summary>What to do about things that this kind of service says.</summary>
    public ImmutableArray<Help> Help { get; init; } = [];
}

/// <summary>How the mail of a service is spoken to.</summary>
public sealed record MailConnection(MailProtocol Speaks, string Host, int Port, Security Security);

/// <summary>Where the address books or calendars of a service are.</summary>
public abstract record CollectionConnection
{
    private CollectionConnection() { }

    /// <summary>Anyone on the way can read the password and everything else.</summary>
    public virtual bool IsUnprotected => false;

    /// <summary>On a server that speaks CardDAV (RFC 6352) or CalDAV (RFC 4791).</summary>
    public sealed record Dav(Uri Url) : CollectionConnection
    {
        public override bool IsUnprotected => Url.Scheme != Uri.UriSchemeHttps;
    }

    /// <summary>In files that were handed over. A from side only.</summary>
    /// <param name="Pattern">
    /// The name of a person's file: <c>{account}</c> stands for the account on the from side, <c>*</c> for any part of a name.
    /// </param>
    /// <param name="Columns">What columns of spreadsheets hold, by header; what is not named is guessed.</param>
    public sealed record Files(ItemFileFormat Speaks, string Pattern, ImmutableDictionary<string, ColumnUse> Columns) : CollectionConnection
    {
        /// <summary>It may be the file of somebody.</summary>
        public bool Fits(string name) => FileGlob.Of(Pattern.Replace("{account}", "*", StringComparison.Ordinal)).IsMatch(name);

        /// <param name="chosen">What a person chose for this file; it outweighs the plan.</param>
        public ImmutableDictionary<string, ColumnUse> ColumnsWith(IReadOnlyDictionary<string, ColumnUse> chosen) =>
            Columns.SetItems(chosen);

        public bool Equals(Files? other) =>
            other is not null
            && (Speaks, Pattern) == (other.Speaks, other.Pattern)
            && Columns.Count == other.Columns.Count
            && Columns.All(c => other.Columns.TryGetValue(c.Key, out var use) && use == c.Value);

        public override int GetHashCode() => HashCode.Combine(Speaks, Pattern, Columns.Count);
    }
}

/// <summary>In which form contacts or events stand in a file.</summary>
public enum ItemFileFormat
{
    /// <summary>A spreadsheet of contacts (RFC 4180, and what spreadsheets make of it).</summary>
    Csv,

    /// <summary>vCards one after the other (RFC 6350).</summary>
    Vcard,

    /// <summary>RFC 5545.</summary>
    Icalendar,
}

/// <summary>How the mail rules of a service are spoken to: ManageSieve (RFC 5804).</summary>
public sealed record RulesConnection(string Host, int Port, Security Security);

public enum MailProtocol
{
    Imap,

    /// <summary>A from side only (RFC 1939).</summary>
    Pop3,
}

/// <summary>How a connection is kept from others' eyes (RFC 8314 for the first two).</summary>
public enum Security
{
    /// <summary>TLS from the first octet.</summary>
    Tls,

    /// <summary>Plain at first, then upgraded before anyone signs in; refused when the server does not offer it.</summary>
    StartTls,

    /// <summary>Not protected at all. Every page that shows the service says so.</summary>
    None,
}

/// <summary>Whose word is taken for a server's certificate.</summary>
public abstract record Trust
{
    private Trust() { }

    /// <summary>The certificate authorities of the machine.</summary>
    public sealed record System : Trust;

    /// <summary>These authorities alone, as PEM text.</summary>
    public sealed record Authorities(string Pem, string File) : Trust;

    /// <summary>Anyone's. Said aloud wherever the service is shown.</summary>
    public sealed record Anyone : Trust;
}

/// <summary>What a service bears. Null means that nobody set a limit.</summary>
/// <param name="Connections">Open at the same time over all accounts.</param>
/// <param name="PerAccount">Open at the same time to one account.</param>
/// <param name="LargestMessage">In octets; messages above it are left behind without being sent.</param>
public sealed record Limits(int Connections, int PerAccount, ByteCount? LargestMessage)
{
    /// <summary>Octets that one account gives out or takes in a day; null: any.</summary>
    public ByteCount? BytesPerDay { get; init; }

    /// <summary>Messages a second over all accounts; null: any number.</summary>
    public double? MessagesPerSecond { get; init; }

    /// <summary>Octets a second over all accounts; null: any number.</summary>
    public ByteCount? BytesPerSecond { get; init; }

    /// <summary>Messages a second of one account; null: any number.</summary>
    public double? MessagesPerSecondPerAccount { get; init; }

    /// <summary>Octets a second of one account; null: any number.</summary>
    public ByteCount? BytesPerSecondPerAccount { get; init; }

    /// <summary>When the service's day starts, in UTC.</summary>
    public NodaTime.LocalTime DayStarts { get; init; } = NodaTime.LocalTime.Midnight;

    /// <summary>When the day that <paramref name="now"/> is in began.</summary>
    public NodaTime.Instant DayOf(NodaTime.Instant now)
    {
        var today = now.InUtc().Date.At(DayStarts).InUtc().ToInstant();
        return today <= now ? today : today - NodaTime.Duration.FromDays(1);
    }

    public static Limits Default { get; } = new(Connections: 20, PerAccount: 4, LargestMessage: null);
}

/// <summary>What a service is known to refuse as names of folders, beyond what its protocol tells.</summary>
/// <param name="Reserved">Names at the top that belong to the service, compared without case.</param>
/// <param name="Illegal">Characters that may not stand in a name.</param>
/// <param name="Deepest">The most names in a path; 1: no folders within folders. Null: any.</param>
/// <param name="Longest">The most characters in one name; null: any.</param>
/// <param name="IgnoresCase">Names that differ only in case are one and the same folder to it.</param>
public sealed record FolderNames(ImmutableArray<string> Reserved, string Illegal, int? Deepest, int? Longest, bool IgnoresCase)
{
    public static FolderNames Any { get; } = new([], "", null, null, false);
}

/// <summary>A remedy for one kind of refusal, written in a service's definition by somebody who knows the service.</summary>
/// <param name="Says">Part of what the service says, compared without case.</param>
/// <param name="Remedy">What to do, as a sentence without a full stop.</param>
public sealed record Help(string Says, string Remedy);
