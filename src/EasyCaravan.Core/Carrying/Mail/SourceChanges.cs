using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// What its owner moved or deleted on the from side after it was carried. A moved message is moved on the to side as well: copied to its
/// new folder it would be there twice. A deleted one stays, or is deleted if the route says <c>deletions: follow</c>.
/// </summary>
/// <param name="keyed">Messages may stand in several folders of the from side.</param>
public sealed class SourceChanges(IMailAccount from, IMailAccount to, ILedger ledger, MailLegOrder order, bool keyed, Tally tally, Action<string> journal)
{
    /// <summary>Deletions are followed up to this share of what was carried: a mailbox that is suddenly empty is more likely a mishap than a wish.</summary>
    private const double MostShare = 0.2;

    /// <summary>So few are followed whatever their share.</summary>
    private const int Few = 25;

    /// <summary>Entries that vanished from one folder of the from side, and are still where they landed.</summary>
    /// <param name="Deleted">They may have been deleted by their owner; false where only a rule sends them elsewhere.</param>
    private sealed record Vanished(LedgerFolder Page, FolderPath There, bool Deleted, List<LedgerEntry> Entries);

    private sealed record Candidate(Vanished From, LedgerEntry Entry, long Size)
    {
        public bool Equals(Candidate? other) => ReferenceEquals(this, other);

        public override int GetHashCode() => System.Runtime.CompilerServices.RuntimeHelpers.GetHashCode(this);
    }

    /// <param name="work">Folders that changed; others are added where what happened concerns them.</param>
    /// <param name="unchanged">The others.</param>
    /// <param name="vanishedPages">Pages of folders that are no longer there, or now land elsewhere.</param>
    public async Task ApplyAsync(
        List<FolderWork> work, IReadOnlyList<FolderWork> unchanged, IReadOnlyList<LedgerFolder> vanishedPages, IReadOnlyList<FolderState> fromFolders, IReadOnlyList<FolderState> toFolders, CancellationToken cancel)
    {
        var vanished = await FindVanishedAsync(work, vanishedPages, fromFolders, toFolders, cancel);
        if (vanished.Count == 0) return;
        if (keyed) foreach (var v in vanished) await ReopenTwinsAsync(work, unchanged, v, cancel);
        await MoveAsync(work, vanished, cancel);
        if (order.Rules.Deletions is Deletions.Follow) await DeleteAsync([.. vanished.Where(v => v.Deleted)], cancel);
    }

    private async Task<List<Vanished>> FindVanishedAsync(
        List<FolderWork> work, IReadOnlyList<LedgerFolder> vanishedPages, IReadOnlyList<FolderState> fromFolders, IReadOnlyList<FolderState> toFolders, CancellationToken cancel)
    {
        var there = toFolders.Where(f => f.Cursor is not null).DistinctBy(f => f.Path).ToDictionary(f => f.Path);
        var listed = fromFolders.Select(f => f.Path).ToHashSet();
        var found = new List<Vanished>();
        async Task AddAsync(LedgerFolder page, NumberSet gone, bool deleted)
        {
            if (gone.Count == 0 || page.To is not { } place) return;
            var all = await ledger.FindAsync(page.Id, gone, cancel);
            if (order.Rules.Labels is Labels.OnceWithKeyword) await UnmarkAsync(page, [.. all.Where(e => e is { Landed: null, Outcome: Outcome.Paired })], there, cancel);
            // In another epoch the numbers mean other messages: nothing is touched by them.
            if (there.GetValueOrDefault(place)?.Cursor?.Epoch != page.ToEpoch) return;
            var entries = all.Where(e => e.Landed is not null).ToList();
            if (entries.Count > 0) found.Add(new Vanished(page, place, deleted, entries));
        }
        foreach (var folder in work)
        {
            if (folder.Page is not { } page || folder.Landing.To is null) continue;
            var settled = await ledger.SettledAsync(page.Id, cancel);
            if (folder.Change is { } change) await AddAsync(page, change.GoneOf(settled), true);
            // A pass that was broken off: its owner may have moved messages meanwhile.
            else if (page.Cursor is null && settled.Count > 0 && page.FromEpoch == folder.Landing.From.Cursor?.Epoch) await AddAsync(page, settled.Except(await from.ListNumbersAsync(page.From, cancel)), true);
        }
        foreach (var page in vanishedPages) await AddAsync(page, await ledger.SettledAsync(page.Id, cancel), !listed.Contains(page.From));
        return found;
    }

    /// <summary>A label was taken off messages that stand in another folder: there they lose its keyword.</summary>
    private async Task UnmarkAsync(LedgerFolder page, IReadOnlyList<LedgerEntry> entries, Dictionary<FolderPath, FolderState> there, CancellationToken cancel)
    {
        if (entries.Count == 0) return;
        var keys = await ledger.KeysAsync(page.Id, new NumberSet(entries.Select(e => e.Number)), cancel);
        var epochs = (await ledger.FoldersAsync(cancel)).ToDictionary(p => p.Id, p => p.ToEpoch);
        var twins = (await ledger.FindKeysAsync([.. keys.Values], cancel))
            .Where(t => t.To is not null && t.Entry.Landed is not null && there.GetValueOrDefault(t.To)?.Cursor?.Epoch == epochs[t.Folder]).ToList();
        var keyword = MultiFolderMessages.KeywordFor(page.From);
        foreach (var place in twins.GroupBy(t => t.To!))
            await to.ChangeFlagsAsync(place.Key, new NumberSet(place.Select(t => t.Entry.Landed!.Value).Distinct()), FlagSet.Empty, FlagSet.Of([keyword]), cancel);
        if (twins.Count > 0) journal($"{twins.Count} message(s) that left '{page.From}' on the old side lost the keyword {keyword} on the new");
    }

    /// <summary>Where another folder holds the same message, it is that folder's now: there it counts as fresh, and what landed moves to it.</summary>
    private async Task ReopenTwinsAsync(List<FolderWork> work, IReadOnlyList<FolderWork> unchanged, Vanished vanished, CancellationToken cancel)
    {
        var keys = await ledger.KeysAsync(vanished.Page.Id, new NumberSet(vanished.Entries.Select(e => e.Number)), cancel);
        var gone = vanished.Entries.Select(e => e.Number).ToHashSet();
        var twins = (await ledger.FindKeysAsync([.. keys.Values], cancel))
            .Where(t => t.To is not null && t.Entry.Landed is null && !(t.Folder == vanished.Page.Id && gone.Contains(t.Entry.Number))).DistinctBy(t => t.Key);
        foreach (var page in twins.GroupBy(t => t.Folder))
        {
            var numbers = new NumberSet(page.Select(t => t.Entry.Number));
            await ledger.ReopenAsync(page.Key, numbers, cancel);
            var at = work.FindIndex(w => w.Page?.Id == page.Key);
            if (at >= 0) work[at] = work[at] with { Reopened = work[at].Reopened.Or(numbers) };
            else if (unchanged.FirstOrDefault(w => w.Page?.Id == page.Key) is { } other) work.Add(other with { Reopened = numbers });
        }
    }

    private async Task MoveAsync(List<FolderWork> work, List<Vanished> vanished, CancellationToken cancel)
    {
        var arrivals = new List<(FolderWork Work, NumberSet Fresh)>();
        foreach (var folder in work.Where(w => w.Landing.To is not null))
        {
            var fresh = await FreshOfAsync(folder, cancel);
            if (fresh.Count > 0) arrivals.Add((folder, fresh));
        }
        if (arrivals.Count == 0) return;
        var candidates = await ReadCandidatesAsync(vanished, cancel);
        if (candidates.Count == 0) return;
        foreach (var (folder, fresh) in arrivals)
            if (candidates.Count > 0) await MoveIntoAsync(folder, fresh, candidates, cancel);
    }

    /// <summary>Of a folder that was never complete, all that is not settled.</summary>
    private async Task<NumberSet> FreshOfAsync(FolderWork folder, CancellationToken cancel)
    {
        if (folder.Page?.Cursor is not null) return folder.Reopened.Or(folder.Change?.Fresh ?? new NumberSet());
        var present = await from.ListNumbersAsync(folder.Landing.From.Path, cancel);
        return folder.Page is null ? present : present.Except(await ledger.SettledAsync(folder.Page.Id, cancel));
    }

    /// <summary>What vanished, by identity: read from where it landed, as the from side has it no longer.</summary>
    private async Task<Dictionary<Identity, List<Candidate>>> ReadCandidatesAsync(List<Vanished> vanished, CancellationToken cancel)
    {
        var candidates = new Dictionary<Identity, List<Candidate>>();
        foreach (var folder in vanished)
        {
            var byLanded = folder.Entries.ToDictionary(e => e.Landed!.Value);
            await to.ReadHeadersAsync(folder.There, new NumberSet(byLanded.Keys), header =>
            {
                if (!byLanded.Remove(header.Number, out var entry)) return;
                var identity = Identity.Of(header.Header);
                if (!candidates.TryGetValue(identity, out var same)) candidates[identity] = same = [];
                same.Add(new Candidate(folder, entry, header.Size));
            }, cancel);
        }
        return candidates;
    }

    /// <summary>Which of the fresh messages are ones that vanished. Where identity leaves doubt, bodies decide.</summary>
    private async Task<Dictionary<uint, Candidate>> MatchAsync(FolderPath path, NumberSet fresh, Dictionary<Identity, List<Candidate>> candidates, CancellationToken cancel)
    {
        var arrived = new Dictionary<uint, (Identity Identity, long Size)>();
        await from.ReadHeadersAsync(path, fresh, header =>
        {
            var identity = Identity.Of(header.Header);
            if (candidates.ContainsKey(identity)) arrived[header.Number] = (identity, header.Size);
        }, cancel);
        var matches = new Dictionary<uint, Candidate>();
        var doubtful = new Dictionary<uint, Identity>();
        void Take(uint number, Identity identity, Candidate candidate)
        {
            matches[number] = candidate;
            candidates[identity].Remove(candidate);
            if (candidates[identity].Count == 0) candidates.Remove(identity);
        }
        foreach (var same in arrived.GroupBy(a => a.Value.Identity))
        {
            var there = candidates[same.Key];
            if (same.Key.Certain && there.Count == 1 && same.Count() == 1 && Math.Abs(there[0].Size - same.First().Value.Size) <= Pairing.SizeSlack) Take(same.First().Key, same.Key, there[0]);
            else foreach (var one in same) doubtful[one.Key] = same.Key;
        }
        if (doubtful.Count == 0) return matches;

        var here = await BodyDigest.ReadAsync(from, path, new NumberSet(doubtful.Keys), cancel);
        var digests = new Dictionary<Candidate, UInt128>();
        foreach (var folder in doubtful.Values.Distinct().SelectMany(i => candidates[i]).GroupBy(c => c.From).ToList())
        {
            var read = await BodyDigest.ReadAsync(to, folder.Key.There, new NumberSet(folder.Select(c => c.Entry.Landed!.Value)), cancel);
            foreach (var candidate in folder.Where(c => read.ContainsKey(c.Entry.Landed!.Value))) digests[candidate] = read[candidate.Entry.Landed!.Value];
        }
        foreach (var (number, identity) in doubtful)
        {
            if (!here.TryGetValue(number, out var digest) || !candidates.TryGetValue(identity, out var left)) continue;
            if (left.Find(c => digests.TryGetValue(c, out var other) && other == digest) is { } match) Take(number, identity, match);
        }
        return matches;
    }

    private async Task MoveIntoAsync(FolderWork folder, NumberSet fresh, Dictionary<Identity, List<Candidate>> candidates, CancellationToken cancel)
    {
        var matches = await MatchAsync(folder.Landing.From.Path, fresh, candidates, cancel);
        if (matches.Count == 0) return;

        var (source, target) = (folder.Landing.From, folder.Landing.To!);
        var there = folder.There?.Cursor ?? (await to.CreateFoldersAsync([new NewFolder(target, source.Use, source.Subscribed)], cancel))[0].Cursor;
        var page = (await ledger.OpenAsync([new PageOpening(source.Path, target, source.Cursor!.Epoch, there.Epoch, there.Next) { Found = source.Cursor.Count }], cancel))[0];
        if (page.FromEpoch != source.Cursor.Epoch || page.ToEpoch != there.Epoch) return;
        var flags = (await from.ListItemsAsync(source.Path, new NumberSet(matches.Keys), new Dictionary<uint, Pacing.Fault>(), cancel)).ToDictionary(i => i.Number, i => i.Flags);
        foreach (var origin in matches.GroupBy(m => m.Value.From))
        {
            var landed = origin.ToDictionary(m => m.Value.Entry.Landed!.Value, m => (Fresh: m.Key, m.Value.Entry));
            // Renamed within one place, nothing has to move there.
            var moved = origin.Key.There.Equals(target) ? landed.Keys.ToDictionary(n => n) : await to.MoveMessagesAsync(origin.Key.There, new NumberSet(landed.Keys), target, cancel);
            if (moved is null) return;
            var entries = moved.Where(m => landed.ContainsKey(m.Key)).Select(m => landed[m.Key].Entry with { Number = landed[m.Key].Fresh, Landed = m.Value }).ToList();
            var gone = new NumberSet(moved.Keys.Where(landed.ContainsKey).Select(n => landed[n].Entry.Number));
            if (keyed) await CopyKeysAsync(origin.Key.Page.Id, page.Id, [.. moved.Keys.Where(landed.ContainsKey).Select(n => landed[n])], cancel);
            await ledger.TransferAsync(origin.Key.Page.Id, gone, page.Id, entries, cancel);
            origin.Key.Entries.RemoveAll(e => gone.Contains(e.Number));
            await CarryFlagsAsync(page, entries, flags, cancel);
            tally.Move(entries.Count);
            journal($"{entries.Count} message(s) that moved from '{origin.Key.Page.From}' to '{source.Path}' on the old side were moved from '{origin.Key.There}' to '{target}' on the new");
        }
    }

    private async Task CopyKeysAsync(long from, long to, IReadOnlyList<(uint Fresh, LedgerEntry Entry)> moved, CancellationToken cancel)
    {
        var keys = await ledger.KeysAsync(from, new NumberSet(moved.Select(m => m.Entry.Number)), cancel);
        await ledger.RecordKeysAsync(to, moved.Where(m => keys.ContainsKey(m.Entry.Number)).ToDictionary(m => m.Fresh, m => keys[m.Entry.Number]), cancel);
    }

    /// <summary>What the owner changed while moving: the marks of the old place and of the new one differ.</summary>
    private async Task CarryFlagsAsync(LedgerFolder page, List<LedgerEntry> entries, Dictionary<uint, FlagSet> flags, CancellationToken cancel)
    {
        FlagSet Now(LedgerEntry entry) => flags.TryGetValue(entry.Number, out var now) ? order.Rules.Mail.DropKeywords ? now.WithoutKeywords() : now : entry.Flags;
        foreach (var same in entries.Where(e => !Now(e).Equals(e.Flags)).GroupBy(e => (Add: Now(e).Except(e.Flags), Remove: e.Flags.Except(Now(e)))))
        {
            await to.ChangeFlagsAsync(page.To!, new NumberSet(same.Select(e => e.Landed!.Value)), same.Key.Add, same.Key.Remove, cancel);
            await ledger.RecordAsync(page.Id, [.. same.Select(e => e with { Flags = Now(e) })], cancel);
        }
    }

    private async Task DeleteAsync(List<Vanished> vanished, CancellationToken cancel)
    {
        // What was on the new side before the move is not ours to delete.
        var ours = vanished.Select(v => v with { Entries = [.. v.Entries.Where(e => e.Outcome is Outcome.Carried)] }).Where(v => v.Entries.Count > 0).ToList();
        var many = ours.Sum(v => v.Entries.Count);
        if (many == 0) return;
        var carried = (await ledger.FoldersAsync(cancel)).Sum(p => p.Counts.Carried);
        if (many > Few && many > carried * MostShare)
        {
            journal($"{many} of {carried} carried messages vanished from the old side at once; that is more than a fifth, so they are kept on the new side although the route says deletions: follow");
            return;
        }
        foreach (var folder in ours)
        {
            if (!await to.RemoveMessagesAsync(folder.There, new NumberSet(folder.Entries.Select(e => e.Landed!.Value)), cancel))
            {
                journal("the new side cannot delete single messages (no UIDPLUS): what was deleted on the old side stays there");
                return;
            }
            await ledger.MarkGoneAsync(folder.Page.Id, new NumberSet(folder.Entries.Select(e => e.Number)), cancel);
            tally.Remove(folder.Entries.Count);
            journal($"{folder.Entries.Count} message(s) that were deleted in '{folder.Page.From}' on the old side were deleted in '{folder.There}' on the new");
        }
    }
}
