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
        var needs = await NeedsYouViews.LoadAsync(db, plan, database.Trouble, cancel);
        return new Today(
            needs,
            running,
            await NextAsync(db, cancel),
            await ServiceApi.ViewsOfAsync(db, plan, slots, throttle, cancel),
            await BatchViews.LoadAsync(db, plan, null, database.Trouble, cancel)
        );
    }

    private static async Task<List<Upcoming>> NextAsync(CaravanDb db, CancellationToken cancel)
    {
        var rows = await db
            .Moves.Where(m => m.Until != null && (m.Condition == ConditionKind.Waiting || m.Condition == ConditionKind.Idle))
            .GroupBy(m => new
            {
                m.Batch,
                m.Condition,
                m.WaitsFor,
            })
            .Select(g => new
            {
                g.Key,
                At = g.Min(m => m.Until)!.Value,
                Count = g.Count(),
            })
            .ToListAsync(cancel);
        return
        [
            .. rows.OrderBy(r => r.At)
                .Select(r => new Upcoming(
                    DateTimeOffset.FromUnixTimeMilliseconds(r.At),
                    r.Key.Batch,
                    r.Key.Condition is ConditionKind.Idle ? "catch-up"
                        : r.Key.WaitsFor is Wait.Window ? "window opens"
                        : r.Key.WaitsFor is Wait.Service ? "service is tried again"
                        : "next try",
                    r.Count
                )),
        ];
    }
}
