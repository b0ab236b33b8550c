using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Remembers how services like to be read, so that nobody has to find it out anew after each start.</summary>
public sealed class ReadingSpeeds(Database database)
{
    /// <returns>Items a second by each way of asking; null where it was not measured yet.</returns>
    public async Task<(double? MultiGet, double? Query)> FindAsync(string service, Kind kind, CancellationToken cancel)
    {
        await using var db = database.Read();
        var row = await db.ReadingSpeeds.FirstOrDefaultAsync(s => s.Service == service && s.Kind == kind, cancel);
        return (row?.MultiGet, row?.Query);
    }

    public Task KeepAsync(string service, Kind kind, double? multiGet, double? query, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await db.ReadingSpeeds.Where(s => s.Service == service && s.Kind == kind).ExecuteDeleteAsync(cancel);
                db.ReadingSpeeds.Add(
                    new ReadingSpeedRow
                    {
                        Service = service,
                        Kind = kind,
                        MultiGet = multiGet,
                        Query = query,
                    }
                );
            },
            cancel
        );
}
