using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>What happened and who asked for it, newest first.</summary>
internal static class JournalApi
{
    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/journal", GetAsync).WithSummary("The journal, newest first, page by page");

    private static async Task<Results<Ok<Page<JournalEntry>>, ProblemHttpResult>> GetAsync(
        Database database,
        CurrentPlan current,
        CancellationToken cancel,
        string? batch = null,
        string? account = null,
        string? search = null,
        DateTimeOffset? since = null,
        DateTimeOffset? until = null,
        [WordOf<JournalBy>] string? by = null,
        string? cursor = null,
        int limit = Paging.Usual
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
        if (by is not null && KebabWord.Read<JournalBy>(by) is null)
            return Problems.Invalid($"There is nobody '{by}' in the journal.", "Give people or service");
        if (KebabWord.Read<JournalBy>(by) is { } asker)
            query = query.Where(e => (e.Who == Journal.Service) == (asker == JournalBy.Service));
        if (since is { } first)
            query = query.Where(e => e.At >= first.ToUnixTimeMilliseconds());
        if (until is { } last)
            query = query.Where(e => e.At < last.ToUnixTimeMilliseconds());
        if (!string.IsNullOrWhiteSpace(search))
        {
            // Both sides in lower case, because databases differ in whether LIKE respects case.
#pragma warning disable CA1304, CA1311, CA1862
            var words = search.Trim().ToLowerInvariant();
            query = query.Where(e =>
                e.Text.ToLower().Contains(words)
                || e.Who.ToLower().Contains(words)
                || (e.Batch != null && e.Batch.ToLower().Contains(words))
                || (e.Person != null && e.Person.ToLower().Contains(words))
            );
#pragma warning restore CA1304, CA1311, CA1862
        }
        var (before, wrong) = Paging.Read(cursor);
        if (wrong is not null)
            return wrong;
        if (before is not null)
            query = query.Where(e => e.Id < before);
        var size = Paging.SizeOf(limit);
        var rows = await query.OrderByDescending(e => e.Id).Take(size + 1).ToListAsync(cancel);
        return TypedResults.Ok(Paging.Of(rows.ConvertAll(EntryOf), size, e => e.Id, total: null));
    }

    public static JournalEntry EntryOf(JournalRow row) =>
        new(row.Id, DateTimeOffset.FromUnixTimeMilliseconds(row.At), row.Who, row.Batch, row.Person, row.Text);
}
