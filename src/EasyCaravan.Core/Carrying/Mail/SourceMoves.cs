using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// What its owner moved on the from side is moved on the to side as well: copied to its new folder it would be there twice.
/// </summary>
internal sealed class SourceMoves(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    MailLegOrder order,
    bool inSeveralFolders,
    Tally tally,
    Action<string> journal
)
{
    private sealed record Candidate(VanishedEntries From, LedgerEntry Entry, ByteCount Size)
    {
        public bool Equals(Candidate? other) => ReferenceEquals(this, other);

        public override int GetHashCode() => System.Runtime.CompilerServices.RuntimeHelpers.GetHashCode(this);
    }

    public async Task ApplyAsync(List<FolderWork> work, IReadOnlyList<VanishedEntries> vanished, CancellationToken cancel)
    {
        var arrivals = new List<(FolderWork Work, NumberSet Fresh)>();
        foreach (var folder in work.Where(w => w.Landing.To is not null))
        {
            var fresh = await FreshOfAsync(folder, cancel);
            if (fresh.Count > 0)
                arrivals.Add((folder, fresh));
        }
        if (arrivals.Count == 0)
            return;
        var candidates = await ReadCandidatesAsync(vanished, cancel);
        if (candidates.Count == 0)
            return;
        foreach (var (folder, fresh) in arrivals)
            if (candidates.Count > 0)
                await MoveIntoAsync(folder, fresh, candidates, cancel);
    }

    /// <summary>Of a folder that was never complete, all that is not settled.</summary>
    private async Task<NumberSet> FreshOfAsync(FolderWork folder, CancellationToken cancel)
    {
        if (folder.Page?.Cursor is not null)
            return folder.Reopened.Or(folder.Change?.Fresh ?? new NumberSet());
        var present = await from.ListNumbersAsync(folder.Landing.From.Path, cancel);
        return folder.Page is null ? present : present.Except(await ledger.SettledAsync(folder.Page.Id, cancel));
    }

    /// <summary>What vanished, by identity: read from where it landed, as the from side has it no longer.</summary>
    private async Task<Dictionary<Identity, List<Candidate>>> ReadCandidatesAsync(
        IReadOnlyList<VanishedEntries> vanished,
        CancellationToken cancel
    )
    {
        var candidates = new Dictionary<Identity, List<Candidate>>();
        foreach (var folder in vanished)
        {
            var byLanded = folder.Entries.ToDictionary(e => e.Landed!.Value);
            await to.ReadHeadersAsync(
                folder.There,
                new NumberSet(byLanded.Keys),
                header =>
                {
                    if (!byLanded.Remove(header.Number, out var entry))
                        return;
                    var identity = Identity.Of(header.Header);
                    if (!candidates.TryGetValue(identity, out var same))
                        candidates[identity] = same = [];
                    same.Add(new Candidate(folder, entry, header.Size));
                },
                cancel
            );
        }
        return candidates;
    }

    /// <summary>Which of the fresh messages are ones that vanished. Where identity leaves doubt, bodies decide.</summary>
    private async Task<Dictionary<uint, Candidate>> MatchAsync(
        FolderPath path,
        NumberSet fresh,
        Dictionary<Identity, List<Candidate>> candidates,
        CancellationToken cancel
    )
    {
        var arrived = new Dictionary<uint, (Identity Identity, ByteCount Size)>();
        await from.ReadHeadersAsync(
            path,
            fresh,
            header =>
            {
                var identity = Identity.Of(header.Header);
                if (candidates.ContainsKey(identity))
                    arrived[header.Number] = (identity, header.Size);
            },
            cancel
        );
        var matches = new Dictionary<uint, Candidate>();
        var doubtful = new Dictionary<uint, Identity>();
        void Take(uint number, Identity identity, Candidate candidate)
        {
            matches[number] = candidate;
            candidates[identity].Remove(candidate);
            if (candidates[identity].Count == 0)
                candidates.Remove(identity);
        }
        foreach (var same in arrived.GroupBy(a => a.Value.Identity))
        {
            var there = candidates[same.Key];
            if (
                same.Key.Certain
                && there.Count == 1
                && same.Count() == 1
                && there[0].Size.DistanceTo(same.First().Value.Size) <= Pairing.SizeSlack
            )
                Take(same.First().Key, same.Key, there[0]);
            else
                foreach (var one in same)
                    doubtful[one.Key] = same.Key;
        }
        if (doubtful.Count == 0)
            return matches;

        var here = await BodyDigest.ReadAsync(from, path, new NumberSet(doubtful.Keys), cancel);
        var digests = new Dictionary<Candidate, UInt128>();
        foreach (var folder in doubtful.Values.Distinct().SelectMany(i => candidates[i]).GroupBy(c => c.From).ToList())
        {
            var read = await BodyDigest.ReadAsync(to, folder.Key.There, new NumberSet(folder.Select(c => c.Entry.Landed!.Value)), cancel);
            foreach (var candidate in folder.Where(c => read.ContainsKey(c.Entry.Landed!.Value)))
                digests[candidate] = read[candidate.Entry.Landed!.Value];
        }
        foreach (var (number, identity) in doubtful)
        {
            if (!here.TryGetValue(number, out var digest) || !candidates.TryGetValue(identity, out var left))
                continue;
            if (left.Find(c => digests.TryGetValue(c, out var other) && other == digest) is { } match)
                Take(number, identity, match);
        }
        return matches;
    }

    private async Task MoveIntoAsync(
        FolderWork folder,
        NumberSet fresh,
        Dictionary<Identity, List<Candidate>> candidates,
        CancellationToken cancel
    )
    {
        var matches = await MatchAsync(folder.Landing.From.Path, fresh, candidates, cancel);
        if (matches.Count == 0)
            return;

        var (source, target) = (folder.Landing.From, folder.Landing.To!);
        if (folder.There is null)
            await ledger.NoteMadeAsync([.. folder.MissingAbove.Append(target).Select(p => new MadePlace($"{p}", MadeAs.Folder))], cancel);
        var there = folder.There?.Cursor
            ?? (await to.CreateFoldersAsync([new NewFolder(target, source.Use, source.Subscribed)], cancel))[0].Cursor;
        var page = (
            await ledger.OpenAsync(
                [new PageOpening(source.Path, target, source.Cursor!.Epoch, there.Epoch, there.Next) { Found = source.Cursor.Count }],
                cancel
            )
        )[0];
        if (page.FromEpoch != source.Cursor.Epoch || page.ToEpoch != there.Epoch)
            return;
        var flags = (
            await from.ListItemsAsync(source.Path, new NumberSet(matches.Keys), new Dictionary<uint, Fault>(), cancel)
        ).ToDictionary(i => i.Number, i => i.Flags);
        foreach (var origin in matches.GroupBy(m => m.Value.From))
        {
            var landed = origin.ToDictionary(m => m.Value.Entry.Landed!.Value, m => (Fresh: m.Key, m.Value.Entry));
            // Renamed within one place, nothing has to move there.
            var moved = origin.Key.There.Equals(target)
                ? landed.Keys.ToDictionary(n => n)
                : await to.MoveMessagesAsync(origin.Key.There, new NumberSet(landed.Keys), target, cancel);
            if (moved is null)
                return;
            var entries = moved
                .Where(m => landed.ContainsKey(m.Key))
                .Select(m => landed[m.Key].Entry with { Number = landed[m.Key].Fresh, Landed = m.Value })
                .ToList();
            var gone = new NumberSet(moved.Keys.Where(landed.ContainsKey).Select(n => landed[n].Entry.Number));
            if (inSeveralFolders)
                await CopyKeysAsync(origin.Key.Page.Id, page.Id, [.. moved.Keys.Where(landed.ContainsKey).Select(n => landed[n])], cancel);
            await ledger.TransferAsync(origin.Key.Page.Id, gone, page.Id, entries, cancel);
            origin.Key.Entries.RemoveAll(e => gone.Contains(e.Number));
            await CarryFlagsAsync(page, entries, flags, cancel);
            tally.Move(entries.Count);
            journal(
                $"{entries.Count} message(s) that moved from '{origin.Key.Page.From}' to '{source.Path}' on the old side were moved from "
                    + $"'{origin.Key.There}' to '{target}' on the new"
            );
        }
    }

    private async Task CopyKeysAsync(long from, long to, IReadOnlyList<(uint Fresh, LedgerEntry Entry)> moved, CancellationToken cancel)
    {
        var keys = await ledger.KeysAsync(from, new NumberSet(moved.Select(m => m.Entry.Number)), cancel);
        await ledger.RecordKeysAsync(
            to,
            moved.Where(m => keys.ContainsKey(m.Entry.Number)).ToDictionary(m => m.Fresh, m => keys[m.Entry.Number]),
            cancel
        );
    }

    /// <summary>What the owner changed while moving: the marks of the old place and of the new one differ.</summary>
    private async Task CarryFlagsAsync(
        LedgerFolder page,
        List<LedgerEntry> entries,
        Dictionary<uint, FlagSet> flags,
        CancellationToken cancel
    )
    {
        FlagSet Now(LedgerEntry entry) =>
            flags.TryGetValue(entry.Number, out var now)
                ? order.Rules.Mail.DropKeywords
                    ? now.WithoutKeywords()
                    : now
                : entry.Flags;
        foreach (
            var same in entries
                .Where(e => !Now(e).Equals(e.Flags))
                .GroupBy(e => (Add: Now(e).Except(e.Flags), Remove: e.Flags.Except(Now(e))))
        )
        {
            await to.ChangeFlagsAsync(page.To!, new NumberSet(same.Select(e => e.Landed!.Value)), same.Key.Add, same.Key.Remove, cancel);
            await ledger.RecordAsync(page.Id, [.. same.Select(e => e with { Flags = Now(e) })], cancel);
        }
    }
}
