using System.Globalization;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Differences between the sides as rows, and their sums on the ledger's pages.</summary>
internal static class Differences
{
    public static async Task<List<KnownDifference>> OfMoveAsync(CaravanDb db, long move, Kind kind, CancellationToken cancel) =>
        [
            .. (
                await db
                    .Differences.AsNoTracking()
                    .Where(d => db.LedgerFolders.Any(f => f.Id == d.FolderId && f.MoveId == move && f.Kind == kind))
                    .OrderBy(d => d.Id)
                    .ToListAsync(cancel)
            ).Select(Of),
        ];

    public static KnownDifference Of(DifferenceRow row) =>
        new(
            row.Id,
            new Difference(
                row.FolderId,
                (uint)row.Number,
                (uint)row.Landed,
                row.Kind,
                row.What,
                new ByteCount(row.Size),
                row.Received is { } at ? DateTimeOffset.Parse(at, CultureInfo.InvariantCulture) : null,
                row.Subject,
                row.Sender
            ),
            row.State
        );

    /// <summary>Replaces the differences of earlier checks by those of this one; decisions about what remains are kept.</summary>
    public static async Task ReplaceAsync(CaravanDb db, PageLook look, long now, CancellationToken cancel)
    {
        var seen = await db
            .Differences.AsTracking()
            .Where(d =>
                d.FolderId == look.Folder
                && (
                    d.Kind == DifferenceKind.Missing
                    || d.Kind == DifferenceKind.Twice
                    || d.Kind == DifferenceKind.Moved
                    || d.Kind == DifferenceKind.Removed
                )
            )
            .ToListAsync(cancel);
        var found = look.Found.Select(KeyOf).ToHashSet();
        // When not everything could be read, it is not known whether a difference has gone.
        if (look.Seen is not null)
            db.Differences.RemoveRange(seen.Where(row => !found.Contains(KeyOf(row))));
        await AddAsync(db, look.Found, now, cancel);
    }

    /// <summary>Adds new differences; known ones keep their decisions, and say what is known of them now.</summary>
    public static async Task AddAsync(CaravanDb db, IReadOnlyList<Difference> differences, long now, CancellationToken cancel)
    {
        if (differences.Count == 0)
            return;
        var folders = differences.Select(d => d.Folder).Distinct().ToList();
        var known = (await db.Differences.AsTracking().Where(d => folders.Contains(d.FolderId)).ToListAsync(cancel)).ToDictionary(KeyOf);
        foreach (var difference in differences)
        {
            if (known.TryGetValue(KeyOf(difference), out var row))
            {
                row.What = difference.What;
                continue;
            }
            row = new DifferenceRow
            {
                FolderId = difference.Folder,
                Kind = difference.Kind,
                Number = difference.Number,
                Landed = difference.Landed,
                What = difference.What,
                Size = difference.Size.Count,
                Received = difference.Received?.ToString("O", CultureInfo.InvariantCulture),
                Subject = difference.Subject,
                Sender = difference.Sender,
                SeenAt = now,
            };
            known.Add(KeyOf(row), row);
            db.Differences.Add(row);
        }
        await db.SaveChangesAsync(cancel);
    }

    /// <summary>The sums of pages whose differences changed, and of their move.</summary>
    public static async Task CountAsync(CaravanDb db, long move, Kind kind, IReadOnlyCollection<long> folders, CancellationToken cancel)
    {
        await db.SaveChangesAsync(cancel);
        foreach (var folder in folders)
        {
            await db.Database.ExecuteSqlAsync(
                $"""
                UPDATE ledger_folders SET
                "Missing" = (SELECT COUNT(*) FROM differences d WHERE d."FolderId" = {folder} AND d."Kind" = {(int)DifferenceKind.Missing}),
                "Twice" = (SELECT COUNT(*) FROM differences d WHERE d."FolderId" = {folder} AND d."Kind" = {(int)DifferenceKind.Twice}),
                "Altered" = (SELECT COUNT(*) FROM differences d WHERE d."FolderId" = {folder} AND d."Kind" = {(int)DifferenceKind.Altered}),
                "Undecided" = (SELECT COUNT(*) FROM differences d WHERE d."FolderId" = {folder} AND d."State" <> {(int)
                    DifferenceState.Accepted}
                    AND d."Kind" IN ({(int)DifferenceKind.Missing}, {(int)DifferenceKind.Twice}, {(int)DifferenceKind.Altered}))
                WHERE "Id" = {folder}
                """,
                cancel
            );
        }
        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE legs SET "Undecided" =
                (SELECT COALESCE(SUM("Undecided"), 0) FROM ledger_folders WHERE "MoveId" = {move} AND "Kind" = {(int)kind})
            WHERE "MoveId" = {move} AND "Kind" = {(int)kind}
            """,
            cancel
        );
        await Totals.SumLegsAsync(db, move, cancel);
    }

    private static (long, DifferenceKind, long, long) KeyOf(Difference d) => (d.Folder, d.Kind, d.Number, d.Landed);

    private static (long, DifferenceKind, long, long) KeyOf(DifferenceRow d) => (d.FolderId, d.Kind, d.Number, d.Landed);
}
