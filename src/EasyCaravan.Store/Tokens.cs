using System.Security.Cryptography;
using System.Text;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Access tokens: 256 random bits each, kept as a hash.</summary>
public sealed class Tokens(Database database, TimeProvider time)
{
    /// <returns>The token itself, shown this once.</returns>
    public async Task<string> CreateAsync(string name, CancellationToken cancel)
    {
        var token = "caravan_" + Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32));
        await database.WriteAsync(
            db =>
            {
                db.Tokens.Add(
                    new TokenRow
                    {
                        Name = name,
                        Hash = HashOf(token),
                        CreatedAt = time.GetUtcNow().ToUnixTimeMilliseconds(),
                    }
                );
                return Task.CompletedTask;
            },
            cancel
        );
        return token;
    }

    /// <summary>The name of a token that is valid; null for any other.</summary>
    public async Task<string?> NameOfAsync(string token, CancellationToken cancel)
    {
        var hash = HashOf(token);
        await using var db = database.Read();
        return (await db.Tokens.FirstOrDefaultAsync(t => t.Hash == hash && t.RevokedAt == null, cancel))?.Name;
    }

    public async Task<bool> AnyAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Tokens.AnyAsync(cancel);
    }

    // The token holds 256 bits of chance, so a plain hash cannot be searched; the lookup by hash takes the same time for any wrong token.
    private static string HashOf(string token) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(token)));
}
