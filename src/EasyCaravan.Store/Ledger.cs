using System.Globalization;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>
/// The ledger of one kind of a claimed move. Every write first proves that the lease still holds, in the same transaction.
/// </summary>
internal sealed class Ledger(Database database, FlagSets flagSets, TimeProvider time, Claim claim, Kind kind) : ILedger
{
    private static readonly ManyRows s_items = new("ledger_items", ["folder_id", "number"], ["landed", "outcome", "gone", "flags", "size"]);
    private static readonly ManyRows s_keys = new("item_keys", ["folder_id", "number"], ["move_id", "low", "high"]);
    private static readonly ManyRows s_unclaimed = new("unclaimed_messages", ["folder_id", "number"], ["size", "low", "high", "certain"]);

    /// <summary>Keys in one query.</summary>
    private const int KeysPerQuery = 500;

    /// <summary>Up to this many ranges of numbers, each is queried by itself.</summary>
    private const int MostRanges = 50;

    private long Move => claim.Person.Id;

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    /// <summary>Runs every query of a pass once, without effect: page 0 does not exist, and no lease is held.</summary>
    public async Task PrepareAsync(CancellationToken cancel)
    {
        await FoldersAsync(cancel);
        await SettledAsync(0, cancel);
        await ClaimedAsync(FolderPath.Inbox, 0, cancel);
        await LandedAsync(FolderPath.Inbox, 0, cancel);
        await DifferencesAsync(cancel);
        await FindAsync(0, NumberSet.OfRange(1, 1), cancel);
        await UnclaimedAsync(0, cancel);
        await using var db = database.Read();
        await database.Queries.Sums(db, 0).ToListAsync(cancel);
        await database.Queries.FoldersLeft(db, 0).ToListAsync(cancel);
        try
        {
            await RecordAsync([], cancel);
        }
        catch (LeaseLostException)
        {
            // Expected: no worker holds this fence.
        }
    }

    public async Task<IReadOnlyList<LedgerFolder>> FoldersAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return [.. (await database.Queries.Pages(db, Move, kind).ToListAsync(cancel)).Select(Pages.PageOf)];
    }

    public Task<IReadOnlyList<LedgerFolder>> OpenAsync(IReadOnlyList<PageOpening> folders, CancellationToken cancel) =>
        WriteAsync<IReadOnlyList<LedgerFolder>>(
            async db =>
            {
                var known = (await database.Queries.Pages(db, Move, kind).ToListAsync(cancel)).ToDictionary(f => (f.From, f.To));
                var rows = new List<(LedgerFolderRow Row, bool IsNew)>();
                foreach (var folder in folders)
                {
                    var (from, to) = (folder.From.ToString(), folder.To?.ToString() ?? "");
                    var isNew = !known.TryGetValue((from, to), out var row);
                    if (isNew)
                        db.LedgerFolders.Add(
                            row = new LedgerFolderRow
                            {
                                MoveId = Move,
                                Kind = kind,
                                From = from,
                                To = to,
                                FromEpoch = folder.FromEpoch,
                                ToEpoch = folder.ToEpoch,
                                ToBaseNext = folder.ToBaseNext,
                                Found = folder.Found,
                            }
                        );
                    else if (row!.Found != folder.Found)
                        await db.Database.ExecuteSqlAsync(
                            $"""UPDATE ledger_folders SET "Found" = {row.Found = folder.Found} WHERE "Id" = {row.Id}""",
                            cancel
                        );
                    rows.Add((row!, isNew));
                }
                if (rows.Exists(r => r.IsNew))
                    await db.SaveChangesAsync(cancel);
                return [.. rows.Select(r => Pages.PageOf(r.Row) with { IsNew = r.IsNew })];
            },
            cancel
        );

    public Task ForgetEntriesAsync(long folder, uint? fromEpoch, uint? toEpoch, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await db.LedgerItems.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
                await db.LeftBehind.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
                await db.ItemKeys.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
                await db.UnclaimedMessages.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
                await db.Differences.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
                var row = await db.LedgerFolders.AsTracking().FirstAsync(f => f.Id == folder, cancel);
                // Deleted items are settled again; the sums of the running pass would count them twice.
                await db.Database.ExecuteSqlAsync(
                    $"""
                    UPDATE legs SET "Found" = CASE WHEN "Found" > {row.Found} THEN "Found" - {row.Found} ELSE 0 END,
                    "Carried" = "Carried" - {row.Carried}, "Paired" = "Paired" - {row.Paired}, "Excluded" = "Excluded" - {row.Excluded},
                    "Octets" = "Octets" - {row.Octets} WHERE "MoveId" = {Move} AND "Kind" = {(int)kind}
                    """,
                    cancel
                );
                await Totals.SumLegsAsync(db, Move, cancel);
                (row.Carried, row.Paired, row.Excluded, row.LeftBehind, row.Gone, row.Octets, row.OctetsBefore) = (0, 0, 0, 0, 0, 0, 0);
                (row.Missing, row.Twice, row.Altered, row.Undecided) = (0, 0, 0, 0);
                (row.SeenNext, row.SeenCount, row.LeftWhole) = (null, null, false);
                (row.FromEpoch, row.ToEpoch, row.ToBaseNext, row.CursorNext, row.CursorMark, row.CursorCount) = (
                    fromEpoch,
                    toEpoch,
                    0,
                    null,
                    null,
                    null
                );
                return true;
            },
            cancel
        );

    public Task<bool> RenumberAsync(long folder, uint toEpoch, CancellationToken cancel) =>
        WriteAsync(
            async db =>
                await db.Database.ExecuteSqlAsync(
                    $"""
                    UPDATE ledger_folders SET "ToEpoch" = {(long)toEpoch}, "SeenNext" = NULL, "SeenCount" = NULL
                    WHERE "Id" = {folder} AND NOT EXISTS (SELECT 1 FROM ledger_items WHERE folder_id = {folder} AND landed IS NOT NULL)
                    """,
                    cancel
                ) > 0,
            cancel
        );

    public async Task<NumberSet> SettledAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        var numbers = new NumberSet();
        await foreach (var number in database.Queries.Settled(db, folder).WithCancellation(cancel))
            numbers.Add((uint)number);
        return numbers;
    }

    public async Task<IReadOnlyList<LandedEntry>> LandedAsync(FolderPath to, uint epoch, CancellationToken cancel)
    {
        await using var db = database.Read();
        var place = to.ToString();
        return await (
            from item in db.LedgerItems
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            where folder.MoveId == Move && folder.Kind == kind && folder.To == place && folder.ToEpoch == (long)epoch && item.Landed != null
            select new LandedEntry(item.FolderId, (uint)item.Number, (uint)item.Landed!.Value, item.Outcome, item.Gone, item.Size)
        ).ToListAsync(cancel);
    }

    public async Task<IReadOnlyList<KnownDifference>> DifferencesAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await Differences.OfMoveAsync(db, Move, kind, cancel);
    }

    public Task RecordLooksAsync(IReadOnlyList<PageLook> looks, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                foreach (var look in looks)
                {
                    await Differences.ReplaceAsync(db, look, Now, cancel);
                    await db.Database.ExecuteSqlAsync(
                        $"""
                        UPDATE ledger_folders SET "SeenNext" = {(long?)look.Seen?.Next}, "SeenCount" = {(long?)
                            look.Seen?.Count} WHERE "Id" = {look.Folder}
                        """,
                        cancel
                    );
                }
                await Differences.CountAsync(db, Move, kind, [.. looks.Select(l => l.Folder)], cancel);
                return true;
            },
            cancel
        );

    public Task AddDifferencesAsync(IReadOnlyList<Difference> differences, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await Differences.AddAsync(db, differences, Now, cancel);
                await Differences.CountAsync(db, Move, kind, [.. differences.Select(d => d.Folder).Distinct()], cancel);
                return true;
            },
            cancel
        );

    public async Task<ComparisonProgress?> ComparisonAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Comparisons.FirstOrDefaultAsync(c => c.MoveId == Move, cancel) is { } row
            ? new ComparisonProgress(row.Share, row.Page, (uint)row.Number)
            {
                Compared = row.Compared,
                Octets = row.Octets,
                Differing = row.Differing,
                FlagsChanged = row.FlagsChanged,
                Arrived = row.Arrived,
                IsDone = row.EndedAt is not null,
            }
            : null;
    }

    public Task RecordComparisonAsync(ComparisonProgress progress, CancellationToken cancel) =>
        WriteAsync(
            db =>
                db.Comparisons.Where(c => c.MoveId == Move)
                    .ExecuteUpdateAsync(
                        set =>
                            set.SetProperty(c => c.Page, progress.Page)
                                .SetProperty(c => c.Number, progress.Number)
                                .SetProperty(c => c.Compared, progress.Compared)
                                .SetProperty(c => c.Octets, progress.Octets)
                                .SetProperty(c => c.Differing, progress.Differing)
                                .SetProperty(c => c.FlagsChanged, progress.FlagsChanged)
                                .SetProperty(c => c.Arrived, progress.Arrived)
                                .SetProperty(c => c.EndedAt, progress.IsDone ? Now : null),
                        cancel
                    ),
            cancel
        );

    public Task RemoveDifferencesAsync(IReadOnlyCollection<long> ids, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var folders = await db.Differences.Where(d => ids.Contains(d.Id)).Select(d => d.FolderId).Distinct().ToListAsync(cancel);
                await db.Differences.Where(d => ids.Contains(d.Id)).ExecuteDeleteAsync(cancel);
                await Differences.CountAsync(db, Move, kind, folders, cancel);
                return true;
            },
            cancel
        );

    public async Task<Claimed> ClaimedAsync(FolderPath to, uint epoch, CancellationToken cancel)
    {
        await using var db = database.Read();
        var claimed = new Claimed(new NumberSet(), new NumberSet());
        await foreach (var item in database.Queries.Landed(db, Move, kind, to.ToString(), epoch).WithCancellation(cancel))
            (item.Gone ? claimed.Gone : claimed.Live).Add((uint)item.Number);
        return claimed;
    }

    public async Task<IReadOnlyList<LedgerEntry>> FindAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        await using var db = database.Read();
        var entries = new List<LedgerEntry>();
        // Numbers that lie scattered over the folder are found faster by one query over their whole range than by one query each.
        var ranges = numbers.Ranges.Count > MostRanges ? [(numbers.Ranges[0].First, numbers.Ranges[^1].Last)] : numbers.Ranges;
        foreach (var (first, last) in ranges)
        {
            var (low, high) = ((long)first, (long)last);
            await foreach (
                var row in db
                    .LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high && !i.Gone)
                    .AsAsyncEnumerable()
                    .WithCancellation(cancel)
            )
                if (numbers.Contains((uint)row.Number))
                    entries.Add(
                        new LedgerEntry((uint)row.Number, (uint?)row.Landed, row.Outcome, await flagSets.SetOfAsync(db, row.Flags, cancel))
                        {
                            Size = row.Size,
                        }
                    );
        }
        return entries;
    }

    public Task RecordAsync(IReadOnlyList<PageEntries> pages, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await InsertAsync(db, pages, cancel);
                // An item that was left behind earlier and is settled now needs no decision any more.
                var left = await database.Queries.FoldersLeft(db, Move).ToListAsync(cancel);
                foreach (var page in pages.Where(p => left.Contains(p.Folder)))
                {
                    foreach (
                        var some in page
                            .Entries.Where(e => e.Outcome is not Outcome.LeftBehind)
                            .Select(e => (long)e.Number)
                            .Chunk(KeysPerQuery)
                    )
                        await db.LeftBehind.Where(i => i.FolderId == page.Folder && some.Contains(i.Number)).ExecuteDeleteAsync(cancel);
                }
                return true;
            },
            cancel
        );

    public Task LeaveBehindAsync(long folder, IReadOnlyList<LeftBehindItem> items, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await InsertAsync(
                    db,
                    [new PageEntries(folder, [.. items.Select(i => new LedgerEntry(i.Number, null, Outcome.LeftBehind, FlagSet.Empty))])],
                    cancel
                );
                foreach (var item in items)
                {
                    var row = await db
                        .LeftBehind.AsTracking()
                        .FirstOrDefaultAsync(i => i.FolderId == folder && i.Number == item.Number, cancel);
                    if (row is null)
                        db.LeftBehind.Add(
                            row = new LeftBehindRow
                            {
                                FolderId = folder,
                                Number = item.Number,
                                Whom = "",
                                What = "",
                                Received = "",
                                Subject = "",
                                Sender = "",
                            }
                        );
                    (row.Cause, row.Whom, row.What, row.Code) = (item.Fault.Cause, item.Fault.Whom, item.Fault.What, item.Fault.Code);
                    row.Help = item.Fault.Help;
                    (row.Size, row.Received, row.Subject, row.Sender) = (
                        item.Size,
                        item.Received.ToString("O", CultureInfo.InvariantCulture),
                        item.Subject,
                        item.Sender
                    );
                    (row.State, row.AcceptedBy) = (LeftBehindState.Open, null);
                }
                // Written at once, not at the end of the pass: a person may be waiting for it.
                await db.SaveChangesAsync(cancel);
                await Totals.UpdateLeftBehindAsync(db, Move, kind, cancel);
                return true;
            },
            cancel
        );

    public Task LeaveFolderBehindAsync(long folder, NumberSet numbers, Fault fault, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await InsertAsync(
                    db,
                    [new PageEntries(folder, [.. numbers.Select(n => new LedgerEntry(n, null, Outcome.LeftBehind, FlagSet.Empty))])],
                    cancel
                );
                await db.LeftBehind.Where(i => i.FolderId == folder && i.Number == 0).ExecuteDeleteAsync(cancel);
                db.LeftBehind.Add(
                    new LeftBehindRow
                    {
                        FolderId = folder,
                        Number = 0,
                        Messages = numbers.Count,
                        Cause = fault.Cause,
                        Whom = fault.Whom,
                        What = fault.What,
                        Code = fault.Code,
                        Help = fault.Help,
                        Received = DateTimeOffset.UnixEpoch.ToString("O", CultureInfo.InvariantCulture),
                        Subject = "",
                        Sender = "",
                    }
                );
                await db.SaveChangesAsync(cancel);
                await db
                    .LedgerFolders.Where(f => f.Id == folder)
                    .ExecuteUpdateAsync(set => set.SetProperty(f => f.LeftWhole, true), cancel);
                await Totals.UpdateLeftBehindAsync(db, Move, kind, cancel);
                return true;
            },
            cancel
        );

    public Task RetryFolderAsync(long folder, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await RefusedFolders.RetryAsync(db, folder, cancel);
                await Totals.UpdateLeftBehindAsync(db, Move, kind, cancel);
                return true;
            },
            cancel
        );

    public async Task MarkGoneAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        if (numbers.Count > 0)
            await WriteAsync(
                async db =>
                {
                    await MarkGoneAsync(db, folder, numbers, cancel);
                    return true;
                },
                cancel
            );
    }

    private static async Task MarkGoneAsync(CaravanDb db, long folder, NumberSet numbers, CancellationToken cancel)
    {
        foreach (var (first, last) in numbers.Ranges)
        {
            var (low, high) = ((long)first, (long)last);
            await db
                .LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high)
                .ExecuteUpdateAsync(set => set.SetProperty(i => i.Gone, true), cancel);
            await db.LeftBehind.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteDeleteAsync(cancel);
        }
    }

    public Task TransferAsync(long folder, NumberSet numbers, long to, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await MarkGoneAsync(db, folder, numbers, cancel);
                await InsertAsync(db, [new PageEntries(to, entries)], cancel);
                return true;
            },
            cancel
        );

    public Task RecordKeysAsync(long folder, IReadOnlyDictionary<uint, UInt128> keys, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await s_keys.WriteAsync(
                    db,
                    keys,
                    (k, row) => row.Add(folder).Add(k.Key).Add(Move).Add((long)(ulong)k.Value).Add((long)(ulong)(k.Value >> 64)),
                    cancel
                );
                return true;
            },
            cancel
        );

    public async Task<IReadOnlyDictionary<uint, UInt128>> KeysAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        await using var db = database.Read();
        var keys = new Dictionary<uint, UInt128>();
        foreach (var (first, last) in numbers.Ranges)
        {
            var (low, high) = ((long)first, (long)last);
            await foreach (
                var row in db
                    .ItemKeys.Where(k => k.FolderId == folder && k.Number >= low && k.Number <= high)
                    .AsAsyncEnumerable()
                    .WithCancellation(cancel)
            )
                keys[(uint)row.Number] = KeyOf(row.Low, row.High);
        }
        return keys;
    }

    public async Task<IReadOnlyList<KeyedEntry>> FindKeysAsync(IReadOnlyCollection<UInt128> keys, CancellationToken cancel)
    {
        await using var db = database.Read();
        var wanted = keys.ToHashSet();
        var found = new List<KeyedEntry>();
        foreach (var lows in wanted.Select(k => (long)(ulong)k).Chunk(KeysPerQuery))
        {
            var rows = await (
                from key in db.ItemKeys
                where key.MoveId == Move && lows.Contains(key.Low)
                join item in db.LedgerItems on new { key.FolderId, key.Number } equals new { item.FolderId, item.Number }
                join folder in db.LedgerFolders on key.FolderId equals folder.Id
                where !item.Gone
                select new
                {
                    key.Low,
                    key.High,
                    Item = item,
                    folder.To,
                }
            ).ToListAsync(cancel);
            foreach (var row in rows.Where(r => wanted.Contains(KeyOf(r.Low, r.High))))
            {
                var entry = new LedgerEntry(
                    (uint)row.Item.Number,
                    (uint?)row.Item.Landed,
                    row.Item.Outcome,
                    await flagSets.SetOfAsync(db, row.Item.Flags, cancel)
                )
                {
                    Size = row.Item.Size,
                };
                found.Add(
                    new KeyedEntry(KeyOf(row.Low, row.High), row.Item.FolderId, row.To.Length == 0 ? null : FolderPath.Parse(row.To), entry)
                );
            }
        }
        return found;
    }

    private static UInt128 KeyOf(long low, long high) => new((ulong)high, (ulong)low);

    public Task RenamePlaceAsync(long folder, FolderPath to, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var row = await db.LedgerFolders.AsTracking().FirstAsync(f => f.Id == folder, cancel);
                (row.RenamedFrom, row.To) = (row.RenamedFrom ?? row.To, to.ToString());
                return true;
            },
            cancel
        );

    public Task ReopenAsync(long folder, NumberSet numbers, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                foreach (var (first, last) in numbers.Ranges)
                {
                    var (low, high) = ((long)first, (long)last);
                    await db.LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteDeleteAsync(cancel);
                    await db.LeftBehind.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteDeleteAsync(cancel);
                }
                await db.LedgerFolders.Where(f => f.Id == folder).ExecuteUpdateAsync(set => set.SetProperty(f => f.Reopened, true), cancel);
                return true;
            },
            cancel
        );

    public async Task<IReadOnlyList<UnclaimedMessage>> UnclaimedAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        var unclaimed = new List<UnclaimedMessage>();
        await foreach (var row in db.UnclaimedMessages.Where(s => s.FolderId == folder).AsAsyncEnumerable().WithCancellation(cancel))
            unclaimed.Add(
                new UnclaimedMessage((uint)row.Number, row.Size, new Core.Carrying.Mail.Identity(KeyOf(row.Low, row.High), row.Certain))
            );
        return unclaimed;
    }

    public async Task KeepUnclaimedAsync(long folder, IReadOnlyList<UnclaimedMessage> fresh, NumberSet gone, CancellationToken cancel)
    {
        if (fresh.Count == 0 && gone.Count == 0)
            return;
        await WriteAsync(
            async db =>
            {
                foreach (var (first, last) in gone.Ranges)
                {
                    var (low, high) = ((long)first, (long)last);
                    await db
                        .UnclaimedMessages.Where(s => s.FolderId == folder && s.Number >= low && s.Number <= high)
                        .ExecuteDeleteAsync(cancel);
                }
                await s_unclaimed.WriteAsync(
                    db,
                    fresh,
                    (s, row) =>
                        row.Add(folder)
                            .Add(s.Number)
                            .Add(s.Size)
                            .Add((long)(ulong)s.Print.Print)
                            .Add((long)(ulong)(s.Print.Print >> 64))
                            .Add(s.Print.Certain),
                    cancel
                );
                return true;
            },
            cancel
        );
    }

    public Task CompleteAsync(IReadOnlyList<PageEnd> pages, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                foreach (var page in pages)
                {
                    var sums = await database.Queries.Sums(db, page.Folder).ToListAsync(cancel);
                    long Of(Outcome outcome) => sums.Where(s => s.Outcome == outcome && !s.Gone).Sum(s => s.Count);
                    var gone = sums.Where(s => s.Gone).Sum(s => s.Count);
                    await db.Database.ExecuteSqlAsync(
                        $"""
                        UPDATE ledger_folders SET "CursorNext" = {(long)page.Cursor.Next}, "CursorMark" = {(long?)
                            page.Cursor.Mark}, "CursorCount" = {(long)page.Cursor.Count}, "Reopened" = {false},
                        "Found" = {page.Found}, "Carried" = {Of(Outcome.Carried)}, "Paired" = {Of(Outcome.Paired)}, "Excluded" = {Of(
                            Outcome.Excluded
                        )}, "LeftBehind" = {Of(Outcome.LeftBehind)},
                        "Gone" = {gone}, "Octets" = "OctetsBefore" + {sums.Where(s => s is { Outcome: Outcome.Carried, Gone: false }).Sum(
                            s => s.Octets
                        )},
                        "SeenNext" = {(long?)page.Seen?.Next}, "SeenCount" = {(long?)page.Seen?.Count} WHERE "Id" = {page.Folder}
                        """,
                        cancel
                    );
                }
                return true;
            },
            cancel
        );

    private async Task InsertAsync(CaravanDb db, IReadOnlyList<PageEntries> pages, CancellationToken cancel)
    {
        var ids = new Dictionary<FlagSet, int>();
        foreach (var entry in pages.SelectMany(p => p.Entries))
            if (!ids.ContainsKey(entry.Flags))
                ids[entry.Flags] = await flagSets.IdOfAsync(db, entry.Flags, cancel);
        await s_items.WriteAsync(
            db,
            pages.SelectMany(p => p.Entries.Select(e => (p.Folder, Entry: e))),
            (e, row) =>
                row.Add(e.Folder)
                    .Add(e.Entry.Number)
                    .Add(e.Entry.Landed)
                    .Add((int)e.Entry.Outcome)
                    .Add(false)
                    .Add(ids[e.Entry.Flags])
                    .Add(e.Entry.Size),
            cancel
        );
    }

    private Task<T> WriteAsync<T>(Func<CaravanDb, Task<T>> work, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var until = Now + (long)MoveStore.Lease.TotalMilliseconds;
                var held = await db.Database.ExecuteSqlAsync(
                    $"""
                    UPDATE moves SET "LeaseUntil" = {until} WHERE "Id" = {Move} AND "Fence" = {claim.Fence} AND "LeaseOwner" = {claim.Owner}
                    """,
                    cancel
                );
                if (held == 0)
                    throw new LeaseLostException();
                return await work(db);
            },
            cancel
        );
}
