using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Folders that one of the sides refused, so that they were left behind as a whole.</summary>
internal static class RefusedFolders
{
    /// <summary>Deletes what was left behind with the folder, so that the next pass tries it again.</summary>
    public static async Task RetryAsync(CaravanDb db, long folder, CancellationToken cancel)
    {
        await db.LedgerItems.Where(i => i.FolderId == folder && i.Outcome == Outcome.LeftBehind).ExecuteDeleteAsync(cancel);
        await db.LeftBehind.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
        await db
            .LedgerFolders.Where(f => f.Id == folder)
            .ExecuteUpdateAsync(set => set.SetProperty(f => f.LeftWhole, false).SetProperty(f => f.Reopened, true), cancel);
    }
}
