using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>A move's sums over its folders, kept on its row so that a table of thousands reads one row each.</summary>
internal static class Totals
{
    public static Task UpdateAsync(CaravanDb db, long move, CancellationToken cancel) => db.Database.ExecuteSqlAsync(
        $"""
        UPDATE moves SET
        ("Found", "Carried", "Paired", "Excluded") =
            (SELECT COALESCE(SUM("Found"), 0), COALESCE(SUM("Carried"), 0), COALESCE(SUM("Paired"), 0), COALESCE(SUM("Excluded"), 0) FROM ledger_folders WHERE "MoveId" = {move}),
        "LeftBehind" = (SELECT COUNT(*) FROM left_behind i JOIN ledger_folders f ON f."Id" = i."FolderId" WHERE f."MoveId" = {move} AND i."State" <> {(int)Rows.LeftBehindState.Accepted})
        WHERE "Id" = {move}
        """, cancel);
}
