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

    /// <summary>What is to be done for one page.</summary>
    private sealed record Plan(PageItems Items, Dictionary<Href, CollectionItem> ToRead, List<CollectionItem> Gone, CollectionMark Mark)
    {
        /// <summary>What is there already and nobody claims.</summary>
        public Strangers Strangers { get; set; } = Strangers.None;

        /// <summary>Objects on the to side of items that were begun before, as they are now.</summary>
        public Dictionary<Href, StoredItem> Begun { get; } = [];

        /// <summary>What people chose of two versions, by number.</summary>
        public IReadOnlyDictionary<uint, VersionChoice> Choices { get; init; } = new Dictionary<uint, VersionChoice>();

        public long Found { get; set; }

        public bool IsSilent { get; set; }
    }

    /// <exception cref="FaultException">It could not be completed. What is settled is in the ledger.</exception>
    /// <param name="strangers">What is in the to side's collection and no page claims.</param>
    /// <param name="isSilent">Whatever is written sends nothing to anybody.</param>
    public async Task CarryAsync(CollectionWork work, IReadOnlyCollection<Href> strangers, bool isSilent, CancellationToken cancel)
    {
        var plan = await LookAsync(work, cancel);
        plan.IsSilent = isSilent;
        tally.Expect(plan.ToRead.Count);
        if (work.To is not { } place)
            await ExcludeAsync(work, plan, cancel);
        else
        {
            if (plan.ToRead.Values.Any(i => i.To is null))
                plan.Strangers = await Strangers.ReadAsync(to, place, strangers, cancel);
            await ReadBegunAsync(place, plan, cancel);
            await CarryItemsAsync(work, place, plan, cancel);
            await FollowGoneAsync(place, plan, cancel);
        }
        if (plan.Gone.Count > 0)
            await ledger.MarkGoneAsync(work.Page.Id, new NumberSet(plan.Gone.Select(i => i.Number)), cancel);
        work.Carried = (plan.Mark, plan.Found);
    }

    /// <summary>What is new, edited, unsettled or gone on the from side.</summary>
    private async Task<Plan> LookAsync(CollectionWork work, CancellationToken cancel)
    {
        var settled = await ledger.SettledAsync(work.Page.Id, cancel);
        var items = new PageItems(await kept.ItemsAsync(work.Page.Id, cancel), settled);
        var before = items.Settled.ToList();
        var unsettled = items.Unsettled.ToList();
        if (work.IsFromSame)
            return new Plan(items, [], [], work.From.Mark) { Found = before.Count };
        var since = work.Page.Cursor is null ? null : work.Known.FromMark.Token;
        var changes = await from.ReadChangesAsync(work.From, since, cancel);
        var toRead = new Dictionary<Href, CollectionItem>();
        var fresh = new List<CollectionItem>();
        foreach (var there in changes.There)
        {
            var item = items.Find(there.Href);
            if (item is null)
                fresh.Add(item = items.Add(there.Href));
            else if (items.IsSettled(item) && there.Tag is { } tag && tag.Digest == item.FromTag)
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
            : [.. changes.Gone.Select(items.Find).OfType<CollectionItem>().Where(items.IsSettled)];
        if (fresh.Count > 0)
            await kept.KeepItemsAsync(work.Page.Id, fresh, cancel);
        var isUnsettled = toRead.Values.Count(i => !items.IsSettled(i));
        return new Plan(items, toRead, gone, changes.Mark)
        {
            Choices = await kept.ChoicesAsync(work.Page.Id, cancel),
            Found = changes.IsWhole ? changes.There.Count : before.Count - gone.Count + isUnsettled,
        };
    }

    /// <summary>The collection stays behind: its items are counted, and that is all.</summary>
    private async Task ExcludeAsync(CollectionWork work, Plan plan, CancellationToken cancel)
    {
        var fresh = plan.ToRead.Values.Where(i => !plan.Items.IsSettled(i)).ToList();
        foreach (var some in fresh.Chunk(1000))
            await ledger.RecordAsync(work.Page.Id, [.. some.Select(i => EntryOf(i, null, Outcome.Excluded, ByteCount.Zero))], cancel);
        tally.Exclude(fresh.Count);
    }

    /// <summary>What an earlier pass began, or was left behind there, is looked at before anything is written again.</summary>
    private async Task ReadBegunAsync(CollectionState place, Plan plan, CancellationToken cancel)
    {
        var begun = plan.ToRead.Values.Where(i => !plan.Items.IsSettled(i) && i.To is not null).Select(i => i.To!.Value).ToList();
        if (begun.Count > 0)
            await to.ReadItemsAsync(
                place,
                begun,
                (item, _) =>
                {
                    plan.Begun[item.Href] = item;
                    return ValueTask.CompletedTask;
                },
                new Dictionary<Href, Fault>(),
                cancel
            );
    }

    private async Task CarryItemsAsync(CollectionWork work, CollectionState place, Plan plan, CancellationToken cancel)
    {
        if (plan.ToRead.Count == 0)
            return;
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var batches = Channel.CreateBounded<List<ItemInHand>>(new BoundedChannelOptions(1) { SingleReader = true, SingleWriter = true });
        var reading = ReadAsync(work, plan, batches.Writer, stop.Token);
        // One batch is read back while the next one is written.
        var recording = Task.CompletedTask;
        try
        {
            await foreach (var batch in batches.Reader.ReadAllAsync(stop.Token))
            {
                await WriteAsync(work, place, batch, plan, cancel);
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

    private async Task ReadAsync(CollectionWork work, Plan plan, ChannelWriter<List<ItemInHand>> batches, CancellationToken cancel)
    {
        try
        {
            var batch = new List<ItemInHand>();
            var octets = 0L;
            var missing = plan.ToRead.Keys.ToHashSet();
            var unreadable = new Dictionary<Href, Fault>();
            foreach (var some in plan.ToRead.Keys.Chunk(ItemsPerReading))
                await from.ReadItemsAsync(work.From, some, TakeAsync, unreadable, cancel);
            if (batch.Count > 0)
                await batches.WriteAsync(batch, cancel);
            await LeaveUnreadableAsync(work, plan, unreadable, cancel);
            // Deleted between the list and the reading. The next pass sees it as gone.
            plan.Found -= missing.Except(unreadable.Keys).Count(h => plan.Items.Find(h) is { } i && !plan.Items.IsSettled(i));
            batches.Complete();

            async ValueTask TakeAsync(StoredItem item, CancellationToken c)
            {
                if (!missing.Remove(item.Href))
                    return;
                var known = plan.ToRead[item.Href];
                batch.Add(new ItemInHand(known, item) { IsEdit = plan.Items.IsSettled(known) });
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

    private async Task LeaveUnreadableAsync(CollectionWork work, Plan plan, Dictionary<Href, Fault> unreadable, CancellationToken cancel)
    {
        var left = unreadable
            .Select(u => (Item: plan.ToRead[u.Key], Fault: u.Value))
            .Select(u => new LeftBehindItem(u.Item.Number, u.Fault, ByteCount.Zero, DateTimeOffset.UnixEpoch, u.Item.From.Name, ""))
            .ToList();
        if (left.Count == 0)
            return;
        await ledger.LeaveBehindAsync(work.Page.Id, left, cancel);
        tally.LeaveBehind(left.Count);
    }

    /// <summary>Decides what each item of a batch needs, and writes what has to be written.</summary>
    private async Task WriteAsync(CollectionWork work, CollectionState place, List<ItemInHand> batch, Plan plan, CancellationToken cancel)
    {
        var writer = new ItemWriter(order, to, place);
        var readBack = new ItemReadBack(order, to, place);
        var toWrite = new List<ItemInHand>();
        foreach (var item in batch)
            if (NeedsWriting(item, plan, readBack, writer))
                toWrite.Add(item);
        toWrite.AddRange(await MergeAsync(place, [.. batch.Where(Merges)], cancel));
        // Noted before it is written: whoever comes after a kill looks there first.
        if (toWrite.Count > 0)
            await kept.KeepItemsAsync(
                work.Page.Id,
                [.. toWrite.Select(i => plan.Items.Find(i.Item.From)! with { To = i.Item.To, IsForeign = i.IsForeign })],
                cancel
            );
        await writer.WriteAsync(toWrite, cancel);
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
    private async Task<List<ItemInHand>> MergeAsync(CollectionState place, List<ItemInHand> foreign, CancellationToken cancel)
    {
        var merged = new List<ItemInHand>();
        var byPlace = foreign.ToDictionary(i => i.Item.To!.Value);
        if (byPlace.Count > 0)
            await to.ReadItemsAsync(
                place,
                byPlace.Keys,
                (there, _) =>
                {
                    if (byPlace.TryGetValue(there.Href, out var item) && there.Tag is { } tag && item.Merge(there.Octets, tag))
                        merged.Add(item);
                    return ValueTask.CompletedTask;
                },
                new Dictionary<Href, Fault>(),
                cancel
            );
        return merged;
    }

    /// <summary>Whether it has to be written; if not, its outcome is known, or it is only read back.</summary>
    private bool NeedsWriting(ItemInHand item, Plan plan, ItemReadBack readBack, ItemWriter writer)
    {
        if (order.Rules.Since is { } since && EventSpan.EndedBefore(item.Component, since))
        {
            item.Outcome = Outcome.Excluded;
            return false;
        }
        if (item.IsEdit && item.Item.FromDigest == item.Form.Digest)
        {
            // The service counts its state anew, and the octets are the same.
            item.Outcome = Outcome.Carried;
            return false;
        }
        var choice = plan.Choices.TryGetValue(item.Item.Number, out var chosen) ? chosen : (VersionChoice?)null;
        if (choice is VersionChoice.New && item.Item.To is { } kept && plan.Begun.TryGetValue(kept, out var theirs))
        {
            item.Land(item.IsForeign ? Outcome.Paired : Outcome.Carried, theirs, ItemForm.DigestOf(theirs.Octets));
            return false;
        }
        if (!plan.IsSilent && Invitations.WouldBeSent(item.Component, AddressesThere, order.Today) && !TrySilence(item))
            return false;
        if (choice is VersionChoice.Both || item.ShapedBefore.HasFlag(ItemShapings.AnotherUid))
            return NeedsWritingBeside(item, plan, readBack, writer);
        if (choice is VersionChoice.Old && item is { IsForeign: false, Item.To: { } over } && plan.Begun.TryGetValue(over, out var former))
        {
            item.Item = item.Item with { ToDigest = ItemForm.DigestOf(former.Octets) };
            item.Replaces = former.Tag;
            return true;
        }
        if (item.IsForeign)
        {
            // Of events nobody could say what of both to keep.
            if (order.Kind is not Kind.Contacts && item.IsEdit)
                item.Leave(ItemWriter.Conflict(order));
            return false;
        }
        if (item.Item.To is { } begun)
        {
            if (item is { IsEdit: true, Item.ToTag: null })
            {
                item.Leave(new Fault(Cause.ItemRefused, order.To.Credentials.Account, "the new side does not tell in which state it is"));
                return false;
            }
            if (item.IsEdit)
                item.Replaces = item.Item.ToTag;
            else if (plan.Begun.TryGetValue(begun, out var there))
                return NeedsWriting(item, there, readBack, writer);
            return true;
        }
        if (order.Rules.Doubles is not ItemDoubles.KeepBoth && plan.Strangers.Claim(item.Component) is { } same)
        {
            item.Item = item.Item with { To = same, IsForeign = true };
            return false;
        }
        item.Item = item.Item with { To = writer.PlaceOf(item, 0) };
        return true;
    }

    /// <summary>It comes, or came before, beside what has its UID.</summary>
    private static bool NeedsWritingBeside(ItemInHand item, Plan plan, ItemReadBack readBack, ItemWriter writer)
    {
        var place = writer.PlaceBeside(item);
        var wasThere = item.Item.To == place;
        item.Shape(item.Item.Shapings | ItemShapings.AnotherUid, ItemShaper.WithUidBeside(item));
        if (wasThere && item.IsEdit)
            item.Replaces = item.Item.ToTag;
        else if (wasThere && plan.Begun.TryGetValue(place, out var there))
        {
            // A pass was killed after it had written it.
            readBack.Judge(item, there);
            return false;
        }
        else
            item.Item = item.Item with { To = place, ToTag = null, ToDigest = null, IsForeign = false };
        return true;
    }

    /// <summary>False, with the item left behind, where nothing that is allowed keeps the new side from sending something.</summary>
    private bool TrySilence(ItemInHand item)
    {
        if (order.Rules.Shaping.HasFlag(ItemShapings.ScheduleAgent) && ItemShaper.Silence(item, AddressesThere) is { } silent)
        {
            item.Shape(ItemShapings.ScheduleAgent, silent);
            return true;
        }
        item.Leave(
            new Fault(Cause.WouldInvite, order.To.Credentials.Account, "the new side would send invitations for it, and has no switch")
        );
        return false;
    }

    /// <summary>A pass was killed while it wrote it, or it was left behind there and is to be tried again.</summary>
    private bool NeedsWriting(ItemInHand item, StoredItem there, ItemReadBack readBack, ItemWriter writer)
    {
        var digest = ItemForm.DigestOf(there.Octets);
        if (item.Item.ToDigest is { } before)
        {
            if (before != digest)
                item.Leave(ItemWriter.Conflict(order), there.Octets);
            item.Replaces = there.Tag;
            return before == digest;
        }
        if (ItemLabel.Of(ItemComponent.Parse(there.Octets)).Uid == item.Label.Uid)
        {
            readBack.Judge(item, there);
            return false;
        }
        item.Item = item.Item with { To = writer.PlaceOf(item, 1) };
        return true;
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

    /// <summary>Of the calendar user; where the service does not tell, the account is taken for the address.</summary>
    private IReadOnlyList<string> AddressesThere => to.Traits.Addresses.Count > 0 ? to.Traits.Addresses : [order.To.Credentials.Account];

    private static LeftBehindItem LeftOf(ItemInHand item) =>
        new(item.Item.Number, item.Fault!, item.Size, item.Label.At ?? DateTimeOffset.UnixEpoch, item.Label.Title, item.Label.Whom);

    private static LedgerEntry EntryOf(CollectionItem item, uint? landed, Outcome outcome, ByteCount size) =>
        new(item.Number, outcome is Outcome.Excluded ? null : landed, outcome, FlagSet.Empty) { Size = size };

    /// <summary>
    /// What its owner deleted on the from side is deleted on the to side, if the rules say so and nobody edited it there.
    /// </summary>
    private async Task FollowGoneAsync(CollectionState place, Plan plan, CancellationToken cancel)
    {
        // A deleted event sends a cancellation, which only the switch can keep the new side from.
        if (order.Deletions is not Deletions.Follow || !plan.IsSilent)
            return;
        foreach (var item in plan.Gone.Where(i => i is { To: not null, ToTag: not null }))
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
