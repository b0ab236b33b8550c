using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>What is kept of moves that were taken back, and what is let go then.</summary>
internal static class TakeBacks
{
    /// <summary>The ledger of a move, with its sums: as if nothing had ever been carried.</summary>
    public static async Task ForgetLedgerAsync(CaravanDb db, long move, CancellationToken cancel)
    {
        var pages = db.LedgerFolders.Where(f => f.MoveId == move).Select(f => f.Id);
        await db.LedgerItems.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.ItemKeys.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.Arrivals.Where(a => a.MoveId == move).ExecuteDeleteAsync(cancel);
        await db.LateMail.Where(m => m.MoveId == move).ExecuteDeleteAsync(cancel);
        await db.ArrivalLooks.Where(l => l.MoveId == move).ExecuteDeleteAsync(cancel);
        await db.UnclaimedMessages.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.LeftBehind.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.Differences.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.ItemForms.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.ItemOriginals.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.CollectionItems.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.CollectionPages.Where(i => pages.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.LedgerFolders.Where(f => f.MoveId == move).ExecuteDeleteAsync(cancel);
        await db.MadePlaces.Where(p => p.MoveId == move).ExecuteDeleteAsync(cancel);
        await db.Comparisons.Where(c => c.MoveId == move).ExecuteDeleteAsync(cancel);
        await db
            .Legs.Where(l => l.MoveId == move)
            .ExecuteUpdateAsync(
                set =>
                    set.SetProperty(l => l.Found, 0)
                        .SetProperty(l => l.Carried, 0)
                        .SetProperty(l => l.Paired, 0)
                        .SetProperty(l => l.Excluded, 0)
                        .SetProperty(l => l.LeftBehind, 0)
                        .SetProperty(l => l.OpenLeftBehind, 0)
                        .SetProperty(l => l.Undecided, 0)
                        .SetProperty(l => l.Octets, 0),
                cancel
            );
        await Totals.SumLegsAsync(db, move, cancel);
    }

    /// <summary>The reports of these moves.</summary>
    public static async Task RemoveAsync(CaravanDb db, IReadOnlyCollection<long> moves, CancellationToken cancel)
    {
        var folders = db.TakeBackFolders.Where(f => moves.Contains(f.MoveId)).Select(f => f.Id);
        await db.TakeBackItems.Where(i => folders.Contains(i.FolderId)).ExecuteDeleteAsync(cancel);
        await db.TakeBackFolders.Where(f => moves.Contains(f.MoveId)).ExecuteDeleteAsync(cancel);
        await db.TakeBacks.Where(t => moves.Contains(t.MoveId)).ExecuteDeleteAsync(cancel);
    }
}
