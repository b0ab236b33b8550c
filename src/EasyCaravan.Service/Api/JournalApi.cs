using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>What happened and who asked for it, newest first.</summary>
internal static class JournalApi
{
    private const int LargestPage = 1000;

    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/journal", GetAsync).WithSummary("The journal, newest first, page by page");

    private static async Task<Results<Ok<Page<JournalEntry>>, ProblemHttpResult>> GetAsync(
        Database database,
        CurrentPlan current,
        CancellationToken cancel,
        string? batch = null,
        string? account = null,
        string? cursor = null,
        int limit = 200
    )
    {
        await using var db = database.Read();
        // The journal of a batch that is no longer in the plan can still be read.
        if (
            batch is not null
            && (await current.GetAsync(cancel)).Plan?.Batches.Any(b => b.Name == batch) != true
            && !await db.Journal.AnyAsync(e => e.Batch == batch, cancel)
        )
            return BatchApi.NoBatch(batch);
        var query = db.Journal.AsQueryable();
        if (batch is not null)
            query = query.Where(e => e.Batch == batch);
        if (account is not null)
            query = query.Where(e => e.Person == account);
        if (cursor is not null)
        {
            if (!long.TryParse(cursor, CultureInfo.InvariantCulture, out var before))
                return Problems.Invalid("The cursor is not one that this list gave.", "Leave it out for the first page");
            query = query.Where(e => e.Id < before);
        }
        var size = Math.Clamp(limit, 1, LargestPage);
        var rows = await query.OrderByDescending(e => e.Id).Take(size + 1).ToListAsync(cancel);
        var items = rows.Take(size)
            .Select(e => new JournalEntry(e.Id, DateTimeOffset.FromUnixTimeMilliseconds(e.At), e.Who, e.Batch, e.Person, e.Text))
            .ToList();
        return TypedResults.Ok(
            new Page<JournalEntry>(items, rows.Count > size ? items[^1].Id.ToString(CultureInfo.InvariantCulture) : null)
        );
    }
}
