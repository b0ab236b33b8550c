using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying;

/// <summary>Carries the mail of one folder after another over one pair of sessions.</summary>
/// <param name="elsewhere">Knows what stands in other folders of the from side too; null where that does not matter.</param>
public sealed class MailCarrier(IMailAccount from, IMailAccount to, ILedger ledger, PassOrder order, Elsewhere? elsewhere, Tally tally, Action<string> journal)
{
    /// <summary>Messages whose index is held at a time: a folder of a million is walked in such steps.</summary>
    private const int Slice = 10_000;

    /// <summary>Entries in one change of flags.</summary>
    private const int FlagBatch = 500;

    private readonly MessageCopier _copier = new(from, to, ledger, order, tally, journal);

    public async Task CarryAsync(FolderWork work, CancellationToken cancel)
    {
        await CarryFolderAsync(work, cancel);
        // What the first one added was not there when the pass began.
        foreach (var merged in work.Merged) await CarryFolderAsync(merged with { NumbersThere = null }, cancel);
    }

    private async Task CarryFolderAsync(FolderWork work, CancellationToken cancel)
    {
        var (source, target) = (work.Landing.From, work.Landing.To);
        var cursor = source.Cursor ?? throw new FaultException(
            new Fault(Cause.ProtocolBroken, order.From.Credentials.Account, $"the old side does not tell the state of folder '{source.Path}'"), Verdict.Keep);
        tally.Folder = source.Path.ToString();
        if (target is null)
        {
            await ExcludeFolderAsync(work, cursor, cancel);
            return;
        }

        var there = work.There?.Cursor ?? await to.CreateFolderAsync(target, source.Use, source.Subscribed, cancel);
        var page = await OpenPageAsync(work.Landing, cursor, there, cancel);
        var settled = await ledger.SettledAsync(page.Id, cancel);
        // What was asked before the page was opened holds only as long as nothing was numbered anew.
        var change = page.Cursor is null || page.Reopened ? null : work.Change;
        var (present, fresh) = await LookAsync(source.Path, settled, change, cancel);
        if (present is not null) change = null;
        await ledger.MarkGoneAsync(page.Id, present is null ? change!.GoneOf(settled) : settled.Except(present), cancel);

        tally.Expect(fresh.Count - work.Estimate);
        var (digest, missing) = (change?.Digest, default(long?));
        long gone = 0;
        if (fresh.Count > 0 || change is null)
        {
            var numbersThere = work.NumbersThere ?? await to.ListNumbersAsync(target, cancel);
            missing = await CountMissingAsync(target, numbersThere, cancel);
            gone = await SettleAsync(page, Elsewhere.IsView(source), fresh, change?.Items ?? [], numbersThere, cancel);
        }
        var found = (present?.Count ?? change!.Count) - gone;
        if (page.Cursor is { } since)
        {
            change ??= (await from.ReadChangesAsync([new ChangeQuery(source.Path, since, cursor)], cancel))[0];
            digest = change?.Digest;
            if (change is not null) await CarryFlagsAsync(page, change.Flags, cancel);
        }
        await ledger.CompleteAsync(page.Id, cursor.Mark is null ? cursor with { Mark = digest } : cursor, found, missing, cancel);
    }

    /// <summary>What is to be settled: as the change tells it, or, where its sums do not come out even, by a list of all that is there.</summary>
    private async Task<(NumberSet? Present, NumberSet Fresh)> LookAsync(FolderPath path, NumberSet settled, FolderChange? change, CancellationToken cancel)
    {
        if (change is not null && change.Count == settled.Except(change.GoneOf(settled)).Or(change.Fresh).Count) return (null, change.Fresh.Except(settled));
        var present = await from.ListNumbersAsync(path, cancel);
        return (present, present.Except(settled));
    }

    private async Task<long> CountMissingAsync(FolderPath target, NumberSet there, CancellationToken cancel)
    {
        var missing = (await ledger.ClaimedAsync(target, andGone: false, cancel)).Except(there).Count;
        if (missing > 0) journal($"{missing} message(s) that landed in '{target}' are no longer there; somebody on the new side deleted or moved them");
        return missing;
    }

    /// <summary>The folder stays behind by a rule: each of its messages is excluded under that name.</summary>
    private async Task ExcludeFolderAsync(FolderWork work, FolderCursor cursor, CancellationToken cancel)
    {
        var landing = work.Landing;
        var page = await ledger.OpenFolderAsync(landing.From.Path, null, cursor.Epoch, null, 0, cancel);
        if (page.FromEpoch != cursor.Epoch) await ledger.ForgetEntriesAsync(page.Id, cursor.Epoch, null, cancel);
        if (await TryListAsync(landing.From.Path, cancel) is not { } present)
        {
            journal($"folder '{landing.From.Path}' stays behind by {landing.Rule} and may not be read: what it holds is not counted");
            await ledger.CompleteAsync(page.Id, cursor, 0, 0, cancel);
            return;
        }
        var settled = await ledger.SettledAsync(page.Id, cancel);
        await ledger.MarkGoneAsync(page.Id, settled.Except(present), cancel);
        var fresh = present.Except(settled);
        tally.Expect(fresh.Count - work.Estimate);
        foreach (var slice in fresh.Slices(Slice))
        {
            await ledger.RecordAsync(page.Id, [.. slice.Select(n => new LedgerEntry(n, null, Outcome.Excluded, FlagSet.Empty))], cancel);
            tally.Exclude(slice.Count);
        }
        await ledger.CompleteAsync(page.Id, cursor, present.Count, 0, cancel);
    }

    /// <summary>Null where the account may not read the folder.</summary>
    private async Task<NumberSet?> TryListAsync(FolderPath path, CancellationToken cancel)
    {
        try
        {
            return await from.ListNumbersAsync(path, cancel);
        }
        catch (FaultException e) when (e is { Verdict: Verdict.Keep, Fault.Cause: Cause.NotPermitted })
        {
            return null;
        }
    }

    /// <summary>Opens the ledger's page, and starts it anew where either side has numbered its messages anew.</summary>
    private async Task<LedgerFolder> OpenPageAsync(FolderLanding landing, FolderCursor cursor, FolderCursor there, CancellationToken cancel)
    {
        var page = await ledger.OpenFolderAsync(landing.From.Path, landing.To, cursor.Epoch, there.Epoch, there.Next, cancel);
        if (page.FromEpoch == cursor.Epoch && page.ToEpoch == there.Epoch) return page;
        var side = page.FromEpoch == cursor.Epoch ? "new" : "old";
        journal($"the {side} side numbered the messages of '{landing.From.Path}' anew; they are matched again by identity");
        await ledger.ForgetEntriesAsync(page.Id, cursor.Epoch, there.Epoch, cancel);
        // Whatever is there may be what we carried under the old numbers, so all of it is looked at, whatever the rule on doubles says.
        return page with { FromEpoch = cursor.Epoch, ToEpoch = there.Epoch, ToBaseNext = 0, Cursor = null };
    }

    /// <summary>Gives every fresh message its outcome. Returns how many were deleted on the from side meanwhile.</summary>
    /// <param name="known">What the index says of some of them.</param>
    /// <param name="there">What the folder on the to side holds.</param>
    private async Task<long> SettleAsync(LedgerFolder page, bool isView, NumberSet fresh, IReadOnlyList<ItemInfo> known, NumberSet there, CancellationToken cancel)
    {
        if (fresh.Count == 0) return 0;
        var pairing = await PrepareAsync(page, there, cancel);
        long gone = 0;
        foreach (var slice in fresh.Slices(Slice))
        {
            var unreadable = new Dictionary<uint, Fault>();
            IReadOnlyList<ItemInfo> index = [.. known.Where(i => slice.Contains(i.Number))];
            if (index.Count < slice.Count) index = await from.ListItemsAsync(page.From, slice, unreadable, cancel);
            var items = index.ToDictionary(i => i.Number, i => i with { Flags = Kept(i.Flags) });
            await LeaveUnreadableAsync(page, unreadable, cancel);
            var absent = slice.Except(new NumberSet(items.Keys.Concat(unreadable.Keys)));
            await ExcludeAsync(page, items, cancel);
            if (elsewhere is not null) await elsewhere.SettleAsync(page, items, from, to, isView, cancel);
            await PairAsync(page, pairing, items, cancel);
            await LeaveTooLargeAsync(page, items, cancel);
            var held = HoldBack(items);
            var (lost, unconfirmed) = await _copier.CopyAsync(page, items, cancel);
            gone += await ConfirmGoneAsync(page, absent.Or(lost), cancel);
            await FindUnconfirmedAsync(page, unconfirmed, cancel);
            if (held) order.Allowance.End();
        }
        await pairing.KeepLeftAsync(ledger, cancel);
        return gone;
    }

    /// <summary>A message that was listed and did not come was deleted meanwhile, or the server hides it: then it is left behind, never just skipped.</summary>
    private async Task<long> ConfirmGoneAsync(LedgerFolder page, NumberSet absent, CancellationToken cancel)
    {
        if (absent.Count == 0) return 0;
        var hidden = (await from.ListNumbersAsync(page.From, cancel)).And(absent);
        var fault = new Fault(Cause.MessageUnreadable, order.From.Credentials.Account, "the old side lists this message but does not give it out");
        await LeaveUnreadableAsync(page, hidden.ToDictionary(n => n, _ => fault), cancel);
        return absent.Count - hidden.Count;
    }

    private Task LeaveUnreadableAsync(LedgerFolder page, Dictionary<uint, Fault> unreadable, CancellationToken cancel) =>
        _copier.LeaveBehindAsync(page, [.. unreadable.Keys.Select(n => new ItemInfo(n, 0, DateTimeOffset.UnixEpoch, FlagSet.Empty))], i => unreadable[i.Number], cancel);

    private async Task<Pairing> PrepareAsync(LedgerFolder page, NumberSet there, CancellationToken cancel) =>
        await Pairing.PrepareAsync(page, from, to, ledger, order.Rules.Doubles, there, await ledger.ClaimedAsync(page.To!, andGone: true, cancel), cancel);

    private FlagSet Kept(FlagSet flags) => order.Rules.Mail.DropKeywords ? flags.WithoutKeywords() : flags;

    private async Task ExcludeAsync(LedgerFolder page, Dictionary<uint, ItemInfo> items, CancellationToken cancel)
    {
        var excluded = items.Values.Where(i => order.Rules.Mail.Excludes(i.Received, i.Size) is not null)
            .Select(i => new LedgerEntry(i.Number, null, Outcome.Excluded, i.Flags)).ToList();
        if (excluded.Count == 0) return;
        await ledger.RecordAsync(page.Id, excluded, cancel);
        foreach (var entry in excluded) items.Remove(entry.Number);
        tally.Exclude(excluded.Count);
    }

    private async Task PairAsync(LedgerFolder page, Pairing pairing, Dictionary<uint, ItemInfo> items, CancellationToken cancel)
    {
        var pairs = await pairing.MatchAsync(items, cancel);
        if (pairs.Count == 0) return;
        await ledger.RecordAsync(page.Id, [.. pairs.Select(p => new LedgerEntry(p.Item.Number, p.Landed, p.Ours ? Outcome.Carried : Outcome.Paired, p.Item.Flags))], cancel);
        foreach (var pair in pairs) items.Remove(pair.Item.Number);
        var ours = pairs.Count(p => p.Ours);
        tally.Carry(ours, pairs.Where(p => p.Ours).Sum(p => p.Item.Size));
        tally.Pair(pairs.Count - ours);
    }

    private async Task LeaveTooLargeAsync(LedgerFolder page, Dictionary<uint, ItemInfo> items, CancellationToken cancel)
    {
        var limit = Math.Min(to.Traits.LargestMessage ?? long.MaxValue, order.To.Service.Limits.LargestMessage ?? long.MaxValue);
        var tooLarge = items.Values.Where(i => i.Size > limit).ToList();
        if (tooLarge.Count == 0) return;
        await _copier.LeaveBehindAsync(page, tooLarge, i => new Fault(
            Cause.MessageTooLarge, order.To.Credentials.Account, $"a message of {ByteCount.Write(i.Size)} is over the new side's limit of {ByteCount.Write(limit)}"), cancel);
        foreach (var item in tooLarge) items.Remove(item.Number);
    }

    /// <summary>Takes out what the day's limits leave no room for; the messages before it go on.</summary>
    private bool HoldBack(Dictionary<uint, ItemInfo> items)
    {
        var over = items.Values.OrderBy(i => i.Number).SkipWhile(i => order.Allowance.TryTake(i.Size)).Select(i => i.Number).ToList();
        foreach (var number in over) items.Remove(number);
        return over.Count > 0;
    }

    /// <summary>The to side took them without saying where (no UIDPLUS): they are found by identity among what the ledger does not know.</summary>
    private async Task FindUnconfirmedAsync(LedgerFolder page, Dictionary<uint, ItemInfo> unconfirmed, CancellationToken cancel)
    {
        if (unconfirmed.Count == 0) return;
        await PairAsync(page, await PrepareAsync(page, await to.ListNumbersAsync(page.To!, cancel), cancel), unconfirmed, cancel);
        if (unconfirmed.Count == 0) return;
        throw new FaultException(new Fault(
            Cause.ProtocolBroken, order.To.Credentials.Account, $"the new side said that it took {unconfirmed.Count} message(s) into '{page.To}', but they are not there"), Verdict.Close);
    }

    /// <summary>Carries changed flags, flag by flag, so that what the owner changed on the new side since stays as it is.</summary>
    private async Task CarryFlagsAsync(LedgerFolder page, IReadOnlyList<FlagUpdate> changes, CancellationToken cancel)
    {
        if (changes.Count == 0) return;
        var updates = changes.ToDictionary(u => u.Number, u => Kept(u.Flags));
        var changed = (await ledger.FindAsync(page.Id, new NumberSet(updates.Keys), cancel))
            .Where(e => e.Landed is not null && !updates[e.Number].Equals(e.Flags)).ToList();
        foreach (var same in changed.GroupBy(e => (Add: updates[e.Number].Except(e.Flags), Remove: e.Flags.Except(updates[e.Number]))))
        {
            foreach (var entries in same.Chunk(FlagBatch))
            {
                await ChangeFlagsAsync(page, new NumberSet(entries.Select(e => e.Landed!.Value)), same.Key.Add, same.Key.Remove, cancel);
                await ledger.RecordAsync(page.Id, [.. entries.Select(e => e with { Flags = updates[e.Number] })], cancel);
                tally.ChangeFlags(entries.Length);
            }
        }
    }

    /// <summary>Where the new side refuses a keyword, the system flags travel all the same.</summary>
    private async Task ChangeFlagsAsync(LedgerFolder page, NumberSet numbers, FlagSet add, FlagSet remove, CancellationToken cancel)
    {
        try
        {
            await to.ChangeFlagsAsync(page.To!, numbers, add, remove, cancel);
        }
        catch (FaultException e) when (e is { Verdict: Verdict.Keep, Fault.Turn: not Turn.Wait } && !add.WithoutKeywords().Equals(add))
        {
            journal($"keywords of {numbers.Count} message(s) in '{page.To}' were refused by the new side: {e.Fault.What}");
            await to.ChangeFlagsAsync(page.To!, numbers, add.WithoutKeywords(), remove, cancel);
        }
    }
}
