using EasyCaravan.Contract;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Both sides read anew, message by message.</summary>
internal static class ComparisonApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/batches/{batch}/comparison", AskAsync)
            .WithSummary("Has both sides of moves read anew and compared; one that runs already is left alone");
        api.MapGet("/batches/{batch}/comparison", ListAsync).WithSummary("The last comparison of each move");
    }

    public static async Task<List<ComparisonView>> LoadAsync(
        CaravanDb db,
        string batch,
        IReadOnlyCollection<long>? moves,
        CancellationToken cancel
    ) => [.. (await Rows(db, batch, moves).OrderBy(r => r.Move).ToListAsync(cancel)).Select(ViewOf)];

    private sealed class PlacedComparison
    {
        public required ComparisonRow Comparison { get; init; }
        public required long Move { get; init; }
        public required string Account { get; init; }
        public required string Name { get; init; }
    }

    private static IQueryable<PlacedComparison> Rows(CaravanDb db, string batch, IReadOnlyCollection<long>? moves)
    {
        var query =
            from comparison in db.Comparisons
            join move in db.Moves on comparison.MoveId equals move.Id
            where move.Batch == batch
            select new { comparison, move };
        if (moves is not null)
            query = query.Where(r => moves.Contains(r.move.Id));
        return query.Select(r => new PlacedComparison
        {
            Comparison = r.comparison,
            Move = r.move.Id,
            Account = r.move.FromAccount,
            Name = r.move.Name,
        });
    }

    private static ComparisonView ViewOf(PlacedComparison placed)
    {
        var comparison = placed.Comparison;
        return new ComparisonView(
            placed.Account,
            placed.Name,
            comparison.Share,
            MoveViews.Time(comparison.AskedAt)!.Value,
            comparison.AskedBy,
            MoveViews.Time(comparison.EndedAt),
            comparison.Compared,
            comparison.Octets,
            comparison.Differing,
            comparison.FlagsChanged,
            comparison.Arrived
        );
    }

    private static async Task<Results<Ok<Page<ComparisonView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CancellationToken cancel,
        string? move = null,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var (after, wrong) = Paging.Read(cursor);
        if (wrong is not null)
            return wrong;
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        await using var db = database.Read();
        var (query, size) = (Rows(db, batch, only), Paging.SizeOf(limit));
        var total = await query.CountAsync(cancel);
        if (after is not null)
            query = query.Where(r => r.Move > after);
        var rows = await query.OrderBy(r => r.Move).Take(size + 1).ToListAsync(cancel);
        var page = Paging.Of(rows, size, r => r.Move, total);
        return TypedResults.Ok(new Page<ComparisonView>([.. page.Items.Select(ViewOf)], page.Next, page.Total));
    }

    private static async Task<Results<Ok<MoveActionResult>, ProblemHttpResult>> AskAsync(
        string batch,
        ComparisonRequest request,
        Database database,
        Moves moves,
        CurrentPlan current,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (request.Share is not (> 0 and <= 1))
            return Problems.Invalid(
                $"{request.Share} is no share of the items.",
                "Give a number above 0 and at most 1, such as 0.02; 1 reads all"
            );
        var (only, problem) = await Selection.ResolveAsync(database, batch, request.Moves, cancel);
        if (problem is not null)
            return problem;
        var timetable = await current.TimetableOfAsync(batch, cancel);
        var asked = await moves.AskComparisonAsync(
            batch,
            only,
            request.Share,
            context.User.Identity!.Name!,
            (s, now) => s.Compare(timetable, now),
            cancel
        );
        signal.Raise();
        foreach (var move in asked)
            live.Touch(move);
        await using var db = database.Read();
        var accounts = await db.Moves.Where(m => asked.Contains(m.Id)).Select(m => m.FromAccount).ToListAsync(cancel);
        var all = only?.Count ?? await db.Moves.CountAsync(m => m.Batch == batch, cancel);
        return TypedResults.Ok(new MoveActionResult(accounts, all - accounts.Count));
    }
}
