using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Compares the folders of the to side with what the ledger says is in them: what is missing, and what stands there twice. Only folders
/// whose messages changed since the last look are listed, so the cost follows the change.
/// </summary>
/// <param name="goneMatter">Messages that left the from side are looked for too: there is no other copy of them.</param>
internal sealed class DestinationCheck(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    bool goneMatter,
    Tally tally,
    Action<string> journal
)
{
    /// <summary>
    /// Its owner works on the new side already: what was seen there and is no longer was deleted or moved by them, and is not lost.
    /// </summary>
    public bool IsForwarded { get; init; }

    /// <summary>A folder of the to side, the pages that land in it, and what it holds.</summary>
    private sealed record Place(FolderPath Path, IReadOnlyList<LedgerFolder> Pages, Membership Seen, NumberSet Numbers)
    {
        public List<LandedEntry> Missing { get; } = [];

        public List<UnclaimedMessage> Surplus { get; set; } = [];

        public List<Difference> Found { get; } = [];

        public IReadOnlyList<LandedEntry> Landed { get; set; } = [];

        /// <summary>Something in it could not be read, as on a server whose storage is being repaired: it is looked at again.</summary>
        public bool IsUnread { get; set; }
    }

    /// <summary>A missing message as the from side shows it.</summary>
    private sealed record Original(
        Place Place,
        LandedEntry Entry,
        UnclaimedMessage? Header,
        string Subject,
        string Sender,
        DateTimeOffset? Received
    );

    /// <summary>Looks at the places of pages whose folder on the to side is not as it was at the last look.</summary>
    public async Task CheckAsync(IEnumerable<LedgerFolder> pages, IReadOnlyList<FolderState> toFolders, CancellationToken cancel)
    {
        var places = await ListChangedAsync(pages, toFolders, cancel);
        if (places.Count == 0)
            return;
        foreach (var place in places)
            await SortAsync(place, cancel);
        await ReadSurplusAsync(places, cancel);
        var originals = await ReadOriginalsAsync(places, cancel);
        await FindMovedAsync(places, originals, cancel);
        foreach (var place in places)
            await FindTwiceAsync(place, cancel);
        await RecordAsync(places, originals, cancel);
    }

    private async Task<List<Place>> ListChangedAsync(
        IEnumerable<LedgerFolder> pages,
        IReadOnlyList<FolderState> toFolders,
        CancellationToken cancel
    )
    {
        var there = toFolders.Where(f => f.Cursor is not null).DistinctBy(f => f.Path).ToDictionary(f => f.Path, f => f.Cursor!);
        var changed = pages
            .Where(p => p.To is not null && there.TryGetValue(p.To, out var cursor) && p.ToEpoch == cursor.Epoch)
            .GroupBy(p => p.To!)
            // If the server lost UIDs, its messages have to be matched again by identity first.
            .Where(g => g.Any(p => p.Seen != there[g.Key].Holds) && !g.Any(p => there[g.Key].Next < p.Seen?.Next))
            .ToList();
        if (changed.Count == 0)
            return [];
        var seen = await to.VisitAsync([.. changed.Select(g => new FolderVisit(g.Key, List: true))], cancel);
        var places = new List<Place>();
        foreach (var (group, look) in changed.Zip(seen))
        {
            // What cannot be listed now is looked at again by the next pass.
            if (look.Numbers is not { } numbers)
                continue;
            var cursor = there[group.Key];
            var next = numbers.Count == 0 ? cursor.Next : Math.Max(cursor.Next, numbers.Ranges[^1].Last + 1);
            places.Add(new Place(group.Key, [.. group], new Membership(cursor.Epoch, next, (uint)numbers.Count), numbers));
        }
        return places;
    }

    /// <summary>Finds entries whose message is missing, and messages that no entry claims.</summary>
    private async Task SortAsync(Place place, CancellationToken cancel)
    {
        place.Landed = await ledger.LandedAsync(place.Path, place.Seen.Epoch, cancel);
        place.Missing.AddRange(place.Landed.Where(e => (goneMatter || !e.Gone) && !place.Numbers.Contains(e.Landed)));
        var unclaimed = place.Numbers.Except(new NumberSet(place.Landed.Select(e => e.Landed)));
        // Messages that were in the folder before the move began are not ours.
        unclaimed = unclaimed.From(place.Pages.Min(p => p.ToBaseNext));
        var known = new Dictionary<uint, UnclaimedMessage>();
        foreach (var page in place.Pages)
        foreach (var stranger in await ledger.UnclaimedAsync(page.Id, cancel))
            known.TryAdd(stranger.Number, stranger);
        foreach (var number in unclaimed)
        {
            // A message that an earlier look has identified is not read again, unless this is the first look.
            if (!known.TryGetValue(number, out var stranger))
                place.Surplus.Add(new UnclaimedMessage(number, ByteCount.Zero, default));
            else if (place.Pages.Any(p => p.Seen is null))
                place.Surplus.Add(stranger);
        }
    }

    /// <summary>Size and identity of what nobody claims.</summary>
    private async Task ReadSurplusAsync(List<Place> places, CancellationToken cancel)
    {
        var asked = places.Where(p => p.Surplus.Exists(s => s.Size == ByteCount.Zero)).ToList();
        if (asked.Count == 0)
            return;
        var read = asked.Select(p => p.Surplus.Where(s => s.Size > ByteCount.Zero).ToDictionary(s => s.Number)).ToList();
        await to.ReadHeadersAsync(
            [.. asked.Select(p => (p.Path, new NumberSet(p.Surplus.Where(s => s.Size == ByteCount.Zero).Select(s => s.Number))))],
            (i, header) => read[i][header.Number] = new UnclaimedMessage(header.Number, header.Size, Identity.Of(header.Header)),
            cancel
        );
        for (var i = 0; i < asked.Count; i++)
        {
            asked[i].IsUnread |= read[i].Count < asked[i].Surplus.Count;
            asked[i].Surplus = [.. read[i].Values.OrderBy(s => s.Number)];
        }
    }

    /// <summary>What is missing is described from the from side, where it still stands.</summary>
    private async Task<List<Original>> ReadOriginalsAsync(List<Place> places, CancellationToken cancel)
    {
        var originals = new List<Original>();
        foreach (var place in places.Where(p => p.Missing.Count > 0))
        {
            foreach (var same in place.Missing.GroupBy(e => e.Folder))
            {
                var page = place.Pages.FirstOrDefault(p => p.Id == same.Key);
                var numbers = new NumberSet(same.Where(e => !e.Gone).Select(e => e.Number));
                var headers = new Dictionary<uint, (UnclaimedMessage Header, string Subject, string Sender)>();
                var received = new Dictionary<uint, DateTimeOffset>();
                if (page is not null && numbers.Count > 0)
                    await ReadOriginalsAsync(page, numbers, headers, received, cancel);
                foreach (var entry in same)
                {
                    UnclaimedMessage? header = headers.TryGetValue(entry.Number, out var known) ? known.Header : null;
                    originals.Add(
                        new Original(
                            place,
                            entry,
                            header,
                            known.Subject ?? "",
                            known.Sender ?? "",
                            received.TryGetValue(entry.Number, out var at) ? at : null
                        )
                    );
                }
            }
        }
        return originals;
    }

    private async Task ReadOriginalsAsync(
        LedgerFolder page,
        NumberSet numbers,
        Dictionary<uint, (UnclaimedMessage Header, string Subject, string Sender)> headers,
        Dictionary<uint, DateTimeOffset> received,
        CancellationToken cancel
    )
    {
        try
        {
            await from.ReadHeadersAsync(
                page.From,
                numbers,
                h =>
                {
                    var (subject, sender) = MessageLabel.Read(h.Header);
                    headers[h.Number] = (new UnclaimedMessage(h.Number, h.Size, Identity.Of(h.Header)), subject, sender);
                },
                cancel
            );
            foreach (var item in await from.ListItemsAsync(page.From, numbers, new Dictionary<uint, Pacing.Fault>(), cancel))
                received[item.Number] = item.Received;
        }
        catch (Pacing.FaultException e) when (e.Verdict is Pacing.Verdict.Keep)
        {
            // The folder is no longer on the old side either: then nobody can describe them.
        }
    }

    /// <summary>
    /// A message that vanished from one folder and came into another, or came back, was moved by its owner. It is not lost. Where it is
    /// back in its own folder, the ledger points to it again.
    /// </summary>
    private async Task FindMovedAsync(List<Place> places, List<Original> originals, CancellationToken cancel)
    {
        if (originals.Count == 0)
            return;
        var arrived = places
            .SelectMany(p => p.Surplus.Select(s => (Place: p, UnclaimedMessage: s)))
            .ToLookup(s => s.UnclaimedMessage.Print);
        var maybe = originals
            .Where(o => o.Header is not null)
            .Select(o =>
                (
                    Original: o,
                    Candidates: arrived[o.Header!.Value.Print]
                        .Where(c => c.UnclaimedMessage.Size.DistanceTo(o.Header.Value.Size) <= Pairing.SizeSlack)
                        .OrderByDescending(c => ReferenceEquals(c.Place, o.Place))
                        .ToList()
                )
            )
            .Where(m => m.Candidates.Count > 0)
            .ToList();
        var bodies = await ReadBodiesAsync(
            maybe.Select(m =>
                (m.Original.Entry.Folder, m.Original.Place.Pages.First(p => p.Id == m.Original.Entry.Folder).From, m.Original.Entry.Number)
            ),
            from,
            cancel
        );
        var copies = await ReadBodiesAsync(
            maybe.SelectMany(m => m.Candidates.Select(c => (c.Place, c.Place.Path, c.UnclaimedMessage.Number))),
            to,
            cancel
        );
        var taken = new HashSet<(Place, uint)>();
        foreach (var (original, candidates) in maybe)
        {
            var body = bodies.GetValueOrDefault((original.Entry.Folder, original.Entry.Number));
            foreach (var (place, stranger) in candidates)
            {
                if (
                    taken.Contains((place, stranger.Number))
                    || !copies.TryGetValue((place, stranger.Number), out var digest)
                    || digest != body
                )
                    continue;
                taken.Add((place, stranger.Number));
                originals.Remove(original);
                place.Surplus.Remove(stranger);
                if (ReferenceEquals(place, original.Place))
                    await ReclaimAsync(original.Entry, stranger.Number, cancel);
                else
                    original.Place.Found.Add(
                        Describe(original, DifferenceKind.Moved, $"its owner moved it to '{place.Path}' on the new side")
                    );
                break;
            }
        }
    }

    /// <summary>Digests of bodies, each folder read once.</summary>
    private static async Task<Dictionary<(T Key, uint Number), UInt128>> ReadBodiesAsync<T>(
        IEnumerable<(T Key, FolderPath Path, uint Number)> wanted,
        IMailAccount account,
        CancellationToken cancel
    )
        where T : notnull
    {
        var bodies = new Dictionary<(T, uint), UInt128>();
        foreach (var folder in wanted.GroupBy(w => (w.Key, w.Path)))
        foreach (
            var (number, digest) in await BodyDigest.ReadAsync(
                account,
                folder.Key.Path,
                new NumberSet(folder.Select(w => w.Number).Distinct()),
                cancel
            )
        )
            bodies[(folder.Key.Key, number)] = digest;
        return bodies;
    }

    private async Task ReclaimAsync(LandedEntry entry, uint number, CancellationToken cancel)
    {
        if (await ledger.FindAsync(entry.Folder, new NumberSet([entry.Number]), cancel) is [var known, ..])
            await ledger.RecordAsync(entry.Folder, [known with { Landed = number }], cancel);
    }

    /// <summary>
    /// Among the unclaimed messages, find second copies of carried ones. A copy counts if all its octets are the same, or if it is a torn
    /// copy; equal headers are not enough.
    /// </summary>
    private async Task FindTwiceAsync(Place place, CancellationToken cancel)
    {
        if (place.Surplus.Count == 0)
            return;
        var present = place.Landed.Where(e => place.Numbers.Contains(e.Landed)).ToList();
        var near = new NumberSet(
            place.Surplus.SelectMany(s => present.Where(e => IsNear(e.Size, s.Size))).Select(e => e.Landed).Distinct()
        );
        var twins = new Dictionary<Identity, List<uint>>();
        if (near.Count > 0)
        {
            await to.ReadHeadersAsync(
                place.Path,
                near,
                h =>
                {
                    foreach (var print in Identity.WithOneFieldLess(h.Header).Prepend(Identity.Of(h.Header)))
                    {
                        if (!twins.TryGetValue(print, out var same))
                            twins[print] = same = [];
                        same.Add(h.Number);
                    }
                },
                cancel
            );
        }
        var alike = place.Surplus.Where(s => twins.ContainsKey(s.Print)).ToList();
        if (alike.Count == 0)
            return;
        var compared = await SecondCopies.CompareAsync(
            to,
            place.Path,
            [.. alike.SelectMany(s => twins[s.Print].Select(twin => (twin, s.Number)))],
            cancel
        );
        var byLanded = present.ToLookup(e => e.Landed);
        var seconds = new List<(LandedEntry Twin, UnclaimedMessage Second, SecondCopy How)>();
        foreach (var second in alike)
        {
            var found = twins[second.Print]
                .Select(twin => (Twin: twin, How: compared[(twin, second.Number)]))
                .Where(c => c.How is not SecondCopy.None)
                .OrderBy(c => c.How)
                .ToList();
            if (found is not [var (twin, how), ..])
                continue;
            // It is reported, so it must not be remembered as somebody else's. What could not be compared is looked at again.
            place.Surplus.Remove(second);
            place.IsUnread |= how is SecondCopy.Unknown;
            seconds.Add((byLanded[twin].First(), second, how));
        }
        if (seconds.Count > 0)
            place.Found.AddRange(await DescribeSecondsAsync(place, seconds, cancel));
    }

    /// <summary>Sizes of one message on two services differ by what storing changes: a carriage return for each line at most.</summary>
    private static bool IsNear(ByteCount carried, ByteCount there) =>
        carried == ByteCount.Zero || carried.DistanceTo(there).Count <= 64 + (Math.Max(carried.Count, there.Count) / 32);

    private async Task<IEnumerable<Difference>> DescribeSecondsAsync(
        Place place,
        List<(LandedEntry Twin, UnclaimedMessage Second, SecondCopy How)> seconds,
        CancellationToken cancel
    )
    {
        var numbers = new NumberSet(seconds.Select(s => s.Second.Number));
        var labels = new Dictionary<uint, (string Subject, string Sender)>();
        await to.ReadHeadersAsync(place.Path, numbers, h => labels[h.Number] = MessageLabel.Read(h.Header), cancel);
        var items = (await to.ListItemsAsync(place.Path, numbers, new Dictionary<uint, Pacing.Fault>(), cancel)).ToDictionary(i =>
            i.Number
        );
        return seconds.Select(s =>
        {
            var (subject, sender) = labels.GetValueOrDefault(s.Second.Number, ("", ""));
            var there = $"stands in '{place.Path}' on the new side";
            var what = s.How switch
            {
                SecondCopy.Whole => $"a second copy of it {there}",
                SecondCopy.Torn => $"a damaged second copy of it {there}, cut short or with octets before its head or after its end",
                _ => $"what may be a second copy of it {there}: its server does not give it out, so that it could not be compared",
            };
            var received = items.GetValueOrDefault(s.Second.Number)?.Received;
            return new Difference(
                s.Twin.Folder,
                s.Twin.Number,
                s.Second.Number,
                DifferenceKind.Twice,
                what,
                s.Second.Size,
                received,
                subject,
                sender
            );
        });
    }

    private static Difference Describe(Original original, DifferenceKind kind, string what) =>
        new(
            original.Entry.Folder,
            original.Entry.Number,
            original.Entry.Landed,
            kind,
            what,
            original.Entry.Size,
            original.Received,
            original.Subject,
            original.Sender
        );

    private async Task RecordAsync(List<Place> places, List<Original> originals, CancellationToken cancel)
    {
        var known = (await ledger.DifferencesAsync(cancel))
            .Select(d => (d.Difference.Folder, d.Difference.Kind, d.Difference.Number, d.Difference.Landed))
            .ToHashSet();
        foreach (var original in originals)
        {
            var entry = original.Entry;
            var wasSeen =
                IsForwarded
                && !known.Contains((entry.Folder, DifferenceKind.Missing, entry.Number, entry.Landed))
                && original.Place.Pages.All(p => p.Seen is not null);
            original.Place.Found.Add(
                Describe(
                    original,
                    wasSeen ? DifferenceKind.Removed : DifferenceKind.Missing,
                    wasSeen
                        ? $"it was in '{original.Place.Path}' on the new side, and its owner deleted or moved it since"
                        : $"it is no longer in '{original.Place.Path}' on the new side: somebody there deleted or moved it"
                )
            );
        }
        foreach (var place in places)
        {
            // Somebody else's: remembered, so that the next look need not read it again.
            await ledger.KeepUnclaimedAsync(place.Pages[0].Id, place.Surplus, new NumberSet(), cancel);
            var fresh = place.Found.Where(f => !known.Contains((f.Folder, f.Kind, f.Number, f.Landed))).ToLookup(f => f.Kind);
            if (fresh[DifferenceKind.Missing].Count() is > 0 and var missing)
                journal(
                    $"{missing} message(s) that landed in '{place.Path}' are no longer there; somebody on the new side deleted or moved "
                        + "them"
                );
            if (fresh[DifferenceKind.Moved].Count() is > 0 and var moved)
                journal($"{moved} message(s) that landed in '{place.Path}' were moved to another folder by their owner on the new side");
            if (fresh[DifferenceKind.Twice].Count() is > 0 and var twice)
                journal($"{twice} message(s) stand twice in '{place.Path}' on the new side, or may do so");
            tally.Differ(fresh.Sum(g => g.Count(f => Difference.NeedsDecision(f.Kind))));
        }
        var looks = places.SelectMany(p =>
            p.Pages.Select(page => new PageLook(page.Id, p.IsUnread ? null : p.Seen, [.. p.Found.Where(f => f.Folder == page.Id)]))
        );
        await ledger.RecordLooksAsync([.. looks], cancel);
    }

    /// <summary>
    /// A message that its owner has deleted or moved on the from side meanwhile need not be on the to side, so no decision is asked for.
    /// </summary>
    public async Task DropGoneAsync(CancellationToken cancel)
    {
        if (goneMatter)
            return;
        var missing = (await ledger.DifferencesAsync(cancel))
            .Where(d => d.Difference.Kind is DifferenceKind.Missing or DifferenceKind.Altered)
            .ToList();
        foreach (var page in missing.GroupBy(d => d.Difference.Folder))
        {
            var there = (await ledger.FindAsync(page.Key, new NumberSet(page.Select(d => d.Difference.Number).Distinct()), cancel))
                .Select(e => e.Number)
                .ToHashSet();
            var gone = page.Where(d => !there.Contains(d.Difference.Number)).Select(d => d.Id).ToList();
            if (gone.Count > 0)
                await ledger.RemoveDifferencesAsync(gone, cancel);
        }
    }

    /// <summary>Removes second copies that a person asked to be removed, each compared with the first copy once more.</summary>
    public async Task RemoveAskedAsync(IReadOnlyList<LedgerFolder> pages, CancellationToken cancel)
    {
        var asked = (await ledger.DifferencesAsync(cancel)).Where(d => d.State is DifferenceState.Remove).ToList();
        foreach (var group in asked.GroupBy(d => d.Difference.Folder))
        {
            if (pages.FirstOrDefault(p => p.Id == group.Key) is not { To: { } path } page)
                continue;
            var first = (await ledger.FindAsync(page.Id, new NumberSet(group.Select(d => d.Difference.Number).Distinct()), cancel))
                .Where(e => e.Landed is not null)
                .ToDictionary(e => e.Number, e => e.Landed!.Value);
            var pairs = group
                .Where(d => first.TryGetValue(d.Difference.Number, out var kept) && kept != d.Difference.Landed)
                .ToDictionary(d => d.Id, d => (first[d.Difference.Number], d.Difference.Landed));
            var compared = await SecondCopies.CompareAsync(to, path, [.. pairs.Values.Distinct()], cancel);
            var same = group
                .Where(d => pairs.TryGetValue(d.Id, out var pair) && compared[pair] is SecondCopy.Whole or SecondCopy.Torn)
                .ToList();
            if (same.Count > 0 && !await to.RemoveMessagesAsync(path, new NumberSet(same.Select(d => d.Difference.Landed)), cancel))
            {
                journal("the new side cannot delete single messages (no UIDPLUS): second copies stay there");
                return;
            }
            await ledger.RemoveDifferencesAsync([.. group.Select(d => d.Id)], cancel);
            tally.Remove(same.Count);
            if (same.Count > 0)
                journal($"{same.Count} second copy(ies) in '{path}' on the new side were compared with the first once more and removed");
            if (group.Count() > same.Count)
                journal(
                    $"{group.Count() - same.Count} second copy(ies) in '{path}' were not removed: the first copy is not there any more, "
                        + "is not the same, or could not be compared"
                );
        }
    }
}
