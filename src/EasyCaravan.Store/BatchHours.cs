using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>The history of batches, hour by hour.</summary>
public sealed class BatchHours(Database database)
{
    private const long Day = 24 * 3_600_000L;

    /// <summary>Writes how batches stand, where something changed since they were last written down, and once a day in any case.</summary>
    public Task KeepAsync(IReadOnlyCollection<BatchHourRow> now, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                foreach (var hour in now)
                {
                    var before = await db
                        .BatchHours.Where(h => h.Batch == hour.Batch)
                        .OrderByDescending(h => h.Hour)
                        .FirstOrDefaultAsync(cancel);
                    if (before is not null && IsSame(before, hour) && before.Hour / Day == hour.Hour / Day)
                        continue;
                    await db.Database.ExecuteSqlAsync(
                        $"""
                        INSERT INTO batch_hours ("Batch", "Hour", "StagesJson", "NeedsYou", "Found", "Settled", "Octets",
                            "ForecastEarliest", "ForecastLatest")
                        VALUES ({hour.Batch}, {hour.Hour}, {hour.StagesJson}, {hour.NeedsYou}, {hour.Found}, {hour.Settled}, {hour.Octets},
                            {hour.ForecastEarliest}, {hour.ForecastLatest})
                        ON CONFLICT ("Batch", "Hour") DO UPDATE SET "StagesJson" = excluded."StagesJson", "NeedsYou" = excluded."NeedsYou",
                            "Found" = excluded."Found", "Settled" = excluded."Settled", "Octets" = excluded."Octets",
                            "ForecastEarliest" = excluded."ForecastEarliest", "ForecastLatest" = excluded."ForecastLatest"
                        """,
                        cancel
                    );
                }
            },
            cancel
        );

    private static bool IsSame(BatchHourRow before, BatchHourRow now) =>
        (before.StagesJson, before.NeedsYou, before.Found, before.Settled, before.Octets)
        == (now.StagesJson, now.NeedsYou, now.Found, now.Settled, now.Octets);

    public async Task<IReadOnlyList<BatchHourRow>> ReadAsync(string batch, long since, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.BatchHours.Where(h => h.Batch == batch && h.Hour >= since).OrderBy(h => h.Hour).ToListAsync(cancel);
    }
}
