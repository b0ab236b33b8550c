using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>
/// Remembers where accounts have their address books and calendars: looking for it costs more than a pass without changes.
/// </summary>
public sealed class CollectionHomes(Database database)
{
    /// <returns>As it was kept; null where it is not known for this URL.</returns>
    public async Task<string?> FindAsync(string service, string account, Kind kind, string url, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db
            .CollectionHomes.Where(h => h.Service == service && h.Account == account && h.Kind == kind && h.Url == url)
            .Select(h => h.Found)
            .FirstOrDefaultAsync(cancel);
    }

    public Task KeepAsync(string service, string account, Kind kind, string url, string found, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await ForgetAsync(db, service, account, kind, cancel);
                db.CollectionHomes.Add(
                    new CollectionHomeRow
                    {
                        Service = service,
                        Account = account,
                        Kind = kind,
                        Url = url,
                        Found = found,
                    }
                );
            },
            cancel
        );

    /// <summary>It is looked for anew the next time.</summary>
    public Task ForgetAsync(string service, string account, Kind kind, CancellationToken cancel) =>
        database.WriteAsync(db => ForgetAsync(db, service, account, kind, cancel), cancel);

    private static Task ForgetAsync(CaravanDb db, string service, string account, Kind kind, CancellationToken cancel) =>
        db.CollectionHomes.Where(h => h.Service == service && h.Account == account && h.Kind == kind).ExecuteDeleteAsync(cancel);
}
