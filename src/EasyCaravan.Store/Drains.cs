using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>
/// Services that are emptied of passes before maintenance: those that run come to their end, and none begins. Kept in the store, so that it
/// holds for every process and over a restart.
/// </summary>
public sealed class Drains(Database database, Journal journal, TimeProvider time)
{
    /// <summary>Stands for every service.</summary>
    public const string Everything = "";

    public async Task<IReadOnlyList<DrainRow>> ListAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Drains.OrderBy(d => d.Service).ToListAsync(cancel);
    }

    /// <summary>The batches of a plan that use a drained service, each with that service, or with <see cref="Everything"/>.</summary>
    /// <param name="stopped">Only of services on which running passes are to stop.</param>
    public async Task<IReadOnlyDictionary<string, string>> BatchesAsync(Plan plan, CancellationToken cancel, bool stopped = false)
    {
        await using var db = database.Read();
        var drained = new HashSet<string>();
        await foreach (var drain in database.Queries.Drains(db).WithCancellation(cancel))
            if (!stopped || drain.StopsRunning)
                drained.Add(drain.Service);
        var batches = new Dictionary<string, string>();
        foreach (var batch in drained.Count == 0 ? [] : plan.Batches)
            if ((drained.FirstOrDefault(s => plan.Uses(batch, s)) ?? (drained.Contains(Everything) ? Everything : null)) is { } service)
                batches[batch.Name] = service;
        return batches;
    }

    /// <param name="stopRunning">Passes that run end the item in hand and wait, too.</param>
    /// <returns>False: it was so already.</returns>
    public Task<bool> BeginAsync(string service, bool stopRunning, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var begun = await db.Database.ExecuteSqlAsync(
                    $"""
                    INSERT INTO drains ("Service", "StopsRunning", "Who", "At")
                    VALUES ({service}, {stopRunning}, {who}, {time.GetUtcNow().ToUnixTimeMilliseconds()})
                    ON CONFLICT ("Service") DO UPDATE SET "StopsRunning" = excluded."StopsRunning"
                    WHERE drains."StopsRunning" <> excluded."StopsRunning"
                    """,
                    cancel
                );
                if (begun > 0)
                    journal.Add(
                        db,
                        who,
                        null,
                        null,
                        $"began to drain {NameOf(service)}: no pass begins on it, and those that run "
                            + (stopRunning ? "stop after the item in hand" : "come to their end")
                    );
                return begun > 0;
            },
            cancel
        );

    /// <returns>False: it was so already.</returns>
    public Task<bool> EndAsync(string service, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var ended = await db.Drains.Where(d => d.Service == service).ExecuteDeleteAsync(cancel) > 0;
                if (ended)
                    journal.Add(db, who, null, null, $"let passes begin again on {NameOf(service)}");
                return ended;
            },
            cancel
        );

    private static string NameOf(string service) => service == Everything ? "every service" : service;
}
