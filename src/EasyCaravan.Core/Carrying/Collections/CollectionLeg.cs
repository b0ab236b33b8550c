using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// The leg of a pass that carries contacts or calendars: lists both sides, carries each collection in which anything changed, and looks at
/// the to side in the end. Where nothing changed, one request to each side is all.
/// </summary>
public sealed class CollectionLeg(
    ICollectionAccounts accounts,
    ILedger ledger,
    ICollectionLedger kept,
    CollectionLegOrder order,
    Tally tally,
    Action<string> journal
)
{
    /// <exception cref="FaultException">It could not be completed. What is settled is in the ledger.</exception>
    public async Task RunAsync(CancellationToken cancel)
    {
        await using var from = await accounts.OpenAsync(order.From.Service, order.Kind, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.Kind, order.To.Credentials, cancel);
        var listing = to.ListAsync(cancel);
        var fromStates = await from.ListAsync(cancel);
        var toStates = await listing;
        var pages = new CollectionPages(order, to, ledger, kept, journal);
        var works = (await pages.OpenAsync(fromStates, toStates, cancel)).Where(w => !w.IsSame || w.Known.SchedulingIsOff).ToList();
        var carrier = new CollectionCarrier(order, from, to, ledger, kept, tally);
        var check = new CollectionCheck(to, ledger, kept, tally, journal);
        FaultException? first = null;
        foreach (var places in works.GroupBy(w => w.To?.Href).ToList())
        {
            try
            {
                await CarryAsync([.. places], to, carrier, check, cancel);
            }
            catch (FaultException e) when (StopsOnlyTheCollection(e.Fault))
            {
                first ??= e;
            }
        }
        if (first is not null)
            throw first;
    }

    /// <summary>One that may not be read or written keeps no other waiting.</summary>
    private static bool StopsOnlyTheCollection(Fault fault) =>
        fault.Cause is Cause.NotPermitted or Cause.FolderRefused or Cause.CollectionRefused;

    private async Task CarryAsync(
        IReadOnlyList<CollectionWork> works,
        ICollectionAccount to,
        CollectionCarrier carrier,
        CollectionCheck check,
        CancellationToken cancel
    )
    {
        var strangers = await ListStrangersAsync(works, to, cancel);
        var silence = new SchedulingSilence(order, to, kept, journal);
        var isSilent = await silence.BeginAsync(works, cancel);
        try
        {
            foreach (var work in works)
            {
                tally.Folder = work.From.Title;
                await carrier.CarryAsync(work, strangers, isSilent, cancel);
            }
        }
        catch (FaultException)
        {
            // It may be long until the next try. The person's calendar must not wait for it.
            await silence.EndAsync(works, cancel);
            throw;
        }
        await silence.EndAsync(works, cancel);
        if (works[0].To is { } place)
            await check.CheckAsync(place, works, cancel);
        else
            foreach (var work in works)
                await check.EndAsync(work, cancel);
    }

    /// <summary>What is in a collection of the to side and no page claims; asked for only where something new may be it.</summary>
    private async Task<IReadOnlyCollection<Href>> ListStrangersAsync(
        IReadOnlyList<CollectionWork> works,
        ICollectionAccount to,
        CancellationToken cancel
    )
    {
        if (works[0].To is not { } place || works.All(w => w.IsMadeNow || !w.Known.HasStrangers || w.IsFromSame))
            return [];
        var claimed = new HashSet<Href>();
        foreach (var page in (await kept.PagesAsync(cancel)).Where(p => p.To == place.Href))
            claimed.UnionWith((await kept.ItemsAsync(page.Folder, cancel)).Select(i => i.To).OfType<Href>());
        return [.. (await to.ReadChangesAsync(place, null, cancel)).There.Select(i => i.Href).Where(h => !claimed.Contains(h))];
    }
}
