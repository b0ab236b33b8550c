using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>What needs me, what runs, what comes next.</summary>
internal static class TodayApi
{
    private const int MostRunning = 100;

    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/today", GetAsync).WithSummary("What needs a person, what runs, what comes next");

    private static async Task<Today> GetAsync(
        CurrentPlan current,
        Database database,
        ServiceSlots slots,
        ServiceThrottle throttle,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan is null)
            return new Today([], [], [], [], []);
        await using var db = database.Read();
        var running = await MoveViews.LoadAsync(
            db,
            db.Moves.Where(m => m.Condition == ConditionKind.Running).OrderBy(m => m.Id).Take(MostRunning),
            throttle.RestingBatches(plan),
            database.Trouble,
            time.GetUtcNow(),
            cancel
        );
        var groups = await MoveGroup.LoadAsync(db, only: null, cancel);
        var needs = await NeedsYouViews.LoadAsync(db, plan, database.Trouble, cancel);
        return new Today(
            needs,
            running,
            NextOf(groups),
            await ServiceApi.ViewsOfAsync(db, plan, slots, throttle, cancel),
            await BatchViews.LoadAsync(db, plan, null, groups, database.Trouble, cancel)
        );
    }

    /// <summary>What goes on by itself, the next first: batch by batch, and what each part of it waits for.</summary>
    private static List<Upcoming> NextOf(List<MoveGroup> groups) =>
        [
            .. groups
                .Where(g => g is { Until: not null, Condition: ConditionKind.Waiting or ConditionKind.Idle })
                .GroupBy(g => (g.Batch, g.Condition, g.WaitsFor))
                .Select(g => new Upcoming(
                    DateTimeOffset.FromUnixTimeMilliseconds(g.Min(m => m.Until)!.Value),
                    g.Key.Batch,
                    g.Key.Condition is ConditionKind.Idle ? "catch-up"
                        : g.Key.WaitsFor is Wait.Window ? "window opens"
                        : g.Key.WaitsFor is Wait.Service ? "service is tried again"
                        : "next try",
                    g.Sum(m => m.GoOn)
                ))
                .OrderBy(u => u.At),
        ];
}
