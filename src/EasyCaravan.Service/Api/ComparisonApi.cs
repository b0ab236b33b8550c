using EasyCaravan.Contract;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
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
    )
    {
        var query =
            from comparison in db.Comparisons
            join move in db.Moves on comparison.MoveId equals move.Id
            where move.Batch == batch
            orderby move.Id
            select new
            {
                comparison,
                move.Id,
                move.FromAccount,
                move.Name,
            };
        if (moves is not null)
            query = query.Where(r => moves.Contains(r.Id));
        return
        [
            .. (await query.ToListAsync(cancel)).Select(r => new ComparisonView(
                r.FromAccount,
                r.Name,
                r.comparison.Share,
                MoveViews.Time(r.comparison.AskedAt)!.Value,
                r.comparison.AskedBy,
                MoveViews.Time(r.comparison.EndedAt),
                r.comparison.Compared,
                r.comparison.Octets,
                r.comparison.Differing,
                r.comparison.FlagsChanged,
                r.comparison.Arrived
            )),
        ];
    }

    private static async Task<Results<Ok<List<ComparisonView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CancellationToken cancel,
        string? move = null
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        await using var db = database.Read();
        return TypedResults.Ok(await LoadAsync(db, batch, only, cancel));
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
                $"{request.Share} is no share of the messages.",
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
            live.Touch(batch, move);
        await using var db = database.Read();
        var accounts = await db.Moves.Where(m => asked.Contains(m.Id)).Select(m => m.FromAccount).ToListAsync(cancel);
        var all = only?.Count ?? await db.Moves.CountAsync(m => m.Batch == batch, cancel);
        return TypedResults.Ok(new MoveActionResult(accounts, all - accounts.Count));
    }
}
