using System.Collections.Immutable;
using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Surveying;

/// <summary>Messages of one folder that were received in one stretch of time and are of one class of size.</summary>
/// <param name="From">The first day of the stretch: a year's, or a day from which some rule counts.</param>
/// <param name="Above">Larger than this many octets, and no larger than the next boundary.</param>
public sealed record Cell(LocalDate From, ByteCount Above, long Messages, ByteCount Octets);

/// <summary>What one folder holds.</summary>
/// <param name="Future">Messages dated more than a day after the survey.</param>
/// <param name="Unreadable">Why the account may not read the folder; null when it may.</param>
public sealed record FolderInventory(
    string Path,
    SpecialUse Use,
    bool Selectable,
    bool Subscribed,
    long Messages,
    ByteCount Octets,
    DateTimeOffset? Oldest,
    DateTimeOffset? Newest,
    long Future,
    ImmutableArray<string> Keywords,
    ImmutableArray<Cell> Cells,
    string? Unreadable
)
{
    /// <summary>
    /// Messages that are listed and whose size, date or flags the server does not tell; among those that the folder holds.
    /// </summary>
    public long UnreadableMessages { get; init; }

    /// <summary>As the folder map wants it.</summary>
    public FolderState State => new(FolderPath.Parse(Path), Use, Selectable, Subscribed, null);

    /// <summary>
    /// What the rules let through. Exact where their day and size are boundaries of the cells, as the rules in force at the survey and the
    /// offered ones are.
    /// </summary>
    public (long Messages, ByteCount Octets) Under(MailRules rules)
    {
        var kept = Cells
            .Where(c =>
                (rules.Since is not { } since || c.From >= since)
                && (rules.Before is not { } before || c.From < before)
                && (rules.Largest is not { } largest || c.Above < largest)
            )
            .ToList();
        return (kept.Sum(c => c.Messages), kept.Sum(c => c.Octets));
    }
}

/// <summary>One of the largest messages of an account.</summary>
public sealed record LargeMessage(string Folder, ByteCount Octets, DateTimeOffset Received, string Subject, string Sender);

/// <summary>How much room an account has (RFC 9208). Null where it has no limit of that kind.</summary>
public sealed record Room(ByteCount? Octets, ByteCount UsedOctets, long? Messages, long UsedMessages);

/// <summary>What the mail rules of an account do beside forwarding.</summary>
/// <param name="Files">They sort mail into folders.</param>
/// <param name="Answers">They answer by themselves, such as during holidays, or tell somebody that mail came.</param>
/// <param name="Rejects">They send mail back.</param>
/// <param name="Discards">They throw mail away.</param>
public sealed record OwnRules(bool Files, bool Answers, bool Rejects, bool Discards)
{
    public static OwnRules? Of(SieveFacts facts) =>
        facts.Files || facts.Answers || facts.Rejects || facts.Discards
            ? new OwnRules(facts.Files, facts.Answers, facts.Rejects, facts.Discards)
            : null;
}

/// <summary>What a survey found on the from side.</summary>
/// <param name="Forwards">Addresses to which mail is forwarded already; null when nobody can look.</param>
public sealed record FromInventory(
    ImmutableArray<FolderInventory> Folders,
    ImmutableArray<LargeMessage> Largest,
    Room? Room,
    ImmutableArray<string>? Forwards
)
{
    /// <summary>What the account's mail rules do beside forwarding; null: nothing, or nobody can look.</summary>
    public OwnRules? OwnRules { get; init; }

    /// <summary>What could not be told for certain, of mail that lies in files.</summary>
    public ImmutableArray<MailRemark> Remarks { get; init; } = [];

    public long Messages => Folders.Sum(f => f.Messages);

    public ByteCount Octets => Folders.Sum(f => f.Octets);
}

/// <summary>A folder that the to side has already.</summary>
public sealed record ToFolder(string Path, SpecialUse Use, bool Selectable, long Messages)
{
    public FolderState State => new(FolderPath.Parse(Path), Use, Selectable, false, null);
}

/// <summary>A right that the account lacks on a folder of the to side.</summary>
public sealed record LackingRight(string Folder, string What);

/// <summary>What a survey found on the to side.</summary>
/// <param name="Separator">Null where it has no folders within folders.</param>
/// <param name="LargestMessage">The smallest of what it announces and what the plan says.</param>
/// <param name="KeepsKeywords">Null when it does not say.</param>
/// <param name="Lacks">Folders that the account may not write to.</param>
public sealed record ToInventory(
    ImmutableArray<ToFolder> Folders,
    char? Separator,
    ByteCount? LargestMessage,
    Room? Room,
    bool? KeepsKeywords,
    ImmutableArray<LackingRight> Lacks
)
{
    public long Messages => Folders.Sum(f => f.Messages);

    public AccountTraits Traits => new(Separator, LargestMessage);
}

/// <summary>What one look at both accounts of a move gave.</summary>
/// <param name="From">Null when the sign-in to its account failed; then the fault says why.</param>
/// <param name="To">The same for the to side.</param>
public sealed record Inventory(DateTimeOffset TakenAt, FromInventory? From, Fault? FromFault, ToInventory? To, Fault? ToFault)
{
    /// <summary>False: the route carries no mail, so that nobody looked at it.</summary>
    public bool HasMail { get; init; } = true;

    /// <summary>What was found of contacts and calendars, where the route carries them.</summary>
    public ImmutableArray<KindInventory> Kinds { get; init; } = [];

    /// <summary>Both sides of everything that is carried could be looked at.</summary>
    public bool IsWhole => (!HasMail || (From is not null && To is not null)) && Kinds.All(k => k.FromFault is null && k.ToFault is null);

    /// <summary>Why a side could not be looked at, each reason once.</summary>
    public IEnumerable<Fault> Faults =>
        Kinds.SelectMany(k => new[] { k.FromFault, k.ToFault }).Prepend(ToFault).Prepend(FromFault).OfType<Fault>().Distinct();

    /// <summary>Where each folder would land under these rules; null while a side is unknown.</summary>
    public FolderMap? MapFor(CarryRules rules, FolderNames names) =>
        From is null || To is null
            ? null
            : FolderMap.Draw(rules, [.. From.Folders.Select(f => f.State)], [.. To.Folders.Select(f => f.State)], To.Traits, names);
}
