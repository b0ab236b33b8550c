using EasyCaravan.Core.Carrying;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Removes what is known of people's ways in, once nothing more is to be done for their moves.</summary>
internal static class ForgottenSecrets
{
    public static async Task ForgetAsync(CaravanDb db, IReadOnlyCollection<long> moves, CancellationToken cancel)
    {
        foreach (var ids in moves.Chunk(500))
        {
            await db
                .Moves.Where(m => ids.Contains(m.Id))
                .ExecuteUpdateAsync(
                    set =>
                        set.SetProperty(m => m.FromSecret, (string?)null)
                            .SetProperty(m => m.ToSecret, (string?)null)
                            .SetProperty(m => m.FromSecretBefore, (string?)null)
                            .SetProperty(m => m.ToSecretBefore, (string?)null)
                            .SetProperty(m => m.FromSecretReference, (string?)null)
                            .SetProperty(m => m.ToSecretReference, (string?)null),
                    cancel
                );
            await db
                .Forwardings.Where(f => ids.Contains(f.MoveId))
                .ExecuteUpdateAsync(set => set.SetProperty(f => f.ConfirmationCode, (string?)null), cancel);
            // With whom somebody exchanges mail is nobody's business once they were told.
            await db.Correspondents.Where(c => ids.Contains(c.MoveId)).ExecuteDeleteAsync(cancel);
            await ForgetConsentsAsync(db, ids, cancel);
        }
    }

    /// <summary>Unless another move of the same account still needs them.</summary>
    private static async Task ForgetConsentsAsync(CaravanDb db, long[] ids, CancellationToken cancel)
    {
        var accounts = await db
            .Moves.Where(m => ids.Contains(m.Id))
            .Select(m => m.FromAccount)
            .Union(db.Moves.Where(m => ids.Contains(m.Id)).Select(m => m.ToAccount))
            .ToListAsync(cancel);
        await db
            .Consents.Where(c =>
                accounts.Contains(c.Account)
                && !db.Moves.Any(m =>
                    !ids.Contains(m.Id)
                    && m.Stage != Stage.Done
                    && m.Stage != Stage.Withdrawn
                    && (m.FromAccount == c.Account || m.ToAccount == c.Account)
                )
            )
            .ExecuteDeleteAsync(cancel);
    }
}
