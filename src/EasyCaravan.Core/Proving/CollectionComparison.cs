using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>
/// Reads the address books or calendars of both sides anew, item by item. An item that is on both sides as it was when it was read back
/// after it was written is the same by that proof; any other is compared by what it says.
/// </summary>
public sealed class CollectionComparison(
    ICollectionAccounts accounts,
    ILedger ledger,
    ICollectionLedger kept,
    CollectionLegOrder order,
    Tally tally,
    Action<string> journal
)
{
    /// <summary>Octets of the from side that belong to a step, unless one item alone has more.</summary>
    private static readonly ByteCount s_stepSize = new(4 * 1024 * 1024);

    private const int StepItems = 200;

    /// <param name="From">The item of the from side in which it stands: itself, or an object that had to be parted.</param>
    private sealed record Compared(CollectionItem Item, Href From, LedgerEntry Entry);

    /// <summary>What the to side shows of an item.</summary>
    private sealed record There(ulong Digest, ReadOnlyMemory<byte>? Octets);

    /// <summary>Goes on where it was, and writes down after each step how far it has come.</summary>
    public async Task<ComparisonProgress> CompareAsync(ComparisonProgress progress, CancellationToken cancel)
    {
        await using var from = await accounts.OpenAsync(order.From.Service, order.Kind, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.Kind, order.To.Credentials, cancel);
        var fromStates = (await from.ListAsync(cancel)).ToDictionary(c => c.Href);
        var toStates = (await to.ListAsync(cancel)).ToDictionary(c => c.Href);
        var known = (await kept.PagesAsync(cancel)).ToDictionary(p => p.Folder);
        var pages = (await ledger.FoldersAsync(cancel))
            .Where(p => p is { To: not null, Cursor: not null, Counts.Found: > 0 } && known.ContainsKey(p.Id))
            .OrderBy(p => p.Id)
            .ToList();
        tally.Expect(pages.Sum(p => p.Counts.Carried + p.Counts.Paired));
        foreach (var page in pages.Where(p => p.Id >= progress.Page))
        {
            cancel.ThrowIfCancellationRequested();
            tally.Folder = page.From.ToString();
            var places = known[page.Id];
            if (!fromStates.TryGetValue(places.From, out var here))
                journal($"the {order.Word} '{page.From}' is no longer on the old side; there is nothing to compare '{page.To}' with");
            else if (places.To is not { } place || !toStates.TryGetValue(place, out var there))
                journal($"the {order.Word} '{page.To}' is not on the new side as it was left; the next catch-up looks into it");
            else
                progress = await ComparePageAsync(page, from, here, to, there, progress, cancel);
        }
        return progress;
    }

    private async Task<ComparisonProgress> ComparePageAsync(
        LedgerFolder page,
        ICollectionAccount from,
        CollectionState here,
        ICollectionAccount to,
        CollectionState there,
        ComparisonProgress progress,
        CancellationToken cancel
    )
    {
        var items = await kept.ItemsAsync(page.Id, cancel);
        var settled = await ledger.SettledAsync(page.Id, cancel);
        var since = progress.Page == page.Id ? progress.Number : 0;
        var chosen = items
            .Where(i => i is { To: not null, ToDigest: not null } && i.Number > since && settled.Contains(i.Number))
            .Where(i => ComparedShare.Has(page.Id, i.Number, progress.Share))
            .OrderBy(i => i.Number)
            .ToList();
        var entries = new Dictionary<uint, LedgerEntry>();
        foreach (var slice in new NumberSet(chosen.Select(i => i.Number)).Slices(1_000))
        foreach (var entry in await ledger.FindAsync(page.Id, slice, cancel))
            entries[entry.Number] = entry;
        foreach (
            var step in Portions.Of(
                chosen.Where(i => entries.ContainsKey(i.Number)).Select(i => new Compared(i, PageItems.WholeOf(i), entries[i.Number])),
                c => c.Entry.Size,
                StepItems,
                s_stepSize
            )
        )
            progress = await CompareStepAsync(page, step, from, here, to, there, progress, cancel);
        // What no pass has seen came after the last one.
        var seen = items.Select(i => i.From).ToHashSet();
        var arrived = (await from.ReadChangesAsync(here, null, cancel)).There.Count(i => !seen.Contains(i.Href));
        progress = progress with { Page = page.Id + 1, Number = 0, Arrived = progress.Arrived + arrived };
        await ledger.RecordComparisonAsync(progress, cancel);
        return progress;
    }

    private async Task<ComparisonProgress> CompareStepAsync(
        LedgerFolder page,
        List<Compared> step,
        ICollectionAccount from,
        CollectionState here,
        ICollectionAccount to,
        CollectionState there,
        ComparisonProgress progress,
        CancellationToken cancel
    )
    {
        cancel.ThrowIfCancellationRequested();
        var landed = step.ToDictionary(c => c.Item.To!.Value);
        var unreadable = new Dictionary<Href, Fault>();
        var copies = new Dictionary<Href, There>();
        await to.ReadItemsAsync(
            there,
            landed.Keys,
            (item, _) =>
            {
                // What is as it was needs no second look, and is let go.
                var digest = ItemForm.DigestOf(item.Octets);
                copies[item.Href] = new There(
                    digest,
                    digest == landed[item.Href].Item.ToDigest ? default(ReadOnlyMemory<byte>?) : item.Octets
                );
                return ValueTask.CompletedTask;
            },
            unreadable,
            cancel
        );
        var (found, compared, octets, edited) = (new List<Difference>(), 0L, ByteCount.Zero, 0L);
        var wholes = step.ToLookup(c => c.From);
        await from.ReadItemsAsync(
            here,
            [.. wholes.Select(w => w.Key)],
            (whole, _) =>
            {
                octets += new ByteCount(whole.Octets.Length);
                foreach (var one in wholes[whole.Href])
                {
                    tally.Look(1);
                    // What its owner edited since is the next pass's to carry.
                    if (PartOf(whole, one) is not { } original)
                        edited++;
                    else if (unreadable.ContainsKey(one.Item.To!.Value))
                        continue;
                    else
                    {
                        compared++;
                        if (
                            Judge(page, one, original, copies.GetValueOrDefault(one.Item.To!.Value), order.AddressesOf(to)) is
                            { } difference
                        )
                            found.Add(difference);
                    }
                }
                return ValueTask.CompletedTask;
            },
            new Dictionary<Href, Fault>(),
            cancel
        );
        await FoundDifferences.RecordAsync(ledger, [.. step.Select(c => (page.Id, c.Item.Number))], found, tally, cancel);
        progress = progress with
        {
            Page = page.Id,
            Number = step[^1].Item.Number,
            Compared = progress.Compared + compared,
            Octets = progress.Octets + octets,
            Differing = progress.Differing + FoundDifferences.CountItems(found),
            Arrived = progress.Arrived + edited,
        };
        await ledger.RecordComparisonAsync(progress, cancel);
        return progress;
    }

    /// <summary>The item as it was when it was carried; null: its owner edited it since.</summary>
    private static StoredItem? PartOf(StoredItem whole, Compared one)
    {
        if (one.Item.From == whole.Href)
            return ItemForm.DigestOf(whole.Octets) == one.Item.FromDigest ? whole : null;
        var part = ItemShaper.Parts(whole.Octets).FirstOrDefault(p => ItemForm.DigestOf(p.Octets) == one.Item.FromDigest);
        return part.Octets is { } octets ? new StoredItem(one.Item.From, null, octets) : null;
    }

    private Difference? Judge(LedgerFolder page, Compared one, StoredItem original, There? copy, IReadOnlyList<string> addresses)
    {
        if (copy is null)
            return DifferenceOf(
                page,
                one,
                original,
                DifferenceKind.Missing,
                $"it is no longer in '{page.To}' on the new side: somebody there deleted or moved it"
            );
        if (copy.Octets is not { } octets)
            return null;
        var item = new ItemInHand(one.Item, original);
        var lost = (
            one.Item.IsForeign
                ? ForeignItem.Lacks(order.Kind, item.Component, item.Octets, octets)
                : ForeignItem.Lost(ItemForm.Of(ItemShaper.Again(item, addresses)), ItemForm.Of(octets))
        ).ToList();
        return lost.Count == 0
            ? null
            : DifferenceOf(page, one, original, DifferenceKind.Altered, $"it was changed on the new side since: {ForeignItem.Tell(lost)}");
    }

    private static Difference DifferenceOf(LedgerFolder page, Compared one, StoredItem original, DifferenceKind kind, string what)
    {
        var label = ItemLabel.Of(ItemComponent.Parse(original.Octets));
        return new Difference(
            page.Id,
            one.Item.Number,
            one.Item.Number,
            kind,
            what,
            new ByteCount(original.Octets.Length),
            label.At,
            label.Title,
            label.Whom
        );
    }
}
