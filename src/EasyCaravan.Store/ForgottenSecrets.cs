using EasyCaravan.Core.Carrying;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Removes what is known of a person's ways in, once nothing more is to be done for their move.</summary>
internal static class ForgottenSecrets
{
    /// <param name="from">The service of the from side.</param>
    public static async Task ForgetAsync(CaravanDb db, long move, string from, string to, CancellationToken cancel)
    {
        await db
            .Moves.Where(m => m.Id == move)
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
            .Forwardings.Where(f => f.MoveId == move)
            .ExecuteUpdateAsync(set => set.SetProperty(f => f.ConfirmationCode, (string?)null), cancel);
        // With whom somebody exchanges mail is nobody's business once they were told.
        await db.Correspondents.Where(c => c.MoveId == move).ExecuteDeleteAsync(cancel);
        var row = await db.Moves.AsNoTracking().FirstAsync(m => m.Id == move, cancel);
        await ForgetConsentsAsync(db, move, from, row.FromAccount, cancel);
        await ForgetConsentsAsync(db, move, to, row.ToAccount, cancel);
    }

    /// <summary>Unless another move of the same account still needs them.</summary>
    private static async Task ForgetConsentsAsync(CaravanDb db, long move, string service, string account, CancellationToken cancel)
    {
        if (
            !await db.Moves.AnyAsync(
                m =>
                    m.Id != move
                    && m.Stage != Stage.Done
                    && m.Stage != Stage.Withdrawn
                    && (m.FromAccount == account || m.ToAccount == account),
                cancel
            )
        )
            await db.Consents.Where(c => c.Service == service && c.Account == account).ExecuteDeleteAsync(cancel);
    }
}
