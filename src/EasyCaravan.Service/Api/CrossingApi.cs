using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>The crossing of batches and people: how it stands, and what people ask of it.</summary>
internal static class CrossingApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/crossing", GetAsync).WithSummary("How the crossing of a batch stands: gates, steps and waves");
        api.MapGet("/batches/{batch}/crossing/moves", MovesAsync).WithSummary("How each person's crossing stands, page by page");
        api.MapGet("/batches/{batch}/crossing/move", MoveAsync)
            .WithSummary("The crossing of one person: what is set, what would be done, every probe and every act");
        api.MapPost("/batches/{batch}/crossing", AskAsync)
            .WithSummary(
                "Looks at the gates, crosses, undoes or finishes; accepts a gate, or says what a person did; asking again changes nothing"
            );
    }

    private static async Task<Results<Ok<BatchCrossingView>, ProblemHttpResult>> GetAsync(
        string batch,
        CurrentPlan current,
        Database database,
        CancellationToken cancel
    )
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        await using var db = database.Read();
        return TypedResults.Ok(await CrossingViews.OfBatchAsync(db, planned, cancel));
    }

    private static async Task<Results<Ok<Page<CrossingView>>, ProblemHttpResult>> MovesAsync(
        string batch,
        Database database,
        MoveBoard board,
        CurrentPlan current,
        TimeProvider time,
        CancellationToken cancel,
        string? cursor = null,
        int limit = Paging.Usual,
        string? search = null,
        [WordOf<MoveStage>] string? stage = null,
        [WordOf<MoveCondition>] string? condition = null,
        bool needsYou = false,
        string? move = null
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        if (MoveFilters.Read(search, stage, condition, needsYou, out var filter) is { } unknown)
            return unknown;
        var (skip, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        await using var db = database.Read();
        var query = Moves
            .Chosen(db, batch, only)
            .Where(m => m.Stage != Stage.Withdrawn)
            .Fitting(filter, await board.ToleranceOfAsync(batch, cancel));
        var (total, size) = (await query.CountAsync(cancel), Paging.SizeOf(limit));
        var rows = await query
            .OrderBy(m => m.Id)
            .Skip((int)(skip ?? 0))
            .Take(size)
            .Include(m => m.Legs)
            .Include(m => m.Crossing)
            .ToListAsync(cancel);
        var plan = (await current.GetAsync(cancel)).Plan?.Batches.FirstOrDefault(b => b.Name == batch)?.Crossing ?? CrossingPlan.Usual;
        var views = await CrossingViews.OfMovesAsync(db, plan, rows, NowOf(time), cancel);
        return TypedResults.Ok(Paging.Placed(views, skip ?? 0, total));
    }

    private static Instant NowOf(TimeProvider time) => Instant.FromDateTimeOffset(time.GetUtcNow());

    private static async Task<Results<Ok<CrossingDetail>, ProblemHttpResult>> MoveAsync(
        string batch,
        string move,
        CurrentPlan current,
        Database database,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (found, problem) = await Selection.ResolveAsync(database, batch, [move], cancel);
        if (found is not [var id])
            return problem!;
        var plan = (await current.GetAsync(cancel)).Plan;
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        await using var db = database.Read();
        var row = await db.Moves.Include(m => m.Legs).Include(m => m.Crossing).FirstAsync(m => m.Id == id, cancel);
        return TypedResults.Ok(await CrossingViews.DetailAsync(db, plan, planned, row, NowOf(time), cancel));
    }

    private static async Task<Results<Ok<MoveActionResult>, ProblemHttpResult>> AskAsync(
        string batch,
        CrossingRequest request,
        Database database,
        Moves moves,
        Crossings crossings,
        CurrentPlan current,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        if (request.Ask is CrossingAsk.Accept && (request.Gate is null || string.IsNullOrWhiteSpace(request.Because)))
            return Problems.Invalid(
                "To accept a gate, it takes its name and a reason.",
                "Say which gate, and why it is well: --accept informed --because \"They were told in person\""
            );
        var (only, problem) = await Selection.ResolveAsync(database, batch, request.Moves, cancel);
        if (problem is not null)
            return problem;
        var who = context.User.Identity!.Name!;
        if (await RefusalAsync(database, batch, only, request, cancel) is { } refused)
            return refused;
        var changed = await DoAsync(request, planned, only, who, moves, crossings, cancel);
        signal.Raise();
        foreach (var move in changed)
            live.Touch(move);
        return TypedResults.Ok(await BatchApi.ResultAsync(database, batch, only, changed, cancel));
    }

    private static Task<IReadOnlyList<long>> DoAsync(
        CrossingRequest request,
        Batch batch,
        IReadOnlyList<long>? only,
        string who,
        Moves moves,
        Crossings crossings,
        CancellationToken cancel
    )
    {
        Task<IReadOnlyList<long>> StepAsync(string verb, Func<MoveState, Instant, MoveState> step) =>
            moves.StepAsync(batch.Name, only, who, verb, step, cancel);
        return request.Ask switch
        {
            CrossingAsk.Check => StepAsync("asked what the crossing would do", (move, now) =>
                move.Cross(isCheck: true, batch.Timetable, now)
            ),
            CrossingAsk.Go when only is null => BeginAllAsync(),
            CrossingAsk.Go => StepAsync("asked to cross", (move, now) => move.Cross(isCheck: false, batch.Timetable, now)),
            CrossingAsk.Stop => StopAsync(),
            CrossingAsk.Undo => UndoAsync(),
            CrossingAsk.Finish => StepAsync("asked for the move to be done", (move, now) => move.Finish(batch.Timetable, now)),
            CrossingAsk.Accept => crossings.AcceptAsync(
                batch.Name,
                only,
                ContractWord.To<GateKind>(request.Gate!.Value),
                request.Because!.Trim(),
                who,
                cancel
            ),
            CrossingAsk.ForwardingOn => SayAsync(
                "said that forwarding was set by hand",
                f => f is { Way: ForwardingWay.ByHand, SaidOn: false },
                f => (f.SaidOn, f.SaidOff) = (true, false)
            ),
            CrossingAsk.ForwardingOff => SayAsync(
                "said that forwarding was switched off by hand",
                f => f is { Way: ForwardingWay.ByHand, SaidOff: false },
                f => (f.SaidOn, f.SaidOff) = (false, true)
            ),
            CrossingAsk.Confirmed => SayAsync(
                "said that the new address was confirmed",
                f => f.Confirmation is not (null or ConfirmationState.Confirmed),
                f => f.Confirmation = ConfirmationState.Confirmed
            ),
            CrossingAsk.ForwardAgain => SayAsync(
                "asked for forwarding to be switched on again",
                f => f is { Way: ForwardingWay.Rules, OnAt: not null, PutBack: false },
                f => f.PutBack = true
            ),
        };

        async Task<IReadOnlyList<long>> BeginAllAsync()
        {
            await crossings.BeginAsync(batch.Name, null, who, cancel);
            return await crossings.GoOnAsync(batch, cancel);
        }

        async Task<IReadOnlyList<long>> UndoAsync()
        {
            if (only is null)
                await crossings.EndAsync(batch.Name, $"{who} asked for all of it to be undone", who, cancel);
            return await StepAsync("asked for the crossing to be undone", (move, now) => move.Undo(batch.Timetable, now));
        }

        async Task<IReadOnlyList<long>> StopAsync()
        {
            await crossings.StopAsync(batch.Name, request.Because?.Trim() is { Length: > 0 } why ? why : $"{who} stopped it", who, cancel);
            return [];
        }

        // Whoever waited for a person's word goes on at once.
        async Task<IReadOnlyList<long>> SayAsync(string sentence, Func<ForwardingRow, bool> applies, Action<ForwardingRow> say)
        {
            var said = await crossings.SayAsync(
                batch.Name,
                only,
                who,
                sentence,
                row =>
                {
                    if (!applies(row))
                        return false;
                    say(row);
                    return true;
                },
                cancel
            );
            await moves.StepAsync(batch.Name, said, who, "goes on", (move, now) => move.Retry(batch.Timetable, now), cancel);
            return said;
        }
    }

    /// <summary>What would be in vain, so that nobody believes that it was done.</summary>
    private static async Task<ProblemHttpResult?> RefusalAsync(
        Database database,
        string batch,
        IReadOnlyList<long>? only,
        CrossingRequest request,
        CancellationToken cancel
    )
    {
        if (request.Ask is not (CrossingAsk.Check or CrossingAsk.Go) || only is null)
            return null;
        await using var db = database.Read();
        var early = await Moves
            .Chosen(db, batch, only)
            .Where(m => m.Stage == Stage.Listed || m.Stage == Stage.Surveyed)
            .Select(m => m.FromAccount)
            .ToListAsync(cancel);
        return early.Count == 0
            ? null
            : Problems.Refused(
                $"{string.Join(", ", early.Take(5))} {(early.Count == 1 ? "has" : "have")} not begun to be copied.",
                $"Start the first pass before: caravan start {batch}"
            );
    }
}
