using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Messages that mail rules had excluded, for the case that those rules change.</summary>
internal static class Excluded
{
    /// <summary>The next pass examines them again under the rules that are in force then.</summary>
    public static async Task ReopenAsync(CaravanDb db, IReadOnlyCollection<long> moves, CancellationToken cancel)
    {
        var folders = await db
            .LedgerFolders.Where(f => f.To != "" && f.Excluded > 0 && moves.Contains(f.MoveId))
            .Select(f => f.Id)
            .ToListAsync(cancel);
        await db.LedgerItems.Where(i => folders.Contains(i.FolderId) && i.Outcome == Outcome.Excluded).ExecuteDeleteAsync(cancel);
        await db.LedgerFolders.Where(f => folders.Contains(f.Id)).ExecuteUpdateAsync(set => set.SetProperty(f => f.Reopened, true), cancel);
    }
}
