using System.Collections.Immutable;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Surveying;

/// <summary>Looks at the address books or calendars of both accounts of a move without touching them.</summary>
public sealed class CollectionSurvey(ICollectionAccounts accounts, Kind kind, CarryRules rules, Tally tally)
{
    /// <summary>Items of a person of which it is kept what would become of them.</summary>
    private const int MostLines = 20_000;

    private readonly ImmutableArray<ForecastLine>.Builder _lines = ImmutableArray.CreateBuilder<ForecastLine>();

    private CollectionRules Rules => kind is Kind.Contacts ? rules.Contacts : rules.Calendars;

    /// <exception cref="FaultException">
    /// Something passed that will pass by itself: the survey is to be tried again. What needs a person is in the inventory instead.
    /// </exception>
    public async Task<KindInventory> TakeAsync(SurveySide from, SurveySide to, CancellationToken cancel)
    {
        // Each side by itself: a person who is told of one closed door only would come back for the other.
        // In the order in which a pass opens them: whoever waits for a connection must not hold one that the other waits for.
        var (fromAccount, fromFault) = await OpenAsync(from, cancel);
        await using var here = fromAccount;
        var (toAccount, toFault) = await OpenAsync(to, cancel);
        await using var there = toAccount;
        IReadOnlyList<CollectionState> toStates = [];
        ImmutableArray<CollectionInventory> inventories = [];
        if (there is not null)
            toFault = await TryAsync(async () => toStates = await there.ListAsync(cancel));
        if (here is not null)
            fromFault = await TryAsync(async () => inventories = await LookAtFromAsync(here, there, toStates, cancel));
        return new KindInventory(
            kind,
            inventories,
            fromFault,
            [.. toStates.Select(c => new ToCollection(c.Href.ToString(), c.Title, c.Standing, c.IsDefault))],
            toFault
        )
        {
            Lines = _lines.ToImmutable(),
        };
    }

    private async Task<(ICollectionAccount?, Fault?)> OpenAsync(SurveySide side, CancellationToken cancel)
    {
        if (side.Fault is not null)
            return (null, side.Fault);
        ICollectionAccount? account = null;
        var fault = await TryAsync(async () => account = await accounts.OpenAsync(side.Service, kind, side.Credentials!, cancel));
        return (account, fault);
    }

    private static async Task<Fault?> TryAsync(Func<Task> look)
    {
        try
        {
            await look();
            return null;
        }
        catch (FaultException e) when (e.Fault.Action is not FaultAction.RetryLater)
        {
            return e.Fault;
        }
    }

    private async Task<ImmutableArray<CollectionInventory>> LookAtFromAsync(
        ICollectionAccount from,
        ICollectionAccount? to,
        IReadOnlyList<CollectionState> toStates,
        CancellationToken cancel
    )
    {
        var all = ImmutableArray.CreateBuilder<CollectionInventory>();
        var collections = await from.ListAsync(cancel);
        var landings = CollectionMap.Draw(Rules, collections, toStates, new Dictionary<Href, Href>()).ToDictionary(l => l.From.Href);
        // Several may land in one, and nothing in it is the same as two.
        var strangers = new Dictionary<Href, Strangers>();
        foreach (var collection in collections)
        {
            tally.Folder = collection.Title;
            var items = (await from.ReadChangesAsync(collection, null, cancel)).There.Select(i => i.Href).ToList();
            tally.Expect(items.Count);
            var landing = landings[collection.Href];
            CollectionPreview? preview = null;
            if (to is not null && landing.To is { } place)
            {
                if (!strangers.TryGetValue(place.Href, out var known))
                {
                    var there = (await to.ReadChangesAsync(place, null, cancel)).There.Select(i => i.Href).ToList();
                    strangers[place.Href] = known = await Strangers.ReadAsync(to, place, there, cancel);
                }
                preview = new CollectionPreview(kind, Rules, to, place, known);
            }
            var isCarried = to is not null && landing.Title is not null;
            all.Add(await CountAsync(from, collection, items, preview, isCarried, cancel));
        }
        return all.ToImmutable();
    }

    private async Task<CollectionInventory> CountAsync(
        ICollectionAccount account,
        CollectionState collection,
        List<Href> items,
        CollectionPreview? preview,
        bool isCarried,
        CancellationToken cancel
    )
    {
        var labels = new Dictionary<Href, ItemLabel>();
        long recurring = 0,
            withPeople = 0,
            withoutUid = 0;
        var (octets, largest) = (ByteCount.Zero, ByteCount.Zero);
        (DateTimeOffset? oldest, DateTimeOffset? newest) = (null, null);
        var versions = ImmutableSortedDictionary.CreateBuilder<string, long>(StringComparer.Ordinal);
        var unreadable = new Dictionary<Href, Fault>();
        await account.ReadItemsAsync(collection, items, TakeAsync, unreadable, cancel);
        ForecastCounts? forecast = null;
        if (isCarried)
        {
            if (preview is not null)
                await preview.EndAsync(cancel);
            forecast = await TellAsync(account, collection, items, labels, unreadable, preview, cancel);
        }
        return new CollectionInventory(
            collection.Href.ToString(),
            collection.Title,
            collection.Standing,
            collection.IsDefault,
            items.Count,
            octets,
            oldest,
            newest,
            largest,
            recurring,
            withPeople,
            withoutUid,
            unreadable.Count,
            versions.ToImmutable()
        )
        {
            Forecast = forecast,
        };

        async ValueTask TakeAsync(StoredItem item, CancellationToken c)
        {
            var size = new ByteCount(item.Octets.Length);
            octets += size;
            largest = size > largest ? size : largest;
            var parsed = ItemComponent.Parse(item.Octets);
            var label = ItemLabel.Of(parsed);
            withoutUid += label.Uid is null ? 1 : 0;
            if (label.At is { } at)
                (oldest, newest) = (oldest < at ? oldest : at, newest > at ? newest : at);
            if (ItemLabel.Main(parsed) is { } main)
            {
                recurring += main.Find("RRULE") is null ? 0 : 1;
                withPeople += main.Find("ATTENDEE") is null ? 0 : 1;
                if (main.Name == "VCARD")
                {
                    var version = main.Find("VERSION")?.Text(16).Trim() ?? "?";
                    versions[version] = versions.GetValueOrDefault(version) + 1;
                }
            }
            labels[item.Href] = label;
            if (preview is not null)
                await preview.AddAsync(item, parsed, c);
            tally.Look(1);
        }
    }

    private async Task<ForecastCounts> TellAsync(
        ICollectionAccount from,
        CollectionState collection,
        List<Href> items,
        Dictionary<Href, ItemLabel> labels,
        Dictionary<Href, Fault> unreadable,
        CollectionPreview? preview,
        CancellationToken cancel
    )
    {
        var all = new List<ItemForecast>();
        foreach (var item in items)
        {
            var (forecast, why) = (ItemForecast.New, default(string));
            if (unreadable.TryGetValue(item, out var fault))
                (forecast, why) = (ItemForecast.Unreadable, fault.What);
            else if (preview is not null)
            {
                // Not among them: a rule leaves it out, or it was deleted meanwhile.
                if (!preview.Forecasts.TryGetValue(item, out var told))
                    continue;
                (forecast, why) = told;
            }
            all.Add(forecast);
            var place = await from.PlaceOfAsync(collection, item, cancel);
            if (_lines.Count < MostLines && (forecast is not ItemForecast.New || place is not null))
            {
                var label = labels.GetValueOrDefault(item);
                _lines.Add(new ForecastLine(collection.Title, place, label?.Title ?? "", label?.Whom ?? "", forecast, why));
            }
        }
        return ForecastCounts.Of(all);
    }
}
