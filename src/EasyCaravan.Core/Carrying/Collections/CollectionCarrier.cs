using System.Threading.Channels;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Carries one address book or calendar: reads what changed, decides what each item needs, writes it, reads it back and records it. While
/// some are written, the next ones are read.
/// </summary>
internal sealed class CollectionCarrier(
    CollectionLegOrder order,
    ICollectionAccount from,
    ICollectionAccount to,
    ILedger ledger,
    ICollectionLedger kept,
    Tally tally
)
{
    /// <summary>Items of the from side that are asked for at a time.</summary>
    private const int ItemsPerReading = 500;

    /// <summary>Octets of a batch, unless one item alone has more.</summary>
    private const long OctetsPerBatch = 4 * 1024 * 1024;

    /// <summary>Octets of what has no second form to be compared with: enough for people to see what it is.</summary>
    private const int LargestKept = 256 * 1024;

    /// <exception cref="FaultException">It could not be completed. What is settled is in the ledger.</exception>
    /// <param name="strangers">What is in the to side's collection and no page claims.</param>
    /// <param name="isSilent">Whatever is written sends nothing to anybody.</param>
    public async Task CarryAsync(CollectionWork work, IReadOnlyCollection<Href> strangers, bool isSilent, CancellationToken cancel)
    {
        var page = await LookAsync(work, cancel);
        page.IsSilent = isSilent;
        tally.Expect(page.ToRead.Count);
        if (work.To is not { } place)
            await ExcludeAsync(work, page, cancel);
        else
        {
            if (page.ToRead.Values.Any(i => i.To is null))
                page.Strangers = await Strangers.ReadAsync(to, place, strangers, cancel);
            await ReadBegunAsync(place, page.ToRead.Values.Where(i => !page.Items.IsSettled(i)), page, cancel);
            await CarryItemsAsync(work, place, page, cancel);
            await FollowGoneAsync(place, page, cancel);
        }
        if (page.Gone.Count > 0)
            await ledger.MarkGoneAsync(work.Page.Id, new NumberSet(page.Gone.Select(i => i.Number)), cancel);
        var goneParts = page.Items.Parts.Intersect(page.Gone).ToList();
        if (goneParts.Count > 0)
            await kept.ForgetItemsAsync(work.Page.Id, [.. goneParts.Select(p => p.Number)], cancel);
        work.Carried = (page.Mark, page.Found + page.Items.Parts.Count - goneParts.Count);
    }

    /// <summary>What is new, edited, unsettled or gone on the from side.</summary>
    private async Task<PageInHand> LookAsync(CollectionWork work, CancellationToken cancel)
    {
        var settled = await ledger.SettledAsync(work.Page.Id, cancel);
        var items = new PageItems(await kept.ItemsAsync(work.Page.Id, cancel), settled);
        var before = items.Settled.ToList();
        var withOpenPart = items.Parts.Where(p => !items.IsSettled(p)).Select(PageItems.WholeOf).ToHashSet();
        var unsettled = items.Unsettled.Concat(withOpenPart.Select(items.Find).OfType<CollectionItem>()).Distinct().ToList();
        if (work.IsFromSame)
            return new PageInHand(items, [], [], work.From.Mark) { Found = before.Count };
        var since = work.Page.Cursor is null ? null : work.Known.FromMark.Token;
        var changes = await from.ReadChangesAsync(work.From, since, cancel);
        var toRead = new Dictionary<Href, CollectionItem>();
        var fresh = new List<CollectionItem>();
        foreach (var there in changes.There)
        {
            var item = items.Find(there.Href);
            if (item is null)
                fresh.Add(item = items.Add(there.Href));
            else if (items.IsSettled(item) && there.Tag is { } tag && tag.Digest == item.FromTag && !withOpenPart.Contains(there.Href))
                continue;
            toRead[there.Href] = item;
        }
        var present = changes.There.Select(t => t.Href).ToHashSet();
        var absent = changes.Gone.ToHashSet();
        if (!changes.IsWhole)
            // What is to be tried again is not among the changes.
            foreach (var item in unsettled.Where(i => !present.Contains(i.From) && !absent.Contains(i.From)))
                toRead[item.From] = item;
        var gone = changes.IsWhole
            ? before.Where(i => !present.Contains(i.From)).ToList()
            : changes.Gone.Select(items.Find).OfType<CollectionItem>().Where(items.IsSettled).ToList();
        gone.AddRange(gone.SelectMany(g => items.PartsOf(g.From)).Where(items.IsSettled).ToList());
        if (fresh.Count > 0)
            await kept.KeepItemsAsync(work.Page.Id, fresh, cancel);
        var isUnsettled = toRead.Values.Count(i => !items.IsSettled(i));
        return new PageInHand(items, toRead, gone, changes.Mark)
        {
            Choices = await kept.ChoicesAsync(work.Page.Id, cancel),
            Found = changes.IsWhole ? changes.There.Count : before.Count - gone.Intersect(before).Count() + isUnsettled,
        };
    }

    /// <summary>The collection stays behind: its items are counted, and that is all.</summary>
    private async Task ExcludeAsync(CollectionWork work, PageInHand page, CancellationToken cancel)
    {
        var fresh = page.ToRead.Values.Where(i => !page.Items.IsSettled(i)).ToList();
        foreach (var some in fresh.Chunk(1000))
            await ledger.RecordAsync(work.Page.Id, [.. some.Select(i => EntryOf(i, null, Outcome.Excluded, ByteCount.Zero))], cancel);
        tally.Exclude(fresh.Count);
    }

    /// <summary>What an earlier pass began, or was left behind there, is looked at before anything is written again.</summary>
    private async Task ReadBegunAsync(
        CollectionState place,
        IEnumerable<CollectionItem> unsettled,
        PageInHand page,
        CancellationToken cancel
    )
    {
        var begun = unsettled.Select(i => i.To).OfType<Href>().ToList();
        if (begun.Count > 0)
            await to.ReadItemsAsync(
                place,
                begun,
                (item, _) =>
                {
                    page.Begun[item.Href] = item;
                    return ValueTask.CompletedTask;
                },
                new Dictionary<Href, Fault>(),
                cancel
            );
    }

    private async Task CarryItemsAsync(CollectionWork work, CollectionState place, PageInHand page, CancellationToken cancel)
    {
        if (page.ToRead.Count == 0)
            return;
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var batches = Channel.CreateBounded<List<ItemInHand>>(new BoundedChannelOptions(1) { SingleReader = true, SingleWriter = true });
        var reading = ReadAsync(work, page, batches.Writer, stop.Token);
        // One batch is read back while the next one is written.
        var recording = Task.CompletedTask;
        try
        {
            await foreach (var batch in batches.Reader.ReadAllAsync(stop.Token))
            {
                await WriteAsync(work, place, batch, page, cancel);
                await recording;
                recording = ReadBackAsync(work, place, batch, cancel);
            }
            await recording;
            await reading;
        }
        catch
        {
            // Whatever broke it, nobody may go on reading for nobody.
            await stop.CancelAsync();
            await reading.ContinueWith(_ => { }, CancellationToken.None, TaskContinuationOptions.None, TaskScheduler.Default);
            await recording.ContinueWith(_ => { }, CancellationToken.None, TaskContinuationOptions.None, TaskScheduler.Default);
            throw;
        }
    }

    private async Task ReadAsync(CollectionWork work, PageInHand page, ChannelWriter<List<ItemInHand>> batches, CancellationToken cancel)
    {
        try
        {
            var batch = new List<ItemInHand>();
            var octets = 0L;
            var missing = page.ToRead.Keys.ToHashSet();
            var unreadable = new Dictionary<Href, Fault>();
            foreach (var some in page.ToRead.Keys.Chunk(ItemsPerReading))
                await from.ReadItemsAsync(work.From, some, TakeAsync, unreadable, cancel);
            if (batch.Count > 0)
                await batches.WriteAsync(batch, cancel);
            await LeaveUnreadableAsync(work, page, unreadable, cancel);
            // Deleted between the list and the reading. The next pass sees it as gone.
            page.Found -= missing.Except(unreadable.Keys).Count(h => !page.Items.IsSettled(page.ToRead[h]));
            batches.Complete();

            async ValueTask TakeAsync(StoredItem item, CancellationToken c)
            {
                if (!missing.Remove(item.Href))
                    return;
                var known = page.ToRead[item.Href];
                batch.Add(new ItemInHand(known, item) { IsEdit = page.Items.IsSettled(known) });
                octets += item.Octets.Length;
                if (batch.Count < to.ReadTogether && octets < OctetsPerBatch)
                    return;
                await batches.WriteAsync(batch, c);
                (batch, octets) = ([], 0);
            }
        }
        catch (Exception e)
        {
            batches.Complete(e);
        }
    }

    private async Task LeaveUnreadableAsync(
        CollectionWork work,
        PageInHand page,
        Dictionary<Href, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var left = unreadable
            .Select(u => (Item: page.ToRead[u.Key], Fault: u.Value))
            .Select(u => new LeftBehindItem(u.Item.Number, u.Fault, ByteCount.Zero, DateTimeOffset.UnixEpoch, u.Item.From.Name, ""))
            .ToList();
        if (left.Count == 0)
            return;
        await ledger.LeaveBehindAsync(work.Page.Id, left, cancel);
        tally.LeaveBehind(left.Count);
    }

    /// <summary>Writes what has to be written, and what had to be parted part by part.</summary>
    private async Task WriteAsync(
        CollectionWork work,
        CollectionState place,
        List<ItemInHand> batch,
        PageInHand page,
        CancellationToken cancel
    )
    {
        await DecideAndWriteAsync(work, place, batch, page, cancel);
        var parts = Part(batch, page);
        if (parts.Count == 0)
            return;
        await kept.KeepItemsAsync(work.Page.Id, [.. parts.Where(p => !p.IsEdit).Select(p => page.Items.Find(p.Item.From)!)], cancel);
        await ReadBegunAsync(place, [.. parts.Where(p => !p.IsEdit).Select(p => p.Item)], page, cancel);
        await DecideAndWriteAsync(work, place, parts, page, cancel);
        batch.AddRange(parts);
    }

    /// <summary>Decides what each item of a batch needs, and writes what has to be written.</summary>
    private async Task DecideAndWriteAsync(
        CollectionWork work,
        CollectionState place,
        List<ItemInHand> batch,
        PageInHand page,
        CancellationToken cancel
    )
    {
        var writer = new ItemWriter(order, to, place);
        var decision = new ItemDecision(order, page, order.AddressesOf(to), new ItemReadBack(order, to, place), writer);
        var toWrite = batch.Where(decision.NeedsWriting).ToList();
        toWrite.AddRange(await MergeAsync(work, place, [.. batch.Where(Merges)], cancel));
        // Noted before it is written: whoever comes after a kill looks there first.
        if (toWrite.Count > 0)
            await kept.KeepItemsAsync(
                work.Page.Id,
                [.. toWrite.Select(i => page.Items.Find(i.Item.From)! with { To = i.Item.To, IsForeign = i.IsForeign })],
                cancel
            );
        await writer.WriteAsync(toWrite, cancel);
        batch.ForEach(i => i.Rest());
    }

    /// <summary>The other parts of objects that the new side took only parted: items of their own from then on.</summary>
    private List<ItemInHand> Part(List<ItemInHand> batch, PageInHand page)
    {
        var parts = new List<ItemInHand>();
        foreach (var whole in batch.Where(i => i.Outcome is null or Outcome.Carried))
        {
            var before = page.Items.PartsOf(whole.Item.From).ToList();
            var now = new HashSet<Href>();
            if (whole.Item.Shapings.HasFlag(ItemShapings.SplitUids))
                foreach (var part in ItemShaper.Parts(whole.Octets).Skip(1))
                {
                    var from = PageItems.PlaceOfPart(whole.Item.From, part.Uid ?? $"{ItemForm.DigestOf(part.Octets):x16}");
                    now.Add(from);
                    var known = page.Items.Find(from) ?? page.Items.Add(from);
                    parts.Add(new ItemInHand(known, new StoredItem(from, null, part.Octets)) { IsEdit = page.Items.IsSettled(known) });
                }
            page.Gone.AddRange(before.Where(p => !now.Contains(p.From)));
        }
        tally.Expect(parts.Count(p => !p.IsEdit));
        return parts;
    }

    private async Task ReadBackAsync(CollectionWork work, CollectionState place, List<ItemInHand> batch, CancellationToken cancel)
    {
        await new ItemReadBack(order, to, place).ReadAsync(batch, cancel);
        await RecordAsync(work, batch, cancel);
    }

    /// <summary>
    /// What its owner adds on the from side later goes the same way, whatever the rule: what is there says more, and stays.
    /// </summary>
    private bool Merges(ItemInHand item) =>
        item is { IsForeign: true, Outcome: null }
        && order.Kind is Kind.Contacts
        && (item.IsEdit || order.Rules.Doubles is ItemDoubles.Merge);

    /// <summary>What is there gets what it lacks. Those that are to be written for it.</summary>
    private async Task<List<ItemInHand>> MergeAsync(
        CollectionWork work,
        CollectionState place,
        List<ItemInHand> foreign,
        CancellationToken cancel
    )
    {
        var merged = new List<ItemInHand>();
        var originals = new Dictionary<uint, ReadOnlyMemory<byte>>();
        var byPlace = foreign.ToDictionary(i => i.Item.To!.Value);
        if (byPlace.Count > 0)
            await to.ReadItemsAsync(
                place,
                byPlace.Keys,
                (there, _) =>
                {
                    if (byPlace.TryGetValue(there.Href, out var item) && there.Tag is { } tag && item.Merge(there.Octets, tag))
                    {
                        merged.Add(item);
                        originals[item.Item.Number] = there.Octets;
                    }
                    return ValueTask.CompletedTask;
                },
                new Dictionary<Href, Fault>(),
                cancel
            );
        // A move that is taken back leaves the person's own contact as it was.
        if (originals.Count > 0)
            await kept.KeepOriginalsAsync(work.Page.Id, originals, cancel);
        return merged;
    }

    private async Task RecordAsync(CollectionWork work, List<ItemInHand> batch, CancellationToken cancel)
    {
        var page = work.Page.Id;
        await kept.KeepItemsAsync(page, [.. batch.Select(i => i.Item)], cancel);
        var left = batch.Where(i => i.Outcome is Outcome.LeftBehind).ToList();
        var settled = batch.Where(i => i.Outcome is not Outcome.LeftBehind).ToList();
        if (settled.Count > 0)
            await ledger.RecordAsync(page, [.. settled.Select(i => EntryOf(i.Item, i.Item.Number, i.Outcome!.Value, i.Size))], cancel);
        if (left.Count > 0)
        {
            await ledger.LeaveBehindAsync(page, [.. left.Select(LeftOf)], cancel);
            var forms = left.Where(i => i.Other is not null || i.Octets.Length <= LargestKept)
                .Select(i => new ItemForms(i.Item.Number, i.Octets, i.Other))
                .ToList();
            if (forms.Count > 0)
                await kept.KeepFormsAsync(page, forms, cancel);
        }
        tally.LeaveBehind(left.Count);
        tally.Update(settled.Count(i => i.IsEdit && i.Outcome is Outcome.Carried && i.Replaces is not null));
        foreach (var group in settled.Where(i => !i.IsEdit).GroupBy(i => i.Outcome))
            switch (group.Key)
            {
                case Outcome.Carried:
                    tally.Carry(group.Count(), group.Aggregate(ByteCount.Zero, (sum, i) => sum + i.Size));
                    break;
                case Outcome.Paired:
                    tally.Pair(group.Count());
                    break;
                default:
                    tally.Exclude(group.Count());
                    break;
            }
    }

    private static LeftBehindItem LeftOf(ItemInHand item) =>
        new(item.Item.Number, item.Fault!, item.Size, item.Label.At ?? DateTimeOffset.UnixEpoch, item.Label.Title, item.Label.Whom);

    private static LedgerEntry EntryOf(CollectionItem item, uint? landed, Outcome outcome, ByteCount size) =>
        new(item.Number, outcome is Outcome.Excluded ? null : landed, outcome, FlagSet.Empty) { Size = size };

    /// <summary>
    /// What its owner deleted on the from side is deleted on the to side, if the rules say so and nobody edited it there.
    /// </summary>
    private async Task FollowGoneAsync(CollectionState place, PageInHand page, CancellationToken cancel)
    {
        // A deleted event sends a cancellation, which only the switch can keep the new side from.
        if (order.Deletions is not Deletions.Follow || !page.IsSilent)
            return;
        foreach (var item in page.Gone.Where(i => i is { To: not null, ToTag: not null }))
        {
            var removal = await to.RemoveAsync(item.To!.Value, item.ToTag!.Value, cancel);
            if (removal is ItemWrite.NotAsExpected && await FindUneditedAsync(place, item, cancel) is { Tag: { } tag })
                removal = await to.RemoveAsync(item.To.Value, tag, cancel);
            if (removal is ItemWrite.Taken)
                tally.Remove(1);
        }
    }

    private async Task<StoredItem?> FindUneditedAsync(CollectionState place, CollectionItem item, CancellationToken cancel)
    {
        var there = await to.FindItemAsync(place, item.To!.Value, cancel);
        return there is not null && ItemForm.DigestOf(there.Octets) == item.ToDigest ? there : null;
    }
}
