using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Remembers how services like to be used, so that nobody has to find it out anew after each start.</summary>
public sealed class ServiceSpeeds(Database database)
{
    /// <returns>Null where nothing was measured yet.</returns>
    public async Task<ServiceSpeedRow?> FindAsync(string service, Kind kind, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.ServiceSpeeds.FirstOrDefaultAsync(s => s.Service == service && s.Kind == kind, cancel);
    }

    public Task KeepReadingAsync(string service, Kind kind, double? multiGet, double? query, CancellationToken cancel) =>
        KeepAsync(service, kind, row => (row.MultiGet, row.Query) = (multiGet, query), cancel);

    public Task KeepWritingAsync(string service, Kind kind, int lanes, CancellationToken cancel) =>
        KeepAsync(service, kind, row => row.WritingLanes = lanes, cancel);

    private Task KeepAsync(string service, Kind kind, Action<ServiceSpeedRow> set, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var row = await db.ServiceSpeeds.AsTracking().FirstOrDefaultAsync(s => s.Service == service && s.Kind == kind, cancel);
                if (row is null)
                    db.ServiceSpeeds.Add(row = new ServiceSpeedRow { Service = service, Kind = kind });
                set(row);
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );
}
