using System.Collections.Immutable;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Surveying;

/// <summary>What would become of a contact or event.</summary>
public enum ItemForecast
{
    /// <summary>The new side has none like it.</summary>
    New,

    /// <summary>The new side has it, and what is there says all that this one says.</summary>
    Same,

    /// <summary>The new side has it, and it would get what it lacks.</summary>
    Merge,

    /// <summary>It may be the same as one that is there, or says something else than it: somebody should look.</summary>
    Unclear,

    /// <summary>It cannot be read, and would be left behind.</summary>
    Unreadable,
}

/// <param name="Collection">The address book, calendar or file in which it stands.</param>
/// <param name="Place">Where it stands in a file; null: in none.</param>
/// <param name="Why">What would happen to it, where the word alone does not tell.</param>
public sealed record ForecastLine(string Collection, string? Place, string Title, string Whom, ItemForecast Forecast, string? Why);

/// <summary>How many items would become what.</summary>
public sealed record ForecastCounts(long New, long Same, long Merge, long Unclear, long Unreadable)
{
    public static ForecastCounts Of(IEnumerable<ItemForecast> forecasts)
    {
        var counts = new long[Enum.GetValues<ItemForecast>().Length];
        foreach (var forecast in forecasts)
            counts[(int)forecast]++;
        return new ForecastCounts(counts[0], counts[1], counts[2], counts[3], counts[4]);
    }
}

/// <summary>
/// Says of each item of a collection what carrying it would do, by the same rules by which it is carried, and touches nothing.
/// </summary>
/// <param name="strangers">What is in the collection of the to side already.</param>
internal sealed class CollectionPreview(Kind kind, CollectionRules rules, ICollectionAccount to, CollectionState place, Strangers strangers)
{
    /// <summary>Items that are compared together.</summary>
    private const int ItemsPerBatch = 50;

    /// <summary>Octets that are held to be compared.</summary>
    private const long OctetsPerBatch = 4 * 1024 * 1024;

    private const string Waits = "nothing would be changed, and it would wait for you";

    private readonly Dictionary<Href, (Href From, StoredItem Item)> _pending = [];
    private readonly Dictionary<Href, (ItemForecast, string?)> _forecasts = [];
    private long _octets;

    /// <summary>What is known so far, by the item on the from side.</summary>
    public IReadOnlyDictionary<Href, (ItemForecast Forecast, string? Why)> Forecasts => _forecasts;

    public async ValueTask AddAsync(StoredItem item, ItemComponent component, CancellationToken cancel)
    {
        if (rules.Since is { } since && EventSpan.EndedBefore(component, since))
            return;
        if (rules.Doubles is ItemDoubles.KeepBoth)
            _forecasts[item.Href] = (ItemForecast.New, null);
        else if (strangers.Claim(component) is { } same)
        {
            _pending[same] = (item.Href, item);
            _octets += item.Octets.Length;
            if (_pending.Count >= ItemsPerBatch || _octets >= OctetsPerBatch)
                await EndAsync(cancel);
        }
        else if (strangers.FindUnclear(component) is { } other)
            _forecasts[item.Href] = (ItemForecast.Unclear, $"it would be added; it may be the same as '{other}', which is there");
        else
            _forecasts[item.Href] = (ItemForecast.New, null);
    }

    /// <summary>Compares what has yet to be compared.</summary>
    public async Task EndAsync(CancellationToken cancel)
    {
        if (_pending.Count > 0)
            await to.ReadItemsAsync(place, [.. _pending.Keys], TakeAsync, new Dictionary<Href, Fault>(), cancel);
        foreach (var (from, _) in _pending.Values)
            _forecasts.TryAdd(from, (ItemForecast.Unclear, "the new side has it and does not give it out; it would wait for you"));
        _pending.Clear();
        _octets = 0;
    }

    private ValueTask TakeAsync(StoredItem there, CancellationToken cancel)
    {
        if (_pending.TryGetValue(there.Href, out var pair))
            _forecasts[pair.From] = Compare(pair.Item, there.Octets);
        return ValueTask.CompletedTask;
    }

    private (ItemForecast, string?) Compare(StoredItem item, ReadOnlyMemory<byte> there)
    {
        var component = ItemComponent.Parse(item.Octets);
        var lost = ForeignItem.Lacks(kind, component, item.Octets, there).ToList();
        if (lost.Count == 0)
            return (ItemForecast.Same, null);
        if (kind is not Kind.Contacts)
            return (ItemForecast.Unclear, $"the new side has it otherwise: {ForeignItem.Tell(lost)}; {Waits}");
        if (ContactMerge.Contradicts(there, component))
            return (ItemForecast.Unclear, $"the new side says otherwise: {ForeignItem.Tell(lost)}; {Waits} with what contradicts");
        return rules.Doubles is ItemDoubles.Merge
            ? (ItemForecast.Merge, $"it would get what it lacks: {ForeignItem.Tell(lost)}")
            : (ItemForecast.Unclear, $"it lacks there: {ForeignItem.Tell(lost)}; {Waits} (doubles: merge would add it)");
    }
}
