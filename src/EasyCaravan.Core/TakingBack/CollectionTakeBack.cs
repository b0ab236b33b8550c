using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.TakingBack;

/// <summary>
/// Removes from the to side the contacts or events that a move carried there and that are as they were when they were read back. A contact
/// that was there before and got something from us becomes again what it was. Nothing is sent to anybody.
/// </summary>
/// <param name="isCheck">A dry run.</param>
public sealed class CollectionTakeBack(
    ICollectionAccounts accounts,
    ILedger ledger,
    ICollectionLedger kept,
    ITakeBackRecord record,
    CollectionLegOrder order,
    bool isCheck,
    Tally tally,
    Action<string> journal
)
{
    private const int StepItems = 200;

    /// <summary>Of each collection, the items that are removed: what a dry run needs to know which would be empty.</summary>
    private readonly Dictionary<Href, long> _removed = [];

    /// <param name="Original">What the to side had before we added to it; null: the item is ours.</param>
    private sealed record Ours(CollectionItem Item, ReadOnlyMemory<byte>? Original);

    public async Task RunAsync(CancellationToken cancel)
    {
        await using var to = await accounts.OpenAsync(order.To.Service, order.Kind, order.To.Credentials, cancel);
        var states = (await to.ListAsync(cancel)).ToDictionary(c => c.Href);
        var titles = (await ledger.FoldersAsync(cancel)).ToDictionary(p => p.Id, p => p.To?.ToString());
        var pages = (await kept.PagesAsync(cancel)).Where(p => p.To is not null).OrderBy(p => p.Folder).ToList();
        foreach (var page in pages)
            await TakePageAsync(page, titles[page.Folder] ?? page.To!.Value.Name, states.GetValueOrDefault(page.To!.Value), to, cancel);
        await TakePlacesAsync(states, to, cancel);
    }

    private async Task TakePageAsync(
        CollectionPage page,
        string title,
        CollectionState? there,
        ICollectionAccount to,
        CancellationToken cancel
    )
    {
        tally.Folder = title;
        var known = await record.KnownAsync(page.Folder, cancel);
        _removed[page.To!.Value] = _removed.GetValueOrDefault(page.To.Value) + known.Values.Count(s => s is TakenBack.Removed);
        var originals = await kept.OriginalsAsync(page.Folder, cancel);
        var left = (await kept.ItemsAsync(page.Folder, cancel))
            .Where(i => i.To is not null && (!known.TryGetValue(i.Number, out var state) || state is TakenBack.Intended))
            .Select(i => new Ours(i, originals.TryGetValue(i.Number, out var original) ? original : default(ReadOnlyMemory<byte>?)))
            .Where(o => !o.Item.IsForeign || o.Original is not null)
            .OrderBy(o => o.Item.Number)
            .ToList();
        tally.Expect(left.Count);
        if (there is null)
        {
            await RecordAsync(page, title, [.. left.Select(o => NotThere(o.Item.Number, known))], cancel);
            return;
        }
        if (left.Count == 0)
            return;
        var silence = isCheck ? Silence.NotNeeded : await BeginSilenceAsync(page, to, cancel);
        foreach (var step in left.Chunk(StepItems))
        {
            cancel.ThrowIfCancellationRequested();
            await TakeStepAsync(page, title, there, step, known, to, silence, cancel);
        }
        await EndSilenceAsync(page, silence, to, cancel);
    }

    private async Task TakeStepAsync(
        CollectionPage page,
        string title,
        CollectionState there,
        Ours[] step,
        IReadOnlyDictionary<uint, TakenBack> known,
        ICollectionAccount to,
        Silence silence,
        CancellationToken cancel
    )
    {
        var unreadable = new Dictionary<Href, Fault>();
        var stored = await ReadAsync(to, there, step.Select(o => o.Item.To!.Value), unreadable, cancel);
        var (items, removable, restorable) = (new List<TakenItem>(), new List<(Ours, ETag)>(), new List<(Ours, ETag)>());
        foreach (var ours in step)
        {
            tally.Look(1);
            var (item, number) = (ours.Item, ours.Item.Number);
            if (unreadable.ContainsKey(item.To!.Value))
                items.Add(Kept(number, KeptBecause.Unreadable));
            else if (!stored.TryGetValue(item.To.Value, out var now))
                items.Add(NotThere(number, known));
            else if (known.ContainsKey(number) && ours.Original is { } original && IsSame(original, now.Octets))
                items.Add(new TakenItem(number, TakenBack.Restored));
            else if (item.ToDigest is null)
                items.Add(Kept(number, KeptBecause.PlaceUnknown, now));
            else if (ItemForm.DigestOf(now.Octets) != item.ToDigest)
                items.Add(Kept(number, KeptBecause.Different, now));
            else if (now.Tag is not { } tag)
                items.Add(Kept(number, KeptBecause.NotDeletable, now));
            else if (
                silence is Silence.Impossible
                && Invitations.WouldBeSent(ItemComponent.Parse(now.Octets), order.AddressesOf(to), order.Today)
            )
                items.Add(Kept(number, KeptBecause.WouldSend, now));
            else
                (ours.Original is null ? removable : restorable).Add((ours, tag));
        }
        if (isCheck)
        {
            items.AddRange(removable.Select(r => new TakenItem(r.Item1.Item.Number, TakenBack.Removed)));
            items.AddRange(restorable.Select(r => new TakenItem(r.Item1.Item.Number, TakenBack.Restored)));
        }
        else if (removable.Count + restorable.Count > 0)
        {
            await RecordAsync(
                page,
                title,
                [.. removable.Concat(restorable).Select(r => new TakenItem(r.Item1.Item.Number, TakenBack.Intended))],
                cancel
            );
            items.AddRange(await UndoAsync(there, removable, restorable, to, cancel));
        }
        await RecordAsync(page, title, items, cancel);
    }

    /// <summary>What the service says it did is believed after looking.</summary>
    private static async Task<List<TakenItem>> UndoAsync(
        CollectionState there,
        List<(Ours Ours, ETag Tag)> removable,
        List<(Ours Ours, ETag Tag)> restorable,
        ICollectionAccount to,
        CancellationToken cancel
    )
    {
        foreach (var (ours, tag) in removable)
            await to.RemoveAsync(ours.Item.To!.Value, tag, cancel);
        foreach (var (ours, tag) in restorable)
            await to.ReplaceAsync(ours.Item.To!.Value, tag, ours.Original!.Value, cancel);
        var after = await ReadAsync(
            to,
            there,
            removable.Concat(restorable).Select(r => r.Ours.Item.To!.Value),
            new Dictionary<Href, Fault>(),
            cancel
        );
        var items = new List<TakenItem>();
        foreach (var (ours, _) in removable)
            items.Add(
                after.TryGetValue(ours.Item.To!.Value, out var now)
                    ? Kept(
                        ours.Item.Number,
                        ItemForm.DigestOf(now.Octets) == ours.Item.ToDigest ? KeptBecause.StillThere : KeptBecause.Different,
                        now
                    )
                    : new TakenItem(ours.Item.Number, TakenBack.Removed)
            );
        foreach (var (ours, _) in restorable)
            items.Add(
                !after.TryGetValue(ours.Item.To!.Value, out var now) ? new TakenItem(ours.Item.Number, TakenBack.NotThere)
                : IsSame(ours.Original!.Value, now.Octets) ? new TakenItem(ours.Item.Number, TakenBack.Restored)
                : Kept(ours.Item.Number, KeptBecause.StillThere, now)
            );
        return items;
    }

    private static async Task<Dictionary<Href, StoredItem>> ReadAsync(
        ICollectionAccount to,
        CollectionState collection,
        IEnumerable<Href> items,
        Dictionary<Href, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var stored = new Dictionary<Href, StoredItem>();
        await to.ReadItemsAsync(
            collection,
            [.. items.Distinct()],
            (item, _) =>
            {
                stored[item.Href] = item;
                return ValueTask.CompletedTask;
            },
            unreadable,
            cancel
        );
        return stored;
    }

    /// <summary>The two say the same, though the service may write it in another way.</summary>
    private static bool IsSame(ReadOnlyMemory<byte> original, ReadOnlyMemory<byte> now)
    {
        var (before, after) = (ItemForm.Of(original), ItemForm.Of(now));
        return !ForeignItem.Lost(before, after).Any() && !ForeignItem.Lost(after, before).Any();
    }

    private static TakenItem Kept(uint number, KeptBecause because, StoredItem? there = null) =>
        new(number, TakenBack.Kept, because, there is null ? null : ItemLabel.Of(ItemComponent.Parse(there.Octets)).Title);

    private static TakenItem NotThere(uint number, IReadOnlyDictionary<uint, TakenBack> known) =>
        new(number, known.ContainsKey(number) ? TakenBack.Removed : TakenBack.NotThere);

    private async Task RecordAsync(CollectionPage page, string title, List<TakenItem> items, CancellationToken cancel)
    {
        if (items.Count == 0)
            return;
        await record.RecordAsync(title, page.Folder, items, cancel);
        var removed = items.Count(i => i.State is TakenBack.Removed);
        if (!isCheck)
            tally.Remove(removed);
        _removed[page.To!.Value] = _removed.GetValueOrDefault(page.To.Value) + removed;
    }

    /// <summary>Whether deleting sends anything.</summary>
    private enum Silence
    {
        NotNeeded,
        Begun,
        Impossible,
    }

    private async Task<Silence> BeginSilenceAsync(CollectionPage page, ICollectionAccount to, CancellationToken cancel)
    {
        if (order.Kind is not Kind.Calendars || !to.Traits.Schedules)
            return Silence.NotNeeded;
        // Noted first: whoever comes after a kill switches it on again.
        await kept.KeepPageAsync(page with { SchedulingIsOff = true }, cancel);
        if (await to.TrySwitchSchedulingAsync(page.To!.Value, on: false, cancel))
            return Silence.Begun;
        await kept.KeepPageAsync(page with { SchedulingIsOff = false }, cancel);
        return Silence.Impossible;
    }

    private async Task EndSilenceAsync(CollectionPage page, Silence silence, ICollectionAccount to, CancellationToken cancel)
    {
        if (silence is not Silence.Begun)
            return;
        if (await to.TrySwitchSchedulingAsync(page.To!.Value, on: true, cancel))
            await kept.KeepPageAsync(page with { SchedulingIsOff = false }, cancel);
        else
            journal($"the new side does not switch invitations for '{tally.Folder}' on again: look into that calendar's settings");
    }

    /// <summary>Collections that the move made go if nothing is in them.</summary>
    private async Task TakePlacesAsync(Dictionary<Href, CollectionState> states, ICollectionAccount to, CancellationToken cancel)
    {
        var made = (await record.MadeAsync(cancel)).Select(m => m.Place).ToHashSet();
        foreach (var state in states.Values.Where(s => made.Contains(s.Href.ToString()) || made.Contains(s.Href.Name)))
        {
            cancel.ThrowIfCancellationRequested();
            await record.RecordFolderAsync(state.Title, await TakePlaceAsync(state, to, cancel), cancel);
        }
    }

    private async Task<TakenFolder> TakePlaceAsync(CollectionState state, ICollectionAccount to, CancellationToken cancel)
    {
        var held = (await to.ReadChangesAsync(state, null, cancel)).There.Count;
        if (isCheck)
            return held <= _removed.GetValueOrDefault(state.Href) ? TakenFolder.Removed : TakenFolder.NotEmpty;
        if (held > 0)
            return TakenFolder.NotEmpty;
        try
        {
            await to.RemoveCollectionAsync(state.Href, cancel);
        }
        catch (FaultException e) when (e.Fault.Action is not FaultAction.RetryLater)
        {
            journal($"the {order.Word} '{state.Title}' that was made on the new side cannot be deleted again: {e.Fault.What}");
        }
        return (await to.ListAsync(cancel)).Any(c => c.Href == state.Href) ? TakenFolder.Refused : TakenFolder.Removed;
    }
}
