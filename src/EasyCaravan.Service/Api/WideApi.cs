using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>What reaches over batches: who goes first, actions on a service or on everything, draining before maintenance.</summary>
internal static class WideApi
{
    /// <summary>Whatever begins something for the first time, or ends it for good, is asked for batch by batch.</summary>
    private static readonly MoveAction[] s_wide = [MoveAction.Hold, MoveAction.Resume, MoveAction.Retry, MoveAction.CatchUp];

    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/batches/{batch}/priority", SetPriorityAsync)
            .WithSummary("Makes moves go before or after others that wait; asking again changes nothing");
        api.MapPost("/actions", ActAsync)
            .WithSummary("Holds, resumes, retries or catches up the moves of every batch, or of those over one service");
        api.MapGet("/drain", DrainAsync).WithSummary("Services on which no pass begins, and what is still running there");
        api.MapPost("/drain", SetDrainAsync)
            .WithSummary("Begins or ends a drain: passes come to their end, and none begins; asking again changes nothing");
    }

    private static async Task<Results<Ok<MoveActionResult>, ProblemHttpResult>> SetPriorityAsync(
        string batch,
        PriorityRequest request,
        Database database,
        Moves moves,
        CurrentPlan current,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (request.Priority is < 1 or > 9)
            return Problems.Invalid($"{request.Priority} is not a priority.", "Give one from 1 (first) to 9, or none for the batch's own");
        if ((await current.GetAsync(cancel)).Plan is not { } plan || plan.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        var (only, problem) = await Selection.ResolveAsync(database, batch, request.Moves, cancel);
        if (problem is not null)
            return problem;
        var order = plan.RouteOf(planned).QueueOrder;
        var changed = await moves.SetPriorityAsync(planned, order, only, request.Priority, context.User.Identity!.Name!, cancel);
        signal.Raise();
        foreach (var move in changed)
            live.Touch(move);
        return TypedResults.Ok(await BatchApi.ResultAsync(database, batch, only, changed, cancel));
    }

    private static async Task<Results<Ok<WideActionResult>, ProblemHttpResult>> ActAsync(
        WideActionRequest request,
        Moves moves,
        CurrentPlan current,
        ServiceThrottle throttle,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (!s_wide.Contains(request.Action))
            return Problems.Invalid(
                $"'{KebabWord.Of(request.Action)}' is asked for batch by batch.",
                $"Over batches, give one of {string.Join(", ", s_wide.Select(a => KebabWord.Of(a)))}"
            );
        if ((await current.GetAsync(cancel)).Plan is not { } plan)
            return PlanApi.NoPlan();
        if (request.Service is { } named && ServiceApi.Find(plan, named).Problem is { } unknown)
            return unknown;
        var changed = new Dictionary<string, int>();
        foreach (var batch in plan.Batches.Where(b => request.Service is not { } service || plan.Uses(b, service)))
        {
            var touched = await moves.StepAsync(
                batch.Name,
                null,
                context.User.Identity!.Name!,
                MoveActions.VerbOf(request.Action),
                (move, now) => MoveActions.After(request.Action, move, batch.Timetable, now),
                cancel
            );
            foreach (var move in touched)
                live.Touch(move);
            if (touched.Count > 0)
                changed[batch.Name] = touched.Count;
        }
        if (request.Action is MoveAction.Retry)
            throttle.Forget();
        signal.Raise();
        return TypedResults.Ok(new WideActionResult(changed));
    }

    private static async Task<Ok<DrainView>> DrainAsync(
        Drains drains,
        Database database,
        CurrentPlan current,
        MoveBoard board,
        CancellationToken cancel
    ) => TypedResults.Ok(await ViewAsync(drains, database, current, board, cancel));

    private static async Task<DrainView> ViewAsync(
        Drains drains,
        Database database,
        CurrentPlan current,
        MoveBoard board,
        CancellationToken cancel
    )
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        var rows = await drains.ListAsync(cancel);
        var batches = plan is null ? [] : (await drains.BatchesAsync(plan, cancel)).Keys.ToList();
        await using var db = database.Read();
        return new DrainView(
            [.. rows.Select(r => r.Service).Where(s => s != Drains.Everything)],
            rows.Any(r => r.Service == Drains.Everything),
            await board.LoadAsync(
                db,
                db.Moves.Where(m => m.Condition == ConditionKind.Running && batches.Contains(m.Batch)).OrderBy(m => m.Id),
                cancel
            )
        );
    }

    private static async Task<Results<Ok<DrainView>, ProblemHttpResult>> SetDrainAsync(
        DrainRequest request,
        Drains drains,
        Database database,
        CurrentPlan current,
        MoveBoard board,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        if (request.Service is { } named && ServiceApi.Find(plan, named).Problem is { } unknown)
            return unknown;
        if (request is { Drain: false, StopRunning: true })
            return Problems.Invalid("A drain that ends stops nothing.", "Leave stopRunning out");
        var (service, who) = (request.Service ?? Drains.Everything, context.User.Identity!.Name!);
        await (request.Drain ? drains.BeginAsync(service, request.StopRunning, who, cancel) : drains.EndAsync(service, who, cancel));
        signal.Raise();
        live.TouchPlan();
        return TypedResults.Ok(await ViewAsync(drains, database, current, board, cancel));
    }
}
