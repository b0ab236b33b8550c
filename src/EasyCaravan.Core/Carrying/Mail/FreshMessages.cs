using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Settles the fresh messages of folders: each is excluded, paired with one that is there already, left behind or copied.
/// </summary>
internal sealed class FreshMessages(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    MailLegOrder order,
    MultiFolderMessages? multiFolder,
    Arrivals? arrivals,
    MessageCopier copier,
    Tally tally
)
{
    /// <summary>Messages whose index is held at a time. A folder of a million messages is settled in steps of this size.</summary>
    public const int IndexAtATime = 10_000;

    /// <summary>Gives every fresh message its outcome.</summary>
    public async Task SettleFreshAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        var fresh = folders.Where(f => f.To is not null && f.Fresh.Count > 0).ToList();
        foreach (var folder in fresh)
            folder.Pairing = await Pairing.OpenAsync(
                folder.Page,
                ledger,
                order.Rules.Doubles,
                folder.NumbersThere,
                folder.Claimed,
                cancel,
                provesBodies: order.IsForwarded
            );
        if (fresh is [var only])
            foreach (var slice in only.Fresh.Slices(IndexAtATime))
                await SettleSliceAsync([(only, slice)], cancel);
        else if (fresh.Count > 0)
            await SettleSliceAsync([.. fresh.Select(f => (f, f.Fresh))], cancel);
        foreach (var folder in fresh)
            await folder.Pairing!.KeepLeftAsync(ledger, cancel);
    }

    private async Task SettleSliceAsync(IReadOnlyList<(FolderJob Folder, NumberSet Numbers)> some, CancellationToken cancel)
    {
        var parts = new List<CopyPart>();
        foreach (var (folder, numbers) in some)
            parts.Add(await ReadIndexAsync(folder, numbers, cancel));
        await ExcludeAsync(parts, cancel);
        await ExcludeProbesAsync(parts, cancel);
        await NoteLateMailAsync([.. some.Zip(parts).Where(s => IsForIncoming(s.First.Folder.From)).Select(s => s.Second)], cancel);
        if (multiFolder is not null)
            foreach (var ((folder, _), part) in some.Zip(parts))
                await multiFolder.SettleAsync(part.Page, part.Items, from, to, MultiFolderMessages.IsView(folder.From), cancel);
        await PairAsync([.. some.Zip(parts, (s, part) => (s.Folder.Pairing!, part.Page, part.Items))], cancel);
        if (arrivals is not null)
            await arrivals.MatchAsync(parts, from, to, cancel);
        foreach (var ((folder, _), part) in some.Zip(parts))
            LeaveToLaterPass(folder, part);
        var held = false;
        foreach (var part in parts)
        {
            await LeaveTooLargeAsync(part.Page, part.Items, cancel);
            held |= HoldBack(part.Items);
        }
        await copier.CopyMessagesAsync(parts, cancel);
        foreach (var ((folder, _), part) in some.Zip(parts))
        {
            foreach (var (first, last) in part.Landed.Ranges)
                folder.Landed.Add(first, last);
            folder.IsUnsure |= part.Unconfirmed.Count > 0;
            // The server may have fixed the folder's UIDVALIDITY only with this append.
            if (part.ToEpoch != folder.Page.ToEpoch)
                folder.Page = folder.Page with { ToEpoch = part.ToEpoch };
            folder.Gone += await ConfirmGoneAsync(folder.Page, part.Gone, cancel);
            await FindUnconfirmedAsync(folder.Page, part.Unconfirmed, cancel);
        }
        if (held)
            order.Allowance.End();
    }

    private async Task<CopyPart> ReadIndexAsync(FolderJob folder, NumberSet numbers, CancellationToken cancel)
    {
        var unreadable = new Dictionary<uint, Fault>();
        IReadOnlyList<ItemInfo> index = [.. folder.Known.Where(i => numbers.Contains(i.Number))];
        if (index.Count < numbers.Count)
            index = await from.ListItemsAsync(folder.Page.From, numbers, unreadable, cancel);
        await LeaveUnreadableAsync(folder.Page, unreadable, cancel);
        var items = index.ToDictionary(i => i.Number, i => i with { Flags = order.CarriedFlags(i.Flags) });
        return new CopyPart(folder.Page, items) { Gone = numbers.Except(new NumberSet(items.Keys.Concat(unreadable.Keys))) };
    }

    /// <summary>
    /// A message that was listed and did not come was deleted meanwhile, or the server hides it: then it is left behind, never just
    /// skipped.
    /// </summary>
    private async Task<long> ConfirmGoneAsync(LedgerFolder page, NumberSet absent, CancellationToken cancel)
    {
        if (absent.Count == 0)
            return 0;
        var hidden = (await from.ListNumbersAsync(page.From, cancel)).And(absent);
        var fault = new Fault(
            Cause.MessageUnreadable,
            order.From.Credentials.Account,
            "the old side lists this message but does not give it out"
        );
        await LeaveUnreadableAsync(page, hidden.ToDictionary(n => n, _ => fault), cancel);
        return absent.Count - hidden.Count;
    }

    private Task LeaveUnreadableAsync(LedgerFolder page, Dictionary<uint, Fault> unreadable, CancellationToken cancel) =>
        copier.LeaveBehindAsync(
            page,
            [.. unreadable.Keys.Select(n => new ItemInfo(n, ByteCount.Zero, DateTimeOffset.UnixEpoch, FlagSet.Empty))],
            i => unreadable[i.Number],
            cancel
        );

    private async Task ExcludeAsync(IReadOnlyList<CopyPart> parts, CancellationToken cancel)
    {
        var excluded = parts
            .Select(p => new PageEntries(
                p.Page.Id,
                [
                    .. p
                        .Items.Values.Where(i => order.Rules.Mail.Excludes(i.Received, i.Size) is not null)
                        .Select(i => new LedgerEntry(i.Number, null, Outcome.Excluded, i.Flags) { Size = i.Size }),
                ]
            ))
            .ToList();
        if (excluded.TrueForAll(e => e.Entries.Count == 0))
            return;
        await ledger.RecordAsync(excluded, cancel);
        foreach (var (part, page) in parts.Zip(excluded))
        foreach (var entry in page.Entries)
            part.Items.Remove(entry.Number);
        tally.Exclude(excluded.Sum(e => e.Entries.Count));
    }

    /// <summary>
    /// What may be on its way to the new address, or was moved there by its owner at this moment, is not carried beside it.
    /// </summary>
    private void LeaveToLaterPass(FolderJob folder, CopyPart part)
    {
        if (order.Forwarded is not { } forwarded)
            return;
        var now = order.Time.GetUtcNow();
        foreach (var item in part.Items.Values.OrderBy(i => i.Number).ToList())
        {
            var left = part.Unsure.Contains(item.Number) ? ForwardedMail.Doubtful : forwarded.MayTake(part.Page, item, now);
            if (left is null)
                continue;
            part.Items.Remove(item.Number);
            folder.Waiting.Add(item.Number, item.Number);
            tally.Wait(left.Value);
        }
    }

    /// <summary>Rules may sort what comes into any folder; what is junk or deleted is nobody's to be told.</summary>
    private static bool IsForIncoming(FolderState folder) =>
        folder.Use is not (SpecialUse.Sent or SpecialUse.Drafts or SpecialUse.Trash or SpecialUse.Junk or SpecialUse.All);

    /// <summary>Who still writes to the old address, so that somebody can tell them.</summary>
    private async Task NoteLateMailAsync(IReadOnlyList<CopyPart> parts, CancellationToken cancel)
    {
        if (order.Forwarded is not { } forwarded)
            return;
        var late = new List<LateMail>();
        foreach (var part in parts)
        {
            var numbers = new NumberSet(part.Items.Values.Where(i => forwarded.CameAfter(part.Page, i)).Select(i => i.Number));
            if (numbers.Count > 0)
                await from.ReadHeadersAsync(
                    part.Page.From,
                    numbers,
                    h =>
                    {
                        if (part.Items.TryGetValue(h.Number, out var item) && MessageLabel.AddressOf(h.Header) is { } sender)
                            late.Add(new LateMail(part.Page.Id, h.Number, item.Received, sender));
                    },
                    cancel
                );
        }
        if (late.Count > 0)
            await ledger.NoteLateMailAsync(late, cancel);
    }

    /// <summary>A probe that was not removed yet is no mail of the person.</summary>
    private async Task ExcludeProbesAsync(IReadOnlyList<CopyPart> parts, CancellationToken cancel)
    {
        if (order.Probes.Count == 0)
            return;
        foreach (var part in parts)
        {
            var small = part.Items.Values.Where(i => i.Size <= Crossing.Probe.LargestOnArrival).Select(i => i.Number).ToList();
            var probes = new List<uint>();
            if (small.Count > 0)
                await from.ReadHeadersAsync(
                    part.Page.From,
                    new NumberSet(small),
                    h =>
                    {
                        if (Identity.MessageIdOf(h.Header) is { } id && order.Probes.Contains(id))
                            probes.Add(h.Number);
                    },
                    cancel
                );
            if (probes.Count == 0)
                continue;
            await ledger.RecordAsync(
                part.Page.Id,
                [.. probes.Select(n => new LedgerEntry(n, null, Outcome.Excluded, part.Items[n].Flags) { Size = part.Items[n].Size })],
                cancel
            );
            foreach (var number in probes)
                part.Items.Remove(number);
            tally.Exclude(probes.Count);
        }
    }

    private async Task PairAsync(
        IReadOnlyList<(Pairing Pairing, LedgerFolder Page, Dictionary<uint, ItemInfo> Items)> some,
        CancellationToken cancel
    )
    {
        var matches = await Pairing.MatchAsync(
            [.. some.Select(s => (s.Pairing, (IReadOnlyDictionary<uint, ItemInfo>)s.Items))],
            from,
            to,
            cancel
        );
        var pairs = matches.SelectMany(m => m).ToList();
        if (pairs.Count == 0)
            return;
        await ledger.RecordAsync(
            [
                .. some.Zip(matches, (s, m) =>
                    new PageEntries(
                        s.Page.Id,
                        [
                            .. m.Select(p => new LedgerEntry(
                                p.Item.Number,
                                p.Landed,
                                p.Ours ? Outcome.Carried : Outcome.Paired,
                                p.Item.Flags
                            )
                            {
                                Size = p.Item.Size,
                            }),
                        ]
                    )
                ),
            ],
            cancel
        );
        foreach (var ((_, _, items), match) in some.Zip(matches))
        foreach (var pair in match)
            items.Remove(pair.Item.Number);
        var ours = pairs.Count(p => p.Ours);
        tally.Carry(ours, pairs.Where(p => p.Ours).Sum(p => p.Item.Size));
        tally.Pair(pairs.Count - ours);
    }

    private async Task LeaveTooLargeAsync(LedgerFolder page, Dictionary<uint, ItemInfo> items, CancellationToken cancel)
    {
        // The smaller of those that are set.
        if (new[] { to.Traits.LargestMessage, order.To.Service.Limits.LargestMessage }.Min() is not { } limit)
            return;
        var tooLarge = items.Values.Where(i => i.Size > limit).ToList();
        if (tooLarge.Count == 0)
            return;
        await copier.LeaveBehindAsync(
            page,
            tooLarge,
            i => new Fault(
                Cause.MessageTooLarge,
                order.To.Credentials.Account,
                $"a message of {i.Size} is over the new side's limit of {limit}"
            ),
            cancel
        );
        foreach (var item in tooLarge)
            items.Remove(item.Number);
    }

    /// <summary>Removes the messages that exceed the day's allowance; those before them are carried.</summary>
    private bool HoldBack(Dictionary<uint, ItemInfo> items)
    {
        var over = items.Values.OrderBy(i => i.Number).SkipWhile(i => order.Allowance.TryTake(i.Size)).Select(i => i.Number).ToList();
        foreach (var number in over)
            items.Remove(number);
        return over.Count > 0;
    }

    /// <summary>
    /// The server took these messages without telling their UIDs (no UIDPLUS). Find them by identity among the messages that the ledger
    /// does not claim.
    /// </summary>
    private async Task FindUnconfirmedAsync(LedgerFolder page, Dictionary<uint, ItemInfo> unconfirmed, CancellationToken cancel)
    {
        if (unconfirmed.Count == 0)
            return;
        var pairing = await Pairing.OpenAsync(
            page,
            ledger,
            order.Rules.Doubles,
            await to.ListNumbersAsync(page.To!, cancel),
            await ledger.ClaimedAsync(page.To!, page.ToEpoch!.Value, cancel),
            cancel
        );
        await PairAsync([(pairing, page, unconfirmed)], cancel);
        if (unconfirmed.Count == 0)
            return;
        throw new FaultException(
            new Fault(
                Cause.ProtocolBroken,
                order.To.Credentials.Account,
                $"the new side said that it took {unconfirmed.Count} message(s) into '{page.To}', but they are not there"
            ),
            Verdict.Close
        );
    }
}
