using System.Globalization;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>How long parcels are kept that somebody set a day for by themselves: those that were sent in, or are needed longer.</summary>
public sealed class ParcelTerms(Database database, Journal journal)
{
    /// <summary>By place and name; null: until somebody deletes it.</summary>
    public async Task<IReadOnlyDictionary<(string Place, string Name), DateTimeOffset?>> ListAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return (await db.ParcelTerms.ToListAsync(cancel)).ToDictionary(
            t => (t.Place, t.Name),
            t => t.KeepUntil is { } until ? DateTimeOffset.FromUnixTimeMilliseconds(until) : (DateTimeOffset?)null
        );
    }

    public Task SetAsync(string place, string name, DateTimeOffset? until, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await db.ParcelTerms.Where(t => t.Place == place && t.Name == name).ExecuteDeleteAsync(cancel);
                db.ParcelTerms.Add(
                    new ParcelTermRow
                    {
                        Place = place,
                        Name = name,
                        KeepUntil = until?.ToUnixTimeMilliseconds(),
                    }
                );
                var said = until is { } day
                    ? day.UtcDateTime.ToString("yyyy-MM-dd HH:mm 'UTC'", CultureInfo.InvariantCulture)
                    : "somebody deletes it";
                journal.Add(db, who, null, null, $"keeps the parcel {name} of {place} until {said}");
            },
            cancel
        );

    /// <summary>The parcel is gone: one that gets its name later has a term of its own.</summary>
    public Task EndAsync(string place, string name, string who, string what, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await db.ParcelTerms.Where(t => t.Place == place && t.Name == name).ExecuteDeleteAsync(cancel);
                journal.Add(db, who, null, null, what);
            },
            cancel
        );
}
