using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Carries one batch of folders after another over one pair of sessions. A batch goes through each step together, so that small folders
/// share the round trips and transactions that would cost more than their mail.
/// </summary>
/// <param name="multiFolder">Knows what stands in other folders of the from side too; null where that does not matter.</param>
internal sealed class MailCarrier(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    MailLegOrder order,
    MultiFolderMessages? multiFolder,
    ReadBackSample sample,
    Tally tally,
    Action<string> journal
)
{
    /// <summary>Messages whose index is held at a time: a folder of a million is walked in such steps.</summary>
    private const int Slice = 10_000;

    private readonly MessageCopier _copier = new(from, to, ledger, order, sample, tally, journal);

    public async Task CarryFolderBatchAsync(FolderBatch batch, CancellationToken cancel)
    {
        if (batch.InTurn)
            foreach (var work in batch.Folders)
                await CarryFoldersAsync([work], cancel);
        else
            await CarryFoldersAsync(batch.Folders, cancel);
    }

    private async Task CarryFoldersAsync(IReadOnlyList<FolderWork> batch, CancellationToken cancel)
    {
        var folders = batch
            .Select(w => new FolderJob(
                w,
                w.Landing.From.Cursor
                    ?? throw new FaultException(
                        new Fault(
                            Cause.ProtocolBroken,
                            order.From.Credentials.Account,
                            $"the old side does not tell the state of folder '{w.Landing.From.Path}'"
                        ),
                        Verdict.Keep
                    )
            ))
            .ToList();
        tally.Folder = folders[0].From.Path.ToString();
        await OpenPagesAsync(folders, cancel);
        await FindFreshAsync(folders, cancel);
        await PrepareDestinationAsync(folders, cancel);
        await ExcludeFoldersAsync(folders, cancel);
        await SettleFreshAsync(folders, cancel);
        await ledger.CompleteAsync([.. folders.Select(f => f.End)], cancel);
    }

    /// <summary>
    /// Makes the folders that are missing on the to side, and opens the ledger's pages; anew where either side has numbered its messages
    /// anew.
    /// </summary>
    private async Task OpenPagesAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        var missing = folders.Where(f => f is { To: not null, There: null }).ToList();
        if (missing.Count > 0)
        {
            var made = await to.CreateFoldersAsync([.. missing.Select(f => new NewFolder(f.To!, f.From.Use, f.From.Subscribed))], cancel);
            for (var i = 0; i < made.Count; i++)
                missing[i].Take(made[i]);
        }
        var pages = await ledger.OpenAsync(
            [
                .. folders.Select(f => new PageOpening(f.From.Path, f.To, f.Cursor.Epoch, f.There?.Epoch, f.There?.Next ?? 0)
                {
                    Found = f.Cursor.Count,
                }),
            ],
            cancel
        );
        for (var i = 0; i < pages.Count; i++)
        {
            var (folder, page) = (folders[i], pages[i]);
            folder.Page = page;
            // Only with a new page, so that the next pass does not repeat it in the journal.
            if (page.IsNew && folder.Work.Landing.Note is { } note)
                journal($"folder '{folder.From.Path}' {(folder.To is null ? "stays behind" : $"lands in '{folder.To}'")}: {note}");
            if (page.IsNew && folder.IsAlias)
                journal(
                    $"the new side takes '{folder.To}' for the name of a folder that it lists under another: what comes from "
                        + $"'{folder.From.Path}' lands in it, beside what it holds"
                );
            var wentBack =
                page.FromEpoch == folder.Cursor.Epoch && page.ToEpoch == folder.There?.Epoch && await HasGoneBackAsync(folder, cancel);
            if (page.FromEpoch != folder.Cursor.Epoch || page.ToEpoch != folder.There?.Epoch || wentBack)
            {
                if (wentBack)
                    journal(
                        $"the new side has lost numbers of '{folder.To}' that it had given out; what is there is matched again by identity"
                    );
                else if (folder.To is not null)
                    journal(
                        $"the {(page.FromEpoch == folder.Cursor.Epoch ? "new" : "old")} side numbered the messages of '{folder.From.Path}"
                            + "' anew; they are matched again by identity"
                    );
                folder.IsMatchedAnew = true;
                await ledger.ForgetEntriesAsync(page.Id, folder.Cursor.Epoch, folder.There?.Epoch, cancel);
                // Whatever is there may be what we carried under the old numbers, so all of it is looked at, whatever the rule on doubles
                // says.
                folder.Page = page with
                {
                    FromEpoch = folder.Cursor.Epoch,
                    ToEpoch = folder.There?.Epoch,
                    ToBaseNext = 0,
                    Cursor = null,
                    Seen = null,
                };
            }
            else if (!page.IsNew)
            {
                if (page.LeftWhole)
                    await ledger.RetryFolderAsync(page.Id, cancel);
                folder.Settled = await ledger.SettledAsync(page.Id, cancel);
            }
        }
    }

    /// <summary>
    /// A server that was restored, or lost its index, may give out numbers a second time: then the ledger's numbers mean other messages,
    /// though the epoch is the same (RFC 9051 §2.3.1.1 forbids it).
    /// </summary>
    private async Task<bool> HasGoneBackAsync(FolderJob folder, CancellationToken cancel)
    {
        if (folder.Page.IsNew || folder.There is not { } there)
            return false;
        if (folder.Page.Seen is { } seen && !folder.MadeNow && folder.Page.Cursor is not null)
            return there.Next < seen.Next;
        var claimed = await ledger.ClaimedAsync(folder.To!, there.Epoch, cancel);
        return claimed.Live.Or(claimed.Gone).From(there.Next).Count > 0;
    }

    /// <summary>
    /// Leaves a folder behind that one of the sides refuses: all its messages that are not settled yet, under one reason.
    /// </summary>
    public async Task LeaveFolderAsync(FolderWork work, Fault refused, CancellationToken cancel)
    {
        var cursor = work.Landing.From.Cursor!;
        var page = (
            await ledger.OpenAsync(
                [
                    new PageOpening(
                        work.Landing.From.Path,
                        work.Landing.To,
                        cursor.Epoch,
                        work.There?.Cursor?.Epoch,
                        work.There?.Cursor?.Next ?? 0
                    )
                    {
                        Found = cursor.Count,
                    },
                ],
                cancel
            )
        )[0];
        if (page.FromEpoch != cursor.Epoch)
            await ledger.ForgetEntriesAsync(page.Id, cursor.Epoch, page.ToEpoch, cancel);
        else if (page.LeftWhole)
            await ledger.RetryFolderAsync(page.Id, cancel);
        var settled = await ledger.SettledAsync(page.Id, cancel);
        // Where it is the old side that refuses, nobody knows the numbers: as many as it tells are left behind.
        var seen = (await from.VisitAsync([new FolderVisit(page.From, List: true)], cancel))[0];
        var present = seen.Numbers ?? (cursor.Count == 0 ? new NumberSet() : NumberSet.OfRange(1, cursor.Count));
        await ledger.MarkGoneAsync(page.Id, settled.Except(present), cancel);
        var left = present.Except(settled);
        await ledger.LeaveFolderBehindAsync(
            page.Id,
            left,
            refused with
            {
                Help = refused.Help ?? RemedyFor(page.From, isOfFrom: seen.Numbers is null),
            },
            cancel
        );
        await ledger.CompleteAsync([new PageEnd(page.Id, cursor, present.Count, null)], cancel);
        tally.Expect(left.Count - work.Estimate);
        tally.LeaveBehind(left.Count);
        journal($"folder '{page.From}' stays behind with {left.Count} message(s): {refused.What}");
    }

    /// <summary>The rule stands there as it has to stand in the plan, whatever characters the name holds.</summary>
    private static string RemedyFor(FolderPath path, bool isOfFrom) =>
        isOfFrom
            ? "Have the account given the right to read the folder, then have it tried again; or accept that it stays behind"
            : $"Send it elsewhere with a rule under 'folders' of the route, such as {{match: {{name: "
                + $"'{path.ToString().Replace("'", "''", StringComparison.Ordinal)}'}}, to: 'Another name'}}, and apply the plan; "
                + "or have the new side take it and have it tried again; or accept that it stays behind";

    /// <summary>
    /// Finds the messages to settle: from the changes if their counts agree, otherwise by listing the whole folder.
    /// </summary>
    private async Task FindFreshAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        // The changes were asked for before the page was opened. They hold only if the UIDs are still the same.
        foreach (var folder in folders)
            if (folder.Page is { Cursor: not null, Reopened: false } && folder.Work.Change is { } change)
                folder.Take(change);

        var since = folders.Where(f => f is { Page.Cursor: not null, IsLooked: false, To: not null }).ToList();
        var flags = await from.ReadChangesAsync([.. since.Select(f => new ChangeQuery(f.From.Path, f.Page.Cursor!, f.Cursor))], cancel);
        for (var i = 0; i < since.Count; i++)
            since[i].FlagsOf(flags[i]);

        // For a small folder, ask for all changes since the beginning: that gives its index together with its UIDs in one command.
        var room = (long)Slice;
        var small = folders.Where(f => f is { IsLooked: false, To: not null } && (room -= f.Cursor.Count) >= 0).ToList();
        var whole = await from.ReadChangesAsync(
            [.. small.Select(f => new ChangeQuery(f.From.Path, new FolderCursor(f.Cursor.Epoch, 1, null, 0), f.Cursor))],
            cancel
        );
        for (var i = 0; i < small.Count; i++)
            if (whole[i] is { } change)
                small[i].TakeWhole(change.Fresh, change.Items, change.Digest);

        var rest = folders.Where(f => !f.IsLooked).ToList();
        var seen = await from.VisitAsync([.. rest.Select(f => new FolderVisit(f.From.Path, List: true))], cancel);
        for (var i = 0; i < rest.Count; i++)
        {
            if (seen[i].Numbers is { } present)
                rest[i].TakeWhole(present, [], null);
            else if (rest[i].To is null && seen[i].Refused!.Cause is Cause.NotPermitted)
                rest[i].TakeNothing();
            else
                throw new FaultException(seen[i].Refused!, Verdict.Keep);
        }
        foreach (var folder in folders)
        {
            await ledger.MarkGoneAsync(folder.Page.Id, folder.LeftFrom, cancel);
            tally.Expect(folder.Fresh.Count - folder.Work.Estimate);
        }
    }

    /// <summary>
    /// Prepares the folders of the to side: applies changed flags, and lists the UIDs of folders that will receive messages.
    /// </summary>
    private async Task PrepareDestinationAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        var visits = new List<(FolderJob Folder, FolderVisit Visit, List<LedgerEntry> Entries)>();
        foreach (var folder in folders.Where(f => f.To is not null))
        {
            var updates = folder.Flags.ToDictionary(u => u.Number, u => Kept(u.Flags));
            var changed =
                updates.Count == 0
                    ? []
                    : (await ledger.FindAsync(folder.Page.Id, new NumberSet(updates.Keys), cancel))
                        .Where(e => e.Landed is not null && !updates[e.Number].Equals(e.Flags))
                        .ToList();
            // Only the flags that changed are set or removed, so that changes made by the owner on the new side are kept.
            var changes = changed
                .GroupBy(e => (Add: updates[e.Number].Except(e.Flags), Remove: e.Flags.Except(updates[e.Number])))
                .Select(g => new FlagChange(new NumberSet(g.Select(e => e.Landed!.Value)), g.Key.Add, g.Key.Remove))
                .ToList();
            // The folder was created in this pass, so it is empty: skip the listing.
            var visit = new FolderVisit(
                folder.To!,
                List: folder is not { MadeNow: true, Page.IsNew: true } && (folder.Fresh.Count > 0 || folder.IsLookedWhole)
            )
            {
                Flags = changes,
                // Subscribe only on the first pass; later the owner decides.
                Subscribe = folder is { Page.IsNew: true, From.Subscribed: true, Work.There.Subscribed: false },
            };
            if (visit.List || visit.Subscribe || changes.Count > 0)
                visits.Add((folder, visit, [.. changed.Select(e => e with { Flags = updates[e.Number] })]));
        }
        if (visits.Count == 0)
            return;
        var seen = await to.VisitAsync([.. visits.Select(v => v.Visit)], cancel);
        for (var i = 0; i < visits.Count; i++)
        {
            var (folder, visit, entries) = visits[i];
            if (seen[i].Refused is { } refused)
                throw new FaultException(refused, Verdict.Keep);
            for (var c = 0; c < visit.Flags.Count; c++)
                if (seen[i].FlagsRefused[c] is { } fault && !await ChangeFlagsBareAsync(folder, visit.Flags[c], fault, cancel))
                    entries.RemoveAll(e => visit.Flags[c].Numbers.Contains(e.Landed!.Value));
            if (entries.Count > 0)
                await ledger.RecordAsync(folder.Page.Id, entries, cancel);
            tally.ChangeFlags(entries.Count);
            if (seen[i].Numbers is not { } numbers)
                continue;
            (folder.NumbersThere, folder.IsListedThere) = (numbers, true);
            folder.Claimed = await ledger.ClaimedAsync(folder.To!, folder.There!.Epoch, cancel);
        }
    }

    /// <summary>
    /// If the new side refuses a keyword, change the system flags without it. False if these are refused too.
    /// </summary>
    private async Task<bool> ChangeFlagsBareAsync(FolderJob folder, FlagChange change, Fault refused, CancellationToken cancel)
    {
        if (refused.Action is FaultAction.RetryLater)
            throw new FaultException(refused, Verdict.Keep);
        var bare = change.Add.WithoutKeywords();
        var isBare = bare.Equals(change.Add);
        var again = isBare
            ? refused
            : (await to.VisitAsync([new FolderVisit(folder.To!, List: false) { Flags = [change with { Add = bare }] }], cancel))[
                0
            ].FlagsRefused[0];
        if (again?.Action is FaultAction.RetryLater)
            throw new FaultException(again, Verdict.Keep);
        journal(
            $"{(again is null ? "keywords" : "flags")} of {change.Numbers.Count} message(s) in '{folder.To}' could not be changed on the "
                + $"new side: {refused.What}"
        );
        return again is null;
    }

    /// <summary>Folders that stay behind by a rule: each of their messages is excluded under that name.</summary>
    private async Task ExcludeFoldersAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        foreach (var folder in folders.Where(f => f.To is null))
        {
            if (!folder.IsReadable)
                journal(
                    $"folder '{folder.From.Path}' stays behind by {folder.Work.Landing.Rule} and may not be read: what it holds is not "
                        + "counted"
                );
            foreach (var slice in folder.Fresh.Slices(Slice))
            {
                await ledger.RecordAsync(
                    folder.Page.Id,
                    [.. slice.Select(n => new LedgerEntry(n, null, Outcome.Excluded, FlagSet.Empty))],
                    cancel
                );
                tally.Exclude(slice.Count);
            }
        }
    }

    /// <summary>Gives every fresh message its outcome.</summary>
    private async Task SettleFreshAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        var fresh = folders.Where(f => f.To is not null && f.Fresh.Count > 0).ToList();
        foreach (var folder in fresh)
            folder.Pairing = await Pairing.OpenAsync(folder.Page, ledger, order.Rules.Doubles, folder.NumbersThere, folder.Claimed, cancel);
        if (fresh is [var only])
            foreach (var slice in only.Fresh.Slices(Slice))
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
        if (multiFolder is not null)
            foreach (var ((folder, _), part) in some.Zip(parts))
                await multiFolder.SettleAsync(part.Page, part.Items, from, to, MultiFolderMessages.IsView(folder.From), cancel);
        await PairAsync([.. some.Zip(parts, (s, part) => (s.Folder.Pairing!, part.Page, part.Items))], cancel);
        var held = false;
        foreach (var part in parts)
        {
            await LeaveTooLargeAsync(part.Page, part.Items, cancel);
            held |= HoldBack(part.Items);
        }
        await _copier.CopyMessagesAsync(parts, cancel);
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
        var items = index.ToDictionary(i => i.Number, i => i with { Flags = Kept(i.Flags) });
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
        _copier.LeaveBehindAsync(
            page,
            [.. unreadable.Keys.Select(n => new ItemInfo(n, 0, DateTimeOffset.UnixEpoch, FlagSet.Empty))],
            i => unreadable[i.Number],
            cancel
        );

    private FlagSet Kept(FlagSet flags) => order.Rules.Mail.DropKeywords ? flags.WithoutKeywords() : flags;

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
        await _copier.LeaveBehindAsync(
            page,
            tooLarge,
            i => new Fault(
                Cause.MessageTooLarge,
                order.To.Credentials.Account,
                $"a message of {ByteCount.Write(i.Size)} is over the new side's limit of {ByteCount.Write(limit)}"
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
