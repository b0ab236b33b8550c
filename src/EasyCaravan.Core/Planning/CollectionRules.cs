using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>One line of a route's rules for address books or calendars. The first that matches decides.</summary>
/// <param name="Number">1-based place in the route, which is how people see it.</param>
/// <param name="Match">A name; <c>*</c> stands for any part of it.</param>
/// <param name="To">The name that it has on the to side; null: it stays behind.</param>
public sealed record CollectionRule(int Number, string Match, string? To)
{
    public bool Matches(string title) => FolderGlob.Match(FolderPath.Of(Match).ToString(), FolderPath.Of(title)) is not null;

    public override string ToString() => $"rule {Number} ({Match})";
}

/// <summary>What happens to a contact or event that the to side already has, by its UID or by what it says.</summary>
public enum ItemDoubles
{
    /// <summary>It is paired with the one that is there, if that one says all that it says.</summary>
    Pair,

    /// <summary>The one that is there gets what it lacks, and loses nothing.</summary>
    Merge,

    /// <summary>It is carried all the same.</summary>
    KeepBoth,
}

/// <summary>By which rules the address books or the calendars of a route are carried.</summary>
/// <param name="CarriesShared">
/// What others share with the person, what is subscribed and what cannot be written to is carried too, as the person's own.
/// </param>
/// <param name="Since">Events that ended before this day are left out, if they do not recur; null: none are.</param>
public sealed record CollectionRules(ImmutableArray<CollectionRule> Collections, bool CarriesShared, ItemDoubles Doubles, LocalDate? Since)
{
    /// <summary>What may be changed about an item that is not taken as it is.</summary>
    public ItemShapings Shaping { get; init; } = ItemShapings.ScheduleAgent;

    public static CollectionRules Default { get; } = new([], CarriesShared: false, ItemDoubles.Pair, Since: null);
}
