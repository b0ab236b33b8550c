using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Differences between what the ledger says and what the to side holds, and how far a comparison has come.</summary>
internal sealed partial class Ledger
{
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

    public async Task<ComparisonProgress?> ComparisonAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Comparisons.FirstOrDefaultAsync(c => c.MoveId == Move, cancel) is { } row
            ? new ComparisonProgress(row.Share, row.Page, (uint)row.Number)
            {
                Kind = row.Kind,
                Compared = row.Compared,
                Octets = new ByteCount(row.Octets),
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
                                .SetProperty(c => c.Kind, progress.Kind)
                                .SetProperty(c => c.Compared, progress.Compared)
                                .SetProperty(c => c.Octets, progress.Octets.Count)
                                .SetProperty(c => c.Differing, progress.Differing)
                                .SetProperty(c => c.FlagsChanged, progress.FlagsChanged)
                                .SetProperty(c => c.Arrived, progress.Arrived)
                                .SetProperty(c => c.EndedAt, progress.IsDone ? Now : null),
                        cancel
                    ),
            cancel
        );
}
