using System.Collections.Immutable;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Surveying;

/// <summary>Looks at the address books or calendars of both accounts of a move without touching them.</summary>
public sealed class CollectionSurvey(ICollectionAccounts accounts, Kind kind, Tally tally)
{
    /// <exception cref="FaultException">
    /// Something passed that will pass by itself: the survey is to be tried again. What needs a person is in the inventory instead.
    /// </exception>
    public async Task<KindInventory> TakeAsync(SurveySide from, SurveySide to, CancellationToken cancel)
    {
        var (there, toFault) = await LookAsync(to, LookAtToAsync, cancel);
        var (here, fromFault) = await LookAsync(from, LookAtFromAsync, cancel);
        return new KindInventory(kind, here, fromFault, there, toFault);
    }

    private async Task<(ImmutableArray<T>, Fault?)> LookAsync<T>(
        SurveySide side,
        Func<ICollectionAccount, CancellationToken, Task<ImmutableArray<T>>> look,
        CancellationToken cancel
    )
    {
        if (side.Fault is not null)
            return ([], side.Fault);
        try
        {
            await using var account = await accounts.OpenAsync(side.Service, kind, side.Credentials!, cancel);
            return (await look(account, cancel), null);
        }
        catch (FaultException e) when (e.Fault.Action is not FaultAction.RetryLater)
        {
            return ([], e.Fault);
        }
    }

    private static async Task<ImmutableArray<ToCollection>> LookAtToAsync(ICollectionAccount account, CancellationToken cancel) =>
        [.. (await account.ListAsync(cancel)).Select(c => new ToCollection(c.Href.ToString(), c.Title, c.Standing, c.IsDefault))];

    private async Task<ImmutableArray<CollectionInventory>> LookAtFromAsync(ICollectionAccount account, CancellationToken cancel)
    {
        var all = ImmutableArray.CreateBuilder<CollectionInventory>();
        foreach (var collection in await account.ListAsync(cancel))
        {
            tally.Folder = collection.Title;
            var items = (await account.ReadChangesAsync(collection, null, cancel)).There.Select(i => i.Href).ToList();
            tally.Expect(items.Count);
            all.Add(await CountAsync(account, collection, items, cancel));
        }
        return all.ToImmutable();
    }

    private async Task<CollectionInventory> CountAsync(
        ICollectionAccount account,
        CollectionState collection,
        List<Href> items,
        CancellationToken cancel
    )
    {
        long recurring = 0,
            withPeople = 0,
            withoutUid = 0;
        var (octets, largest) = (ByteCount.Zero, ByteCount.Zero);
        (DateTimeOffset? oldest, DateTimeOffset? newest) = (null, null);
        var versions = ImmutableSortedDictionary.CreateBuilder<string, long>(StringComparer.Ordinal);
        var unreadable = new Dictionary<Href, Fault>();
        await account.ReadItemsAsync(collection, items, TakeAsync, unreadable, cancel);
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
        );

        ValueTask TakeAsync(StoredItem item, CancellationToken c)
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
            tally.Look(1);
            return ValueTask.CompletedTask;
        }
    }
}
