using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Proving;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Batches and their moves: how they stand, and what people ask of them.</summary>
internal static class BatchApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches", ListAsync).WithSummary("Every batch with its sums");
        api.MapGet("/batches/{batch}", GetAsync).WithSummary("One batch");
        api.MapGet("/batches/{batch}/moves", MovesAsync).WithSummary("The moves of a batch, page by page");
        api.MapGet("/batches/{batch}/moves/{account}", MoveAsync).WithSummary("One move: folders, passes, left behind");
        api.MapPost("/batches/{batch}/actions", ActAsync)
            .WithSummary("Surveys, starts, catches up, holds, resumes, retries or withdraws moves; asking again changes nothing");
    }

    private static async Task<Results<Ok<List<BatchView>>, ProblemHttpResult>> ListAsync(
        CurrentPlan current,
        Database database,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan is null)
            return TypedResults.Ok(new List<BatchView>());
        await using var db = database.Read();
        return TypedResults.Ok(await BatchViews.LoadAsync(db, plan, null, database.Trouble, cancel));
    }

    private static async Task<Results<Ok<BatchView>, ProblemHttpResult>> GetAsync(
        string batch,
        CurrentPlan current,
        Database database,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan is null)
            return PlanApi.NoPlan();
        await using var db = database.Read();
        var views = await BatchViews.LoadAsync(db, plan, batch, database.Trouble, cancel);
        return views.Count == 1 ? TypedResults.Ok(views[0]) : NoBatch(batch);
    }

    private static async Task<Results<Ok<Page<MoveView>>, ProblemHttpResult>> MovesAsync(
        string batch,
        Database database,
        MoveBoard board,
        CancellationToken cancel,
        string? cursor = null,
        long skip = 0,
        int limit = Paging.Usual,
        string? search = null,
        [WordOf<MoveStage>] string? stage = null,
        [WordOf<MoveCondition>] string? condition = null,
        bool needsYou = false,
        [WordOf<MoveOrder>] string? sort = null,
        bool descending = false
    )
    {
        await using var db = database.Read();
        if (!await db.Moves.AnyAsync(m => m.Batch == batch, cancel))
            return NoBatch(batch);
        if (MoveFilters.Read(search, stage, condition, needsYou, out var filter) is { } unknown)
            return unknown;
        if (MoveFilters.ReadOrder(sort, out MoveOrder order) is { } noOrder)
            return noOrder;
        // In the order of the rosters a page begins behind a move, so that none is missed or met twice while moves change.
        var isByMove = order is MoveOrder.Roster && !descending && (cursor is null ? skip == 0 : !Paging.IsPlace(cursor));
        var (after, wrong) = isByMove ? Paging.Read(cursor) : Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        var (query, size) = (
            db.Moves.Where(m => m.Batch == batch).Fitting(filter, await board.ToleranceOfAsync(batch, cancel)),
            Paging.SizeOf(limit)
        );
        var total = await query.CountAsync(cancel);
        var start = isByMove ? 0 : after ?? Math.Max(0, skip);
        query = isByMove && after is not null ? query.Where(m => m.Id > after) : query;
        query = query.InOrder(order, descending).Skip((int)Math.Min(start, int.MaxValue)).Take(size + 1);
        var moves = await board.LoadAsync(db, query, cancel);
        if (!isByMove)
            return TypedResults.Ok(Paging.Placed<MoveView>([.. moves.Take(size)], start, total));
        var last = moves.Count > size ? moves[size - 1].Account : null;
        var next = last is null
            ? null
            : (await db.Moves.Where(m => m.Batch == batch && m.FromAccount == last).Select(m => m.Id).FirstAsync(cancel)).ToString(
                CultureInfo.InvariantCulture
            );
        return TypedResults.Ok(new Page<MoveView>([.. moves.Take(size)], next, total));
    }

    private static async Task<Results<Ok<MoveDetail>, ProblemHttpResult>> MoveAsync(
        string batch,
        string account,
        Database database,
        MoveBoard board,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var views = await board.LoadAsync(db, db.Moves.Where(m => m.Batch == batch && m.FromAccount == account), cancel);
        if (views.Count == 0)
            return Problems.NotFound($"Nobody in batch '{batch}' moves from '{account}'.", "See the batch's moves for its accounts");
        var move = await db
            .Moves.Include(m => m.Legs)
            .Include(m => m.Crossing)
            .FirstAsync(m => m.Batch == batch && m.FromAccount == account, cancel);
        var folders = (await FoldersAsync(db, [move.Id], cancel))[move.Id].ToList();
        var passes = await db
            .Passes.Include(p => p.Legs)
            .Where(p => p.MoveId == move.Id)
            .OrderByDescending(p => p.Id)
            .Take(100)
            .ToListAsync(cancel);
        var closes = (await WaybillApi.CompleteAsync(db, [move.Id], cancel)).Contains(move.Id) && folders.TrueForAll(f => f.Closes);
        return TypedResults.Ok(
            new MoveDetail(
                views[0],
                closes,
                WaybillApi.SentenceOf(move, closes, folders),
                WaybillApi.Sum((await WaybillApi.ShapedAsync(db, [move.Id], cancel))[move.Id]),
                folders,
                [.. passes.Select(ViewOf)],
                await LeftBehindApi.LoadAsync(db, batch, [move.Id], includeAccepted: true, cancel),
                await DifferenceApi.LoadAsync(db, batch, [move.Id], includeDecided: true, cancel),
                (await ComparisonApi.LoadAsync(db, batch, [move.Id], cancel)).FirstOrDefault()
            )
        );
    }

    /// <summary>The folders of many moves in one query, by move.</summary>
    public static async Task<ILookup<long, FolderView>> FoldersAsync(
        CaravanDb db,
        IReadOnlyCollection<long> moves,
        CancellationToken cancel
    )
    {
        var rows = await db.LedgerFolders.Where(f => moves.Contains(f.MoveId)).ToListAsync(cancel);
        return rows.GroupBy(r => r.MoveId)
            .SelectMany(own =>
                own.GroupBy(r => r.Kind)
                    // As they are carried.
                    .OrderBy(kind => kind.Key is Core.Planning.Kind.Mail)
                    .ThenBy(kind => kind.Key)
                    .SelectMany(kind =>
                        Waybill.Draw(kind.Select(Pages.PageOf)).Folders.Select(f => (Move: own.Key, View: ViewOf(kind.Key, f)))
                    )
            )
            .ToLookup(f => f.Move, f => f.View);
    }

    private static FolderView ViewOf(Core.Planning.Kind kind, WaybillFolder folder) =>
        new(
            MoveViews.WordOf(kind),
            folder.From.ToString(),
            folder.To?.ToString(),
            new Counts(folder.Counts.Found, folder.Counts.Carried, folder.Counts.Paired, folder.Counts.Excluded, folder.Counts.LeftBehind),
            folder.Counts.Gone,
            folder.Counts.Missing,
            folder.Counts.Twice,
            folder.Counts.Altered,
            folder.Counts.Undecided,
            folder.Counts.Octets.Count,
            folder.Closes
        );

    private static PassView ViewOf(PassRow pass) =>
        new(
            pass.Id,
            ContractWord.To<PassWord>(pass.Kind),
            MoveViews.Time(pass.StartedAt)!.Value,
            MoveViews.Time(pass.EndedAt),
            pass.Stopped,
            pass.Fault,
            [
                .. pass
                    .Legs.OrderBy(l => l.Kind)
                    .Select(l => new PassLegView(
                        MoveViews.WordOf(l.Kind),
                        l.Stopped,
                        l.Fault,
                        l.Carried,
                        l.Paired,
                        l.Excluded,
                        l.LeftBehind,
                        l.FlagsChanged,
                        l.Moved,
                        l.Removed,
                        l.Updated,
                        l.Differences,
                        l.Octets
                    )),
            ]
        );

    private static async Task<Results<Ok<MoveActionResult>, ProblemHttpResult>> ActAsync(
        string batch,
        MoveActionRequest request,
        Database database,
        Moves moves,
        MoveBoard board,
        CurrentPlan current,
        ServiceThrottle throttle,
        AccessTokens tokens,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, request.Moves, cancel);
        if (problem is not null)
            return problem;
        if (request.Where is { } where)
            only = await MoveFilters.ChooseAsync(database, batch, only, where, await board.ToleranceOfAsync(batch, cancel), cancel);
        var timetable = await current.TimetableOfAsync(batch, cancel);
        var changed = await moves.StepAsync(
            batch,
            only,
            context.User.Identity!.Name!,
            MoveActions.VerbOf(request.Action),
            (move, now) => MoveActions.After(request.Action, move, timetable, now),
            cancel
        );
        if (request.Action is MoveAction.Start)
            await LineUpAsync(moves, current, batch, cancel);
        if (request.Action is MoveAction.Withdraw)
            tokens.Forget();
        // Somebody may have solved the service's problem, so it is tried at once.
        if (request.Action is MoveAction.Retry)
            throttle.Forget();
        signal.Raise();
        foreach (var move in changed)
            live.Touch(move);
        return TypedResults.Ok(await ResultAsync(database, batch, only, changed, cancel));
    }

    /// <summary>Which of the moves that were asked for changed.</summary>
    /// <param name="only">Who was asked for; null: everybody of the batch.</param>
    public static async Task<MoveActionResult> ResultAsync(
        Database database,
        string batch,
        IReadOnlyCollection<long>? only,
        IReadOnlyList<long> changed,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var accounts = await db.Moves.Where(m => changed.Contains(m.Id)).Select(m => m.FromAccount).ToListAsync(cancel);
        var asked = only?.Count ?? await db.Moves.CountAsync(m => m.Batch == batch, cancel);
        return new MoveActionResult(accounts, asked - accounts.Count);
    }

    private static async Task LineUpAsync(Moves moves, CurrentPlan current, string batch, CancellationToken cancel)
    {
        if ((await current.GetAsync(cancel)).Plan is { } plan && plan.Batches.FirstOrDefault(b => b.Name == batch) is { } planned)
            await moves.LineUpAsync(planned, plan.RouteOf(planned).QueueOrder, cancel);
    }

    public static ProblemHttpResult NoBatch(string batch) =>
        Problems.NotFound($"There is no batch '{batch}'.", "See 'caravan plan show' for the batches of the plan");
}
