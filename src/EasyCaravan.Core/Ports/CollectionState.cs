using System.Collections.Immutable;

namespace EasyCaravan.Core.Ports;

/// <summary>Whose collection it is, and what may be done with it.</summary>
public enum CollectionStanding
{
    Own,

    /// <summary>Somebody else's, which this account sees.</summary>
    Shared,

    /// <summary>Kept elsewhere; the service fetches it again and again.</summary>
    Subscribed,

    /// <summary>Nothing may be written to it, such as birthdays that the service makes from the contacts.</summary>
    ReadOnly,
}

/// <summary>What people set about a collection. Null: it is not set, or the service does not keep it.</summary>
/// <param name="Order">Its place among the others, as a number that the service writes as text.</param>
/// <param name="TimeZone">An iCalendar object with one time zone (RFC 4791 §5.2.2).</param>
/// <param name="IsTransparent">Its events do not make the person busy (RFC 6638 §9.1).</param>
public sealed record CollectionProperties(
    string? Name,
    string? Description = null,
    string? Colour = null,
    string? Order = null,
    string? TimeZone = null,
    bool? IsTransparent = null
)
{
    /// <summary>Components that a calendar takes, such as VEVENT (RFC 4791 §5.2.3); empty: any.</summary>
    public ImmutableArray<string> Components { get; init; } = [];

    public bool Equals(CollectionProperties? other) =>
        other is not null
        && (Name, Description, Colour, Order, TimeZone, IsTransparent)
            == (other.Name, other.Description, other.Colour, other.Order, other.TimeZone, other.IsTransparent)
        && Components.SequenceEqual(other.Components);

    public override int GetHashCode() => HashCode.Combine(Name, Description, Colour, Order, Components.Length);
}

/// <summary>What a collection holds, in two ways of telling. Either alone is enough.</summary>
/// <param name="Tag">Changes with every change in the collection, and says no more.</param>
public readonly record struct CollectionMark(SyncToken? Token, string? Tag)
{
    /// <summary>Nothing changed in between. Where the service tells neither, nobody knows.</summary>
    public bool IsSame(CollectionMark other) =>
        Token is { } token && other.Token is not null ? token == other.Token : Tag is { } tag && tag == other.Tag;
}

/// <summary>An address book or a calendar, as a list of all of them shows it.</summary>
/// <param name="Mark">What it holds now.</param>
public sealed record CollectionState(Href Href, CollectionProperties Properties, CollectionStanding Standing, CollectionMark Mark)
{
    /// <summary>The service uses it where a person chose none.</summary>
    public bool IsDefault { get; init; }

    /// <summary>For people: its name, or where it has none the last part of its address.</summary>
    public string Title => Properties.Name is { Length: > 0 } name ? name : Href.Name;
}
