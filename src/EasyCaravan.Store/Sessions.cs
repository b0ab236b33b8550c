using System.Security.Cryptography;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>A browser that is signed in, and with whose token.</summary>
public sealed record OpenSession(long Id, TokenHolder Token);

/// <summary>
/// The console's sessions. Each request looks whether its own is still there: a copy of the cookie is worth nothing after somebody signed
/// out, or after the token was revoked.
/// </summary>
public sealed class Sessions(Database database, Tokens tokens, TimeProvider time)
{
    /// <summary>A session that is not used for this long is over.</summary>
    public static readonly TimeSpan Life = TimeSpan.FromHours(12);

    /// <summary>It is prolonged when this much is gone, so that not each request writes.</summary>
    private static readonly TimeSpan s_prolong = TimeSpan.FromMinutes(30);

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    /// <returns>What the cookie is to hold.</returns>
    public async Task<string> BeginAsync(TokenHolder token, CancellationToken cancel)
    {
        var secret = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32));
        await database.WriteAsync(
            async db =>
            {
                var now = Now;
                await db.Sessions.Where(s => s.EndsAt <= now).ExecuteDeleteAsync(cancel);
                db.Sessions.Add(
                    new SessionRow
                    {
                        Hash = Tokens.HashOf(secret),
                        TokenId = token.Id,
                        CreatedAt = now,
                        EndsAt = now + (long)Life.TotalMilliseconds,
                    }
                );
            },
            cancel
        );
        return secret;
    }

    /// <summary>Null: nobody is signed in with it any more.</summary>
    public async Task<OpenSession?> FindAsync(string secret, CancellationToken cancel)
    {
        var (hash, now) = (Tokens.HashOf(secret), Now);
        SessionRow? row;
        await using (var db = database.Read())
            row = await Open(db, now).Include(s => s.Token).FirstOrDefaultAsync(s => s.Hash == hash, cancel);
        if (row is null)
            return null;
        tokens.NoteUse(row.TokenId);
        if (row.EndsAt - now < (long)(Life - s_prolong).TotalMilliseconds)
            await database.WriteAsync(
                db =>
                    db.Sessions.Where(s => s.Id == row.Id)
                        .ExecuteUpdateAsync(s => s.SetProperty(t => t.EndsAt, now + (long)Life.TotalMilliseconds), cancel),
                cancel
            );
        return new OpenSession(row.Id, new TokenHolder(row.TokenId, row.Token!.Name));
    }

    public async Task<bool> IsOpenAsync(long id, CancellationToken cancel)
    {
        var now = Now;
        await using var db = database.Read();
        return await Open(db, now).AnyAsync(s => s.Id == id, cancel);
    }

    public Task EndAsync(string secret, CancellationToken cancel)
    {
        var hash = Tokens.HashOf(secret);
        return database.WriteAsync(db => db.Sessions.Where(s => s.Hash == hash).ExecuteDeleteAsync(cancel), cancel);
    }

    private static IQueryable<SessionRow> Open(CaravanDb db, long now) =>
        db.Sessions.Where(s => s.EndsAt > now && s.Token!.RevokedAt == null && (s.Token.EndsAt == null || s.Token.EndsAt > now));
}
