using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>
/// The ledger of one kind of a claimed move; here its pages, one for each folder. Every write first proves that the
/// lease still holds, in the same transaction.
/// </summary>
internal sealed partial class Ledger(Database database, FlagSets flagSets, TimeProvider time, Claim claim, Kind kind) : ILedger
{
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

    private Task<T> WriteAsync<T>(Func<CaravanDb, Task<T>> work, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await MoveStore.ProveLeaseAsync(db, claim, Now, cancel);
                return await work(db);
            },
            cancel
        );
}
