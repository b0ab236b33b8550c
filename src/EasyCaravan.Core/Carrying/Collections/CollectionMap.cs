using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Where a collection of the from side lands.</summary>
/// <param name="To">The collection of the to side; null: it has yet to be made, or it stays behind.</param>
/// <param name="Title">The name that it has, or gets, there; null: it stays behind.</param>
/// <param name="Why">Which rule said so, for people.</param>
public sealed record CollectionLanding(CollectionState From, CollectionState? To, string? Title, string Why);

/// <summary>Decides where each address book or calendar lands. Pure: preview and pass draw the same.</summary>
public static class CollectionMap
{
    /// <param name="known">Where collections of the from side landed before, by their address.</param>
    public static IReadOnlyList<CollectionLanding> Draw(
        CollectionRules rules,
        IReadOnlyList<CollectionState> from,
        IReadOnlyList<CollectionState> to,
        IReadOnlyDictionary<Href, Href> known
    )
    {
        var landings = new List<CollectionLanding>();
        // A place that a page lands in already is not given to another one by its name alone.
        var taken = known.Values.ToHashSet();
        var titles = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        foreach (var collection in from.OrderByDescending(c => c.IsDefault).ThenBy(c => c.Title, StringComparer.Ordinal))
        {
            var landing = Land(rules, collection, to, known, taken, titles);
            if (landing.To is { } place)
                taken.Add(place.Href);
            else if (landing.Title is { } title)
                titles.Add(title);
            landings.Add(landing);
        }
        return landings;
    }

    private static CollectionLanding Land(
        CollectionRules rules,
        CollectionState from,
        IReadOnlyList<CollectionState> to,
        IReadOnlyDictionary<Href, Href> known,
        HashSet<Href> taken,
        HashSet<string> titles
    )
    {
        if (from.Standing is not CollectionStanding.Own && !rules.CarriesShared)
            return new CollectionLanding(from, null, null, $"shared: leave ({WordOf(from.Standing)})");
        var writable = to.Where(c => c.Standing is CollectionStanding.Own).ToList();
        if (rules.Collections.FirstOrDefault(r => r.Matches(from.Title)) is { } rule)
            return rule.To is not { } place
                ? new CollectionLanding(from, null, null, rule.ToString())
                // A rule may send several into one.
                : new CollectionLanding(from, Find(writable, place), place, rule.ToString());
        if (known.TryGetValue(from.Href, out var before) && writable.FirstOrDefault(c => c.Href == before) is { } same)
            return new CollectionLanding(from, same, same.Title, "as before");
        if (from.IsDefault && writable.FirstOrDefault(c => c.IsDefault && !taken.Contains(c.Href)) is { } standard)
            return new CollectionLanding(from, standard, standard.Title, "by its use");
        if (Find([.. writable.Where(c => !taken.Contains(c.Href))], from.Title) is { } named)
            return new CollectionLanding(from, named, named.Title, "by its name");
        return new CollectionLanding(from, null, FreeTitle(from.Title, writable, titles), "by its name, made new");
    }

    private static CollectionState? Find(IReadOnlyList<CollectionState> to, string title) =>
        to.FirstOrDefault(c => c.Title == title) ?? to.FirstOrDefault(c => c.Title.Equals(title, StringComparison.OrdinalIgnoreCase));

    /// <summary>Two of one name stay two, so that nobody has to part them again.</summary>
    private static string FreeTitle(string title, List<CollectionState> to, HashSet<string> titles)
    {
        var free = title;
        for (var i = 2; titles.Contains(free) || Find(to, free) is not null; i++)
            free = $"{title} ({i})";
        return free;
    }

    private static string WordOf(CollectionStanding standing) =>
        standing switch
        {
            CollectionStanding.Own => "the person's own",
            CollectionStanding.Shared => "shared by somebody else",
            CollectionStanding.Subscribed => "subscribed from elsewhere",
            CollectionStanding.ReadOnly => "cannot be written to",
        };
}
