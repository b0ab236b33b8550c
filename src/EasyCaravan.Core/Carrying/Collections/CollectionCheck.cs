using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Looks at a collection of the to side after all was carried: whether everything that the ledger says is there is there, and what it holds
/// now, so that the next pass sees whether anything changed.
/// </summary>
internal sealed class CollectionCheck(ICollectionAccount to, ILedger ledger, ICollectionLedger kept, Tally tally, Action<string> journal)
{
    /// <param name="works">All pages that land in this collection.</param>
    public async Task CheckAsync(CollectionState place, IReadOnlyList<CollectionWork> works, CancellationToken cancel)
    {
        var marks = works.Select(w => w.Known.ToMark.Token).Distinct().ToList();
        var since = works.All(w => w.Page.Cursor is not null) && marks is [{ } one] ? one : (SyncToken?)null;
        var changes = await to.ReadChangesAsync(place, since, cancel);
        var there = changes.There.Select(i => i.Href).ToHashSet();
        var gone = changes.Gone.ToHashSet();
        var known = (await ledger.DifferencesAsync(cancel)).Select(d => d.Difference).ToLookup(d => d.Folder);
        var claimed = new HashSet<Href>();
        var looks = new List<PageLook>();
        foreach (var work in works)
        {
            var settled = await ledger.SettledAsync(work.Page.Id, cancel);
            var items = (await kept.ItemsAsync(work.Page.Id, cancel)).Where(i => i.To is not null && i.ToDigest is not null).ToList();
            claimed.UnionWith(items.Select(i => i.To!.Value));
            var live = items.Where(i => settled.Contains(i.Number)).ToList();
            var before = known[work.Page.Id].Where(d => d.Kind is DifferenceKind.Missing).ToDictionary(d => d.Number);
            var missing = live.Where(i =>
                    changes.IsWhole
                        ? !there.Contains(i.To!.Value)
                        : gone.Contains(i.To!.Value) || (before.ContainsKey(i.Number) && !there.Contains(i.To.Value))
                )
                .ToList();
            if (missing.Count(i => !before.ContainsKey(i.Number)) is > 0 and var fresh)
            {
                tally.Differ(fresh);
                journal($"{fresh} item(s) of '{work.Page.From}' are no longer on the new side; somebody there deleted or moved them");
            }
            looks.Add(new PageLook(work.Page.Id, new Membership(1, 1, 0), [.. missing.Select(i => DifferenceOf(work, i))]));
        }
        await ledger.RecordLooksAsync(looks, cancel);
        var hasStrangers = there.Any(h => !claimed.Contains(h));
        foreach (var work in works)
            await EndAsync(work, changes.Mark, hasStrangers || (!changes.IsWhole && work.Known.HasStrangers), cancel);
    }

    /// <summary>A page that stays behind has nothing to be looked at.</summary>
    public Task EndAsync(CollectionWork work, CancellationToken cancel) => EndAsync(work, default, hasStrangers: false, cancel);

    private async Task EndAsync(CollectionWork work, CollectionMark toMark, bool hasStrangers, CancellationToken cancel)
    {
        if (work.Carried is not { } carried)
            return;
        var known = work.Known with { FromMark = carried.Mark, ToMark = toMark, HasStrangers = hasStrangers };
        await kept.KeepPageAsync(known, cancel);
        var cursor = new FolderCursor(Epoch: 1, Next: 1, Mark: null, Count: (uint)carried.Found);
        await ledger.CompleteAsync([new PageEnd(work.Page.Id, cursor, carried.Found, null)], cancel);
    }

    private static Difference DifferenceOf(CollectionWork work, CollectionItem item) =>
        new(
            work.Page.Id,
            item.Number,
            item.Number,
            DifferenceKind.Missing,
            $"it is no longer in '{work.To!.Title}' on the new side: somebody there deleted or moved it",
            Planning.ByteCount.Zero,
            null,
            item.From.Name,
            ""
        );
}
