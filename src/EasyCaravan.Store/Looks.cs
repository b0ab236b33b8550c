using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>When somebody last looked, and what happened since.</summary>
public sealed class Looks(Database database, TimeProvider time)
{
    /// <summary>Sums of what passes did.</summary>
    public sealed record Sums(long Passes, long Failed, long Carried, long Octets, long CameInStep, long LeftBehind);

    public async Task<long?> LastAsync(string who, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Looks.Where(l => l.Who == who).Select(l => (long?)l.At).FirstOrDefaultAsync(cancel);
    }

    public async Task<long> LookedAsync(string who, CancellationToken cancel)
    {
        var now = time.GetUtcNow().ToUnixTimeMilliseconds();
        await database.WriteAsync(
            db =>
                db.Database.ExecuteSqlAsync(
                    $"""
                    INSERT INTO looks ("Who", "At") VALUES ({who}, {now})
                    ON CONFLICT ("Who") DO UPDATE SET "At" = excluded."At"
                    """,
                    cancel
                ),
            cancel
        );
        return now;
    }

    /// <param name="since">Milliseconds.</param>
    public async Task<Sums> SinceAsync(long since, CancellationToken cancel)
    {
        await using var db = database.Read();
        var legs = await db
            .PassLegs.Where(l => l.EndedAt > since)
            .GroupBy(_ => 1)
            .Select(g => new
            {
                Failed = g.Count(l => l.Fault != null),
                Carried = g.Sum(l => l.Carried),
                Octets = g.Sum(l => l.Octets),
                LeftBehind = g.Sum(l => l.LeftBehind),
            })
            .FirstOrDefaultAsync(cancel);
        return new Sums(
            await db.Passes.LongCountAsync(p => p.EndedAt > since, cancel),
            legs?.Failed ?? 0,
            legs?.Carried ?? 0,
            legs?.Octets ?? 0,
            await db.Legs.LongCountAsync(l => l.InStepSince > since, cancel),
            legs?.LeftBehind ?? 0
        );
    }
}
