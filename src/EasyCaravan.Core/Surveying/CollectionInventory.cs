using System.Collections.Immutable;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Surveying;

/// <summary>What one address book or calendar holds.</summary>
/// <param name="Path">Where it is on its service.</param>
/// <param name="Oldest">When its first event begins; null for contacts, and where there is none.</param>
/// <param name="Largest">Octets of its largest item.</param>
/// <param name="Recurring">Events and tasks that recur.</param>
/// <param name="WithPeople">Events and tasks with attendees.</param>
/// <param name="WithoutUid">Items that have no UID.</param>
/// <param name="Unreadable">Items that the service does not give out.</param>
/// <param name="Versions">How many vCards there are of which version.</param>
public sealed record CollectionInventory(
    string Path,
    string Title,
    CollectionStanding Standing,
    bool IsDefault,
    long Items,
    ByteCount Octets,
    DateTimeOffset? Oldest,
    DateTimeOffset? Newest,
    ByteCount Largest,
    long Recurring,
    long WithPeople,
    long WithoutUid,
    long Unreadable,
    ImmutableSortedDictionary<string, long> Versions
)
{
    /// <summary>What would become of its items; null: it stays behind, or the to side could not be looked at.</summary>
    public ForecastCounts? Forecast { get; init; }

    /// <summary>As the map wants it.</summary>
    public CollectionState State => new(new Href(Path), new CollectionProperties(Title), Standing, default) { IsDefault = IsDefault };
}

/// <summary>An address book or calendar that the to side has already.</summary>
public sealed record ToCollection(string Path, string Title, CollectionStanding Standing, bool IsDefault)
{
    public CollectionState State => new(new Href(Path), new CollectionProperties(Title), Standing, default) { IsDefault = IsDefault };
}

/// <summary>What a survey found of one kind, contacts or calendars.</summary>
/// <param name="From">Empty when the sign-in to its account failed; then the fault says why.</param>
/// <param name="To">What the to side has already; empty when the sign-in there failed.</param>
public sealed record KindInventory(
    Kind Kind,
    ImmutableArray<CollectionInventory> From,
    Fault? FromFault,
    ImmutableArray<ToCollection> To,
    Fault? ToFault
)
{
    /// <summary>
    /// What would become of single items: of all that stand in files, and elsewhere of those that the new side has already. Kept beside the
    /// inventory, which is read far more often.
    /// </summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public ImmutableArray<ForecastLine> Lines { get; init; } = [];
}
