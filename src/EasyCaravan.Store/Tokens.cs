using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Who showed a token that is good.</summary>
public sealed record TokenHolder(long Id, string Name);

/// <summary>A token as it is listed: without itself.</summary>
/// <param name="Sessions">Browsers that are signed in with it.</param>
public sealed record KeptToken(TokenRow Row, int Sessions);

/// <summary>What became of the wish to revoke a token.</summary>
public enum Revocation
{
    Done,
    NoSuchToken,

    /// <summary>Nobody could sign in any more.</summary>
    LastOne,
}

/// <summary>Access tokens: 256 random bits each, kept as a hash.</summary>
public sealed class Tokens(Database database, Journal journal, TimeProvider time)
{
    private readonly ConcurrentDictionary<long, long> _used = new();

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    /// <param name="who">Who had it made; null: the service itself.</param>
    /// <param name="ends">Null: it has no end.</param>
    /// <returns>The token itself, shown this once; null: another that is good has this name.</returns>
    public async Task<string?> CreateAsync(string name, string? who, DateTimeOffset? ends, CancellationToken cancel)
    {
        var token = "caravan_" + Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32));
        var isMade = await database.WriteAsync(
            async db =>
            {
                if (await Good(db).AnyAsync(t => t.Name == name, cancel))
                    return false;
                db.Tokens.Add(
                    new TokenRow
                    {
                        Name = name,
                        Hash = HashOf(token),
                        CreatedAt = Now,
                        CreatedBy = who,
                        EndsAt = ends?.ToUnixTimeMilliseconds(),
                    }
                );
                journal.Add(
                    db,
                    who ?? Journal.Service,
                    null,
                    null,
                    ends is { } day ? $"made the token {name}, good until {day:yyyy-MM-dd HH:mm} UTC" : $"made the token {name}"
                );
                return true;
            },
            cancel
        );
        return isMade ? token : null;
    }

    /// <summary>Whose token it is; null: it is none of ours, was revoked, or is over.</summary>
    public async Task<TokenHolder?> FindAsync(string token, CancellationToken cancel)
    {
        var hash = HashOf(token);
        await using var db = database.Read();
        var found = await Good(db).Where(t => t.Hash == hash).Select(t => new TokenHolder(t.Id, t.Name)).FirstOrDefaultAsync(cancel);
        if (found is not null)
            NoteUse(found.Id);
        return found;
    }

    public async Task<bool> IsGoodAsync(long id, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await Good(db).AnyAsync(t => t.Id == id, cancel);
    }

    public async Task<bool> AnyGoodAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await Good(db).AnyAsync(cancel);
    }

    /// <summary>All that were ever made, the newest first.</summary>
    public async Task<List<KeptToken>> ListAsync(CancellationToken cancel)
    {
        await WriteUsesAsync(cancel);
        var now = Now;
        await using var db = database.Read();
        return await db
            .Tokens.OrderByDescending(t => t.Id)
            .Select(t => new KeptToken(t, db.Sessions.Count(s => s.TokenId == t.Id && s.EndsAt > now)))
            .ToListAsync(cancel);
    }

    /// <summary>It and the sessions that were begun with it are good for nothing from now on.</summary>
    public async Task<Revocation> RevokeAsync(string name, string who, CancellationToken cancel)
    {
        var revocation = await database.WriteAsync(
            async db =>
            {
                if (await Good(db).AsTracking().FirstOrDefaultAsync(t => t.Name == name, cancel) is not { } token)
                    return Revocation.NoSuchToken;
                if (!await Good(db).AnyAsync(t => t.Id != token.Id, cancel))
                    return Revocation.LastOne;
                token.RevokedAt = Now;
                await db.Sessions.Where(s => s.TokenId == token.Id).ExecuteDeleteAsync(cancel);
                journal.Add(db, who, null, null, $"revoked the token {name}");
                return Revocation.Done;
            },
            cancel
        );
        return revocation;
    }

    /// <summary>Remembered here, and written by <see cref="WriteUsesAsync"/>: a read shall not wait for the writer.</summary>
    internal void NoteUse(long id) => _used[id] = Now;

    public async Task WriteUsesAsync(CancellationToken cancel)
    {
        var uses = _used.ToArray();
        if (uses.Length == 0)
            return;
        await database.WriteAsync(
            async db =>
            {
                foreach (var (id, at) in uses)
                    await db
                        .Tokens.Where(t => t.Id == id && (t.UsedAt == null || t.UsedAt < at))
                        .ExecuteUpdateAsync(t => t.SetProperty(u => u.UsedAt, at), cancel);
            },
            cancel
        );
        foreach (var use in uses)
            _used.TryRemove(use);
    }

    private IQueryable<TokenRow> Good(CaravanDb db)
    {
        var now = Now;
        return db.Tokens.Where(t => t.RevokedAt == null && (t.EndsAt == null || t.EndsAt > now));
    }

    // A token holds 256 bits of chance, so a plain hash cannot be searched; the lookup by hash takes the same time for any wrong token.
    internal static string HashOf(string token) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(token)));
}
