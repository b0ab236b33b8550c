using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>A move's sums over its folders, kept on its row so that a table of thousands reads one row each.</summary>
internal static class Totals
{
    public static async Task UpdateAsync(CaravanDb db, long move, CancellationToken cancel)
    {
        var folders = await db.LedgerFolders.Where(f => f.MoveId == move)
            .Select(f => new { f.Found, f.Carried, f.Paired, f.Excluded }).ToListAsync(cancel);
        var open = await db.LeftBehind.CountAsync(i => i.State != Rows.LeftBehindState.Accepted && db.LedgerFolders.Any(f => f.Id == i.FolderId && f.MoveId == move), cancel);
        var (found, carried, paired, excluded) = (folders.Sum(f => f.Found), folders.Sum(f => f.Carried), folders.Sum(f => f.Paired), folders.Sum(f => f.Excluded));
        await db.Moves.Where(m => m.Id == move).ExecuteUpdateAsync(
            set => set.SetProperty(m => m.Found, found).SetProperty(m => m.Carried, carried).SetProperty(m => m.Paired, paired)
                .SetProperty(m => m.Excluded, excluded).SetProperty(m => m.LeftBehind, open), cancel);
    }
}
