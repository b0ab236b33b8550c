using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying;

/// <summary>Carries the mail of one folder after another over one pair of sessions.</summary>
public sealed class MailCarrier(IMailAccount from, IMailAccount to, ILedger ledger, PassOrder order, Tally tally, Action<string> journal)
{
    /// <summary>Messages whose index is held at a time: a folder of a million is walked in such steps.</summary>
    private const int Slice = 10_000;

    /// <summary>Messages handed over in one command, while all goes well.</summary>
    private const int Company = 100;

    /// <summary>Entries gathered before the ledger writes them.</summary>
    private const int LedgerBatch = 500;

    /// <summary>Milliseconds after which they are written, however few.</summary>
    private const long LedgerPatience = 1_000;

    public async Task CarryAsync(FolderWork work, CancellationToken cancel)
    {
        await CarryFolderAsync(work, cancel);
        foreach (var merged in work.Merged) await CarryFolderAsync(merged, cancel);
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
        var present = await from.ListNumbersAsync(source.Path, cancel);
        var settled = await ledger.SettledAsync(page.Id, cancel);
        await ledger.MarkGoneAsync(page.Id, settled.Except(present), cancel);

        var fresh = present.Except(settled);
        tally.Expect(fresh.Count - work.Estimate);
        var gone = await SettleAsync(page, fresh, cancel);
        if (page.Cursor is { } since) await CarryFlagsAsync(page, since, cancel);

        var missing = (await ledger.ClaimedAsync(target, cancel)).Except(await to.ListNumbersAsync(target, cancel)).Count;
        if (missing > 0) journal($"{missing} message(s) that landed in '{target}' are no longer there; somebody on the new side deleted or moved them");
        await ledger.CompleteAsync(page.Id, cursor, present.Count - gone, missing, cancel);
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
    private async Task<long> SettleAsync(LedgerFolder page, NumberSet fresh, CancellationToken cancel)
    {
        if (fresh.Count == 0) return 0;
        var pairing = await Pairing.PrepareAsync(page, from, to, ledger, order.Rules.Doubles, cancel);
        long gone = 0;
        foreach (var slice in fresh.Slices(Slice))
        {
            var items = (await from.ListItemsAsync(page.From, slice, cancel)).ToDictionary(i => i.Number, i => i with { Flags = Kept(i.Flags) });
            gone += slice.Count - items.Count;
            await ExcludeAsync(page, items, cancel);
            await PairAsync(page, pairing, items, cancel);
            await LeaveTooLargeAsync(page, items, cancel);
            var held = HoldBack(items);
            gone += await CopyAsync(page, items, cancel);
            if (held) order.Allowance.End();
        }
        return gone;
    }

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
        await LeaveBehindAsync(page, tooLarge, i => new Fault(
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

    /// <summary>Copies what is left, in full company first; what was refused in company is tried again in halves until the bad one stands alone.</summary>
    private async Task<long> CopyAsync(LedgerFolder page, Dictionary<uint, ItemInfo> items, CancellationToken cancel)
    {
        if (items.Count == 0) return 0;
        var gone = 0L;
        var unconfirmed = new Dictionary<uint, ItemInfo>();
        var rounds = new Queue<(NumberSet Numbers, int Company)>([(new NumberSet(items.Keys), Company)]);
        while (rounds.TryDequeue(out var round))
        {
            var refused = new List<AddReceipt>();
            gone += await CopyRoundAsync(page, items, round.Numbers, round.Company, refused, unconfirmed, cancel);
            var alone = refused.Where(r => r.Company == 1).ToList();
            await LeaveRefusedAsync(page, items, alone, cancel);
            foreach (var together in refused.Where(r => r.Company > 1).GroupBy(r => r.Company))
                rounds.Enqueue((new NumberSet(together.Select(r => r.Number)), Math.Max(1, together.Key / 2)));
        }
        await FindUnconfirmedAsync(page, unconfirmed, cancel);
        return gone;
    }

    private async Task<long> CopyRoundAsync(
        LedgerFolder page, Dictionary<uint, ItemInfo> items, NumberSet numbers, int company, List<AddReceipt> refused, Dictionary<uint, ItemInfo> unconfirmed, CancellationToken cancel)
    {
        var landed = new List<LedgerEntry>();
        var written = Environment.TickCount64;
        async ValueTask TakeAsync(IReadOnlyList<AddReceipt> receipts)
        {
            foreach (var receipt in receipts)
            {
                if (receipt.Refused is not null) refused.Add(receipt);
                else if (receipt.Landed is { } key) landed.Add(new LedgerEntry(receipt.Number, key.Number, Outcome.Carried, items[receipt.Number].Flags));
                else unconfirmed[receipt.Number] = items[receipt.Number];
            }
            if (landed.Count >= LedgerBatch || Environment.TickCount64 - written >= LedgerPatience) await FlushAsync();
        }
        async ValueTask FlushAsync()
        {
            if (landed.Count == 0) return;
            // Not to be cancelled: what the to side has taken is a fact, and noting it takes a moment.
            await ledger.RecordAsync(page.Id, landed, CancellationToken.None);
            tally.Carry(landed.Count, landed.Sum(e => items[e.Number].Size));
            landed.Clear();
            written = Environment.TickCount64;
        }

        var reader = await from.ReadMessagesAsync(page.From, numbers, cancel);
        var writer = await to.AddMessagesAsync(page.To!, company, cancel);
        try
        {
            while (await reader.NextAsync(cancel) is { } message)
            {
                await writer.BeginAsync(items[message.Number], message.Size, cancel);
                while (await reader.ReadAsync(cancel) is { Length: > 0 } piece) await writer.WriteAsync(piece, cancel);
                await TakeAsync(await writer.EndAsync(cancel));
            }
            await TakeAsync(await writer.FinishAsync(cancel));
        }
        finally
        {
            // Even when the connection broke: what was confirmed before is noted now and need not be looked for later.
            await FlushAsync();
        }
        await LeaveBehindAsync(page, [.. reader.Unreadable.Keys.Select(n => items[n])], i => reader.Unreadable[i.Number], cancel);
        return reader.Gone.Count;
    }

    /// <summary>Refused messages that stand alone: a fault of the account stops the pass, one of the message leaves it behind.</summary>
    private async Task LeaveRefusedAsync(LedgerFolder page, Dictionary<uint, ItemInfo> items, List<AddReceipt> refused, CancellationToken cancel)
    {
        if (refused.Find(r => r.Refused!.Turn != Turn.NextItem).Refused is { } account) throw new FaultException(account, Verdict.Keep);
        var faults = refused.ToDictionary(r => r.Number, r => r.Refused!);
        await LeaveBehindAsync(page, [.. faults.Keys.Select(n => items[n])], i => faults[i.Number], cancel);
    }

    private async Task LeaveBehindAsync(LedgerFolder page, IReadOnlyList<ItemInfo> items, Func<ItemInfo, Fault> fault, CancellationToken cancel)
    {
        if (items.Count == 0) return;
        var headers = await ReadLabelsAsync(page, items, cancel);
        await ledger.LeaveBehindAsync(page.Id, [.. items.Select(i =>
        {
            var about = MessageLabel.Read(headers.TryGetValue(i.Number, out var header) ? header.Header : []);
            return new LeftBehindItem(i.Number, fault(i), i.Size, i.Received, about.Subject, about.Sender);
        })], cancel);
        tally.LeaveBehind(items.Count);
    }

    /// <summary>Headers for people to recognise messages by. Of one that cannot be read, these often cannot either.</summary>
    private async Task<Dictionary<uint, ItemHeader>> ReadLabelsAsync(LedgerFolder page, IReadOnlyList<ItemInfo> items, CancellationToken cancel)
    {
        try
        {
            return (await from.ReadHeadersAsync(page.From, new NumberSet(items.Select(i => i.Number)), cancel)).ToDictionary(h => h.Number);
        }
        catch (FaultException e) when (e.Verdict is Verdict.Keep)
        {
            return [];
        }
    }

    /// <summary>The to side took them without saying where (no UIDPLUS): they are found by identity among what the ledger does not know.</summary>
    private async Task FindUnconfirmedAsync(LedgerFolder page, Dictionary<uint, ItemInfo> unconfirmed, CancellationToken cancel)
    {
        if (unconfirmed.Count == 0) return;
        var pairing = await Pairing.PrepareAsync(page, from, to, ledger, order.Rules.Doubles, cancel);
        await PairAsync(page, pairing, unconfirmed, cancel);
        if (unconfirmed.Count == 0) return;
        throw new FaultException(new Fault(
            Cause.ProtocolBroken, order.To.Credentials.Account, $"the new side said that it took {unconfirmed.Count} message(s) into '{page.To}', but they are not there"), Verdict.Close);
    }

    /// <summary>Carries changed flags, flag by flag, so that what the owner changed on the new side since stays as it is.</summary>
    private async Task CarryFlagsAsync(LedgerFolder page, FolderCursor since, CancellationToken cancel)
    {
        var updates = (await from.FlagsSinceAsync(page.From, since, cancel)).ToDictionary(u => u.Number, u => Kept(u.Flags));
        if (updates.Count == 0) return;
        var changed = (await ledger.FindAsync(page.Id, new NumberSet(updates.Keys), cancel))
            .Where(e => e.Landed is not null && !updates[e.Number].Equals(e.Flags)).ToList();
        foreach (var same in changed.GroupBy(e => (Add: updates[e.Number].Except(e.Flags), Remove: e.Flags.Except(updates[e.Number]))))
        {
            foreach (var entries in same.Chunk(LedgerBatch))
            {
                await to.ChangeFlagsAsync(page.To!, new NumberSet(entries.Select(e => e.Landed!.Value)), same.Key.Add, same.Key.Remove, cancel);
                await ledger.RecordAsync(page.Id, [.. entries.Select(e => e with { Flags = updates[e.Number] })], cancel);
                tally.ChangeFlags(entries.Length);
            }
        }
    }
}
