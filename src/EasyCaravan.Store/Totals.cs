using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>
/// A move's sums over its folders, kept with its legs and, all kinds together, on its own row, so that a table of thousands reads one row
/// each. They are those of the last pass that ended; what a running one adds stands with the pass.
/// </summary>
internal static class Totals
{
    public static async Task UpdateAsync(CaravanDb db, long move, Kind kind, CancellationToken cancel)
    {
        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE legs SET ("Found", "Carried", "Paired", "Excluded", "Octets", "Undecided") =
                (SELECT COALESCE(SUM("Found"), 0), COALESCE(SUM("Carried"), 0), COALESCE(SUM("Paired"), 0), COALESCE(SUM("Excluded"), 0),
                    COALESCE(SUM("Octets"), 0), COALESCE(SUM("Undecided"), 0)
                FROM ledger_folders WHERE "MoveId" = {move} AND "Kind" = {(int)kind})
            WHERE "MoveId" = {move} AND "Kind" = {(int)kind}
            """,
            cancel
        );
        await UpdateLeftBehindAsync(db, move, kind, cancel);
    }

    /// <summary>What is left behind, and of it what nobody has accepted.</summary>
    public static async Task UpdateLeftBehindAsync(CaravanDb db, long move, Kind kind, CancellationToken cancel)
    {
        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE legs SET ("LeftBehind", "OpenLeftBehind") =
                (SELECT COALESCE(SUM(i."Messages"), 0),
                    COALESCE(SUM(CASE WHEN i."State" <> {(int)Rows.LeftBehindState.Accepted} THEN i."Messages" ELSE 0 END), 0)
                FROM left_behind i JOIN ledger_folders f ON f."Id" = i."FolderId" WHERE f."MoveId" = {move} AND f."Kind" = {(int)kind})
            WHERE "MoveId" = {move} AND "Kind" = {(int)kind}
            """,
            cancel
        );
        await SumLegsAsync(db, move, cancel);
    }

    /// <summary>All kinds together, on the move's own row.</summary>
    public static Task SumLegsAsync(CaravanDb db, long move, CancellationToken cancel) =>
        db.Database.ExecuteSqlAsync(
            $"""
            UPDATE moves SET ("Found", "Carried", "Paired", "Excluded", "LeftBehind", "OpenLeftBehind", "Undecided", "Octets") =
                (SELECT SUM("Found"), SUM("Carried"), SUM("Paired"), SUM("Excluded"),
                    SUM("LeftBehind"), SUM("OpenLeftBehind"), SUM("Undecided"),
                    SUM("Octets")
                FROM legs WHERE "MoveId" = {move})
            WHERE "Id" = {move}
            """,
            cancel
        );

    /// <summary>After a leg that did not come to its end: what it settled stands in the ledger and is counted there.</summary>
    /// <param name="expected">Items that it had yet to settle, of folders too that it did not come to.</param>
    public static async Task RecountAsync(CaravanDb db, long move, Kind kind, long expected, CancellationToken cancel)
    {
        var sums = (
            await (
                from item in db.LedgerItems
                join folder in db.LedgerFolders on item.FolderId equals folder.Id
                where folder.MoveId == move && folder.Kind == kind
                group item by new
                {
                    item.FolderId,
                    item.Outcome,
                    item.Gone,
                } into same
                select new
                {
                    same.Key.FolderId,
                    same.Key.Outcome,
                    same.Key.Gone,
                    Count = same.LongCount(),
                    Octets = same.Sum(i => i.Size),
                }
            ).ToListAsync(cancel)
        ).ToLookup(s => s.FolderId);
        foreach (var page in await db.LedgerFolders.AsTracking().Where(f => f.MoveId == move && f.Kind == kind).ToListAsync(cancel))
        {
            long Of(Outcome outcome) => sums[page.Id].Where(s => s.Outcome == outcome && !s.Gone).Sum(s => s.Count);
            (page.Carried, page.Paired, page.Excluded, page.LeftBehind) = (
                Of(Outcome.Carried),
                Of(Outcome.Paired),
                Of(Outcome.Excluded),
                Of(Outcome.LeftBehind)
            );
            page.Gone = sums[page.Id].Where(s => s.Gone).Sum(s => s.Count);
            page.Octets = page.OctetsBefore + sums[page.Id].Where(s => s.Outcome == Outcome.Carried && !s.Gone).Sum(s => s.Octets);
        }
        await db.SaveChangesAsync(cancel);
        await UpdateAsync(db, move, kind, cancel);
        await db.Database.ExecuteSqlAsync(
            $"""UPDATE legs SET "Found" = {expected} WHERE "MoveId" = {move} AND "Kind" = {(int)kind} AND "Found" < {expected}""",
            cancel
        );
        await SumLegsAsync(db, move, cancel);
    }
}
