using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Finds messages that came to the new address by themselves, wherever their owner put them there, so that the copy in the old mailbox is
/// not carried beside them. What was seen there once and deleted by its owner is not brought back.
/// </summary>
/// <remarks>
/// Only folders that hold something which the ledger does not account for are looked through, and of these only what came since the move
/// began: a service to which nothing comes by itself costs nothing.
/// </remarks>
internal sealed class Arrivals(ILedger ledger, MailLegOrder order, Tally tally)
{
    /// <summary>An old mailbox's clock and zone may differ from the new one's.</summary>
    private static readonly TimeSpan s_margin = TimeSpan.FromDays(1);

    private List<Arrival> _known = [];

    private SemaphoreSlim One { get; } = new(1);

    private DateTimeOffset Since => order.Began!.Value - s_margin;

    /// <summary>Looks through the folders of the to side that changed since the last look.</summary>
    public async Task LookAsync(
        IMailAccount to,
        IReadOnlyList<FolderState> folders,
        IReadOnlyCollection<LedgerFolder> pages,
        CancellationToken cancel
    )
    {
        _known = [.. await ledger.ArrivalsAsync(cancel)];
        var looked = await ledger.LookedAsync(cancel);
        var landing = pages.Where(p => p.To is not null).ToLookup(p => p.To!);
        var (changed, now) = (new List<Arrival>(), new Dictionary<FolderPath, Membership>());
        foreach (var folder in folders.Where(f => f is { Selectable: true, Cursor: not null }).DistinctBy(f => f.Path))
        {
            var holds = folder.Cursor!.Holds;
            var before = looked.GetValueOrDefault(folder.Path);
            if (holds == before || (before is null && holds.Count == 0))
                continue;
            if (
                await IsAccountedForAsync(landing[folder.Path], holds, before, cancel)
                || await TryLookThroughAsync(to, folder, changed, cancel)
            )
                now[folder.Path] = holds;
        }
        foreach (var lost in looked.Keys.Except(folders.Select(f => f.Path)))
            changed.AddRange(_known.Where(a => a.Place == lost && !a.IsGone).Select(a => a with { IsGone = true }));
        if (changed.Count == 0 && now.Count == 0)
            return;
        await ledger.RecordArrivalsAsync(Relocated(changed), now, cancel);
        _known = [.. await ledger.ArrivalsAsync(cancel)];
    }

    /// <summary>All that the folder holds was carried or paired, or was there before.</summary>
    private async Task<bool> IsAccountedForAsync(
        IEnumerable<LedgerFolder> pages,
        Membership holds,
        Membership? before,
        CancellationToken cancel
    )
    {
        var own = pages.ToList();
        if (own.Count == 0 || own.Exists(p => p.Seen != holds))
            return false;
        if (before is not null)
            return true;
        // Looked through for the first time: what earlier passes saw there and nobody claims may have come by itself.
        foreach (var page in own)
            if ((await ledger.UnclaimedAsync(page.Id, cancel)).Count > 0)
                return false;
        return true;
    }

    /// <summary>A folder that may not be read keeps nobody from being carried; it is tried again by the next pass.</summary>
    private async Task<bool> TryLookThroughAsync(IMailAccount to, FolderState folder, List<Arrival> changed, CancellationToken cancel)
    {
        try
        {
            await LookThroughAsync(to, folder, changed, cancel);
            return true;
        }
        catch (FaultException e) when (e is { Verdict: Verdict.Keep, Fault.Action: not FaultAction.RetryLater })
        {
            return false;
        }
    }

    private async Task LookThroughAsync(IMailAccount to, FolderState folder, List<Arrival> changed, CancellationToken cancel)
    {
        var epoch = folder.Cursor!.Epoch;
        var recent = await to.ListNumbersSinceAsync(folder.Path, Since, cancel);
        var claimed = await ledger.ClaimedAsync(folder.Path, epoch, cancel);
        var own = _known.Where(a => a.Place == folder.Path && !a.IsGone).ToList();
        foreach (var arrival in own)
            if (arrival.Key.Epoch != epoch || !recent.Contains(arrival.Key.Number))
                changed.Add(arrival with { IsGone = true });
            else if (!arrival.IsMatched && (claimed.Live.Contains(arrival.Key.Number) || claimed.Gone.Contains(arrival.Key.Number)))
                changed.Add(arrival with { IsMatched = true });
        var known = new NumberSet(own.Where(a => a.Key.Epoch == epoch).Select(a => a.Key.Number));
        var fresh = recent.Except(known).Except(claimed.Live).Except(claimed.Gone);
        if (fresh.Count > 0)
            await to.ReadHeadersAsync(
                folder.Path,
                fresh,
                h => changed.Add(new Arrival(0, folder.Path, new ItemKey(epoch, h.Number), h.Size, Identity.Of(h.Header), false, false)),
                cancel
            );
    }

    /// <summary>What vanished in one folder and appeared in another was moved by its owner: it is one message, not two.</summary>
    private static List<Arrival> Relocated(List<Arrival> changed)
    {
        var vanished = changed.Where(a => a is { Id: > 0, IsGone: true }).ToList();
        var result = new List<Arrival>();
        foreach (var arrival in changed.Where(a => a is { Id: 0 }))
        {
            var same = vanished.Find(v => v.Print == arrival.Print && v.Size == arrival.Size);
            if (same is not null)
                vanished.Remove(same);
            result.Add(arrival with { Id = same?.Id ?? 0, IsMatched = same?.IsMatched == true });
        }
        return [.. result, .. vanished, .. changed.Where(a => a is { Id: > 0, IsGone: false })];
    }

    /// <summary>Settles those of the messages that came to the new address too; they are taken out of the parts.</summary>
    public async Task MatchAsync(IReadOnlyList<CopyPart> parts, IMailAccount from, IMailAccount to, CancellationToken cancel)
    {
        // Lanes run side by side, and one arrival is one message.
        await One.WaitAsync(cancel);
        try
        {
            if (_known.TrueForAll(a => a.IsMatched))
                return;
            var matched = new List<(CopyPart Part, ItemInfo Item, Arrival Arrival)>();
            foreach (var part in parts)
                await MatchAsync(part, from, to, matched, cancel);
            if (matched.Count == 0)
                return;
            await ledger.RecordMatchesAsync(
                [
                    .. matched
                        .GroupBy(m => m.Part.Page.Id)
                        .Select(own => new PageEntries(own.Key, [.. own.Select(m => EntryOf(m.Part.Page, m.Item, m.Arrival))])),
                ],
                [.. matched.Select(m => m.Arrival.Id)],
                cancel
            );
            var used = matched.Select(m => m.Arrival.Id).ToHashSet();
            _known = _known.ConvertAll(a => used.Contains(a.Id) ? a with { IsMatched = true } : a);
            foreach (var (part, item, _) in matched)
                part.Items.Remove(item.Number);
            tally.Pair(matched.Count);
        }
        finally
        {
            One.Release();
        }
    }

    private static LedgerEntry EntryOf(LedgerFolder page, ItemInfo item, Arrival arrival)
    {
        var isWhereItLands = !arrival.IsGone && arrival.Place == page.To && arrival.Key.Epoch == page.ToEpoch;
        return new LedgerEntry(item.Number, isWhereItLands ? arrival.Key.Number : null, Outcome.Paired, item.Flags) { Size = item.Size };
    }

    private async Task MatchAsync(
        CopyPart part,
        IMailAccount from,
        IMailAccount to,
        List<(CopyPart Part, ItemInfo Item, Arrival Arrival)> matched,
        CancellationToken cancel
    )
    {
        // What is older was in the old mailbox before anything could be forwarded.
        var maybe = part.Items.Values.Where(i => i.Received >= Since).Select(i => i.Number).ToList();
        if (maybe.Count == 0)
            return;
        var prints = new Dictionary<uint, Identity>();
        await from.ReadHeadersAsync(part.Page.From, new NumberSet(maybe), h => prints[h.Number] = Identity.Of(h.Header), cancel);
        var used = matched.Select(m => m.Arrival.Id).ToHashSet();
        foreach (var same in prints.GroupBy(p => p.Value))
        {
            var all = _known.Where(a => a.Print == same.Key).ToList();
            var there = all.Where(a => !a.IsGone && !a.IsMatched && !used.Contains(a.Id)).ToList();
            var here = same.Select(s => part.Items[s.Key]).ToList();
            var pairs = await SameBodyAsync(part, here, there, from, to, cancel);
            matched.AddRange(pairs.Select(m => (part, m.Item, m.Arrival)));
            // Nobody can compare what is gone: it has to be beyond doubt that it was this message, and no other.
            if (
                same.Key.Certain
                && here is [var only]
                && all is [{ IsGone: true, IsMatched: false } gone]
                && only.Size.DistanceTo(gone.Size) <= Pairing.SizeSlack
            )
                matched.Add((part, only, gone));
        }
    }

    /// <summary>Pairs of which the bodies are the same, each message used once.</summary>
    private static async Task<List<(ItemInfo Item, Arrival Arrival)>> SameBodyAsync(
        CopyPart part,
        List<ItemInfo> here,
        List<Arrival> there,
        IMailAccount from,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        var pairs = new List<(ItemInfo, Arrival)>();
        if (there.Count == 0)
            return pairs;
        var bodies = await BodyDigest.ReadAsync(from, part.Page.From, new NumberSet(here.Select(i => i.Number)), cancel);
        var copies = new Dictionary<long, UInt128>();
        foreach (var place in there.GroupBy(a => a.Place))
        {
            var digests = await BodyDigest.ReadAsync(to, place.Key, new NumberSet(place.Select(a => a.Key.Number)), cancel);
            foreach (var arrival in place)
                if (digests.TryGetValue(arrival.Key.Number, out var digest))
                    copies[arrival.Id] = digest;
        }
        foreach (var item in here)
        {
            // Its owner moved it there since the folders were listed: the next pass finds where.
            if (there.Exists(a => !copies.ContainsKey(a.Id)))
                part.Unsure.Add(item.Number);
            if (!bodies.TryGetValue(item.Number, out var body))
                continue;
            var best = there
                .Where(a => copies.TryGetValue(a.Id, out var copy) && copy == body)
                // Where it lands, then the nearest in size.
                .OrderByDescending(a => a.Place == part.Page.To)
                .ThenBy(a => a.Size.DistanceTo(item.Size))
                .FirstOrDefault();
            if (best is null)
                continue;
            there.Remove(best);
            pairs.Add((item, best));
        }
        return pairs;
    }
}
