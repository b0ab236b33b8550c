using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>A login or secret that a person gives for one account.</summary>
/// <param name="Login">Null: it stays.</param>
/// <param name="Secret">Null: it stays.</param>
public sealed record NewSecret(long Move, string? Login, string? Secret)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(NewSecret)} of move {Move}";
}

/// <summary>
/// Logins and secrets that people mend here instead of in a roster: sealed at once, and whoever was stopped for want of them goes on.
/// </summary>
public sealed class SetSecrets(Database database, Journal journal, ISecrets secrets, TimeProvider time)
{
    /// <param name="isFrom">Of the from accounts; else of the to accounts.</param>
    /// <param name="service">The service on that side: moves that it stopped go on.</param>
    /// <returns>The moves that go on.</returns>
    public Task<IReadOnlyList<long>> SetAsync(
        string batch,
        bool isFrom,
        string service,
        IReadOnlyCollection<NewSecret> given,
        Timetable? timetable,
        string who,
        CancellationToken cancel
    ) =>
        database.WriteAsync<IReadOnlyList<long>>(
            async db =>
            {
                var now = Instant.FromDateTimeOffset(time.GetUtcNow());
                var goesOn = new List<long>();
                foreach (var one in given)
                {
                    var row = await db
                        .Moves.AsTracking()
                        .Include(m => m.Legs)
                        .Include(m => m.Crossing)
                        .FirstAsync(m => m.Id == one.Move && m.Batch == batch, cancel);
                    Put(row, isFrom, one);
                    journal.Add(db, who, batch, new MoveRowName(row.Id, row.FromAccount), WordsOf(isFrom, one, row));
                    if (StoppedAtSignIn.GoOn(row, service, timetable, now))
                        goesOn.Add(row.Id);
                }
                await db.SaveChangesAsync(cancel);
                return goesOn;
            },
            cancel
        );

    private void Put(MoveRow row, bool isFrom, NewSecret given)
    {
        if (given.Login is { } login && isFrom)
            (row.FromLoginBefore, row.FromLogin) = (row.FromLoginBefore ?? row.FromLogin, login);
        else if (given.Login is { } other)
            (row.ToLoginBefore, row.ToLogin) = (row.ToLoginBefore ?? row.ToLogin, other);
        if (given.Secret is null)
            return;
        var sealedSecret = secrets.Seal(given.Secret);
        if (isFrom)
            (row.FromSecretBefore, row.FromSecret, row.FromSecretReference) = (row.FromSecretBefore ?? row.FromSecret, sealedSecret, null);
        else
            (row.ToSecretBefore, row.ToSecret, row.ToSecretReference) = (row.ToSecretBefore ?? row.ToSecret, sealedSecret, null);
    }

    private static string WordsOf(bool isFrom, NewSecret given, MoveRow row)
    {
        var account = isFrom ? $"from account {row.FromAccount}" : $"to account {row.ToAccount}";
        return (given.Login, given.Secret) switch
        {
            ({ } login, null) => $"set the login of the {account} to {login}",
            ({ } login, _) => $"set the login of the {account} to {login}, and a new secret",
            _ => $"set a new secret for the {account}",
        };
    }
}
