using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>What needs me, what runs, what comes next.</summary>
internal static class TodayApi
{
    private const int MostRunning = 100;

    private const int MostByPeople = 20;

    /// <summary>Whoever never looked is told of so many days.</summary>
    private const int FirstLook = 7;

    /// <summary>Lines of the journal that are read for them: one action may have a line for each of many moves.</summary>
    private const int MostLines = 5000;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/today", GetAsync)
            .WithSummary("What happened since the caller last looked, what needs a person, what runs, what comes next");
        api.MapPost("/today/looked", LookedAsync).WithSummary("Remembers that the caller looked: next time, what happened since is told");
    }

    private static async Task<Ok<TodayLooked>> LookedAsync(Looks looks, HttpContext context, CancellationToken cancel) =>
        TypedResults.Ok(new TodayLooked(MoveViews.Time(await looks.LookedAsync(context.User.Identity!.Name!, cancel))!.Value));

    private static async Task<SinceView> SinceAsync(CaravanDb db, Looks looks, string who, TimeProvider time, CancellationToken cancel)
    {
        var last = await looks.LastAsync(who, cancel);
        var since = last ?? time.GetUtcNow().AddDays(-FirstLook).ToUnixTimeMilliseconds();
        var sums = await looks.SinceAsync(since, cancel);
        var byPeople = await db
            .Journal.Where(e => e.At > since && e.Who != Journal.Service)
            .OrderByDescending(e => e.Id)
            .Take(MostLines)
            .ToListAsync(cancel);
        return new SinceView(
            MoveViews.Time(last),
            sums.Passes,
            sums.Failed,
            sums.Carried,
            sums.Octets,
            sums.CameInStep,
            sums.LeftBehind,
            [.. AskedOf(byPeople).Take(MostByPeople)]
        );
    }

    /// <summary>Lines that follow each other with the same words within a minute were one action on many moves.</summary>
    private static IEnumerable<AskedByPeople> AskedOf(List<JournalRow> newestFirst)
    {
        const long Minute = 60_000;
        for (var i = 0; i < newestFirst.Count; )
        {
            var first = newestFirst[i];
            var count = newestFirst
                .Skip(i)
                .TakeWhile(e => (e.Who, e.Batch, e.Text) == (first.Who, first.Batch, first.Text) && first.At - e.At < Minute)
                .Count();
            yield return new AskedByPeople(
                MoveViews.Time(first.At)!.Value,
                first.Who,
                first.Batch,
                count == 1 ? first.Person : null,
                first.Text,
                first.MoveId is null ? 0 : count
            );
            i += count;
        }
    }

    private static async Task<Today> GetAsync(
        CurrentPlan current,
        Database database,
        ServiceSlots slots,
        ServiceThrottle throttle,
        Looks looks,
        MoveBoard board,
        HttpContext context,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        await using var db = database.Read();
        var since = await SinceAsync(db, looks, context.User.Identity!.Name!, time, cancel);
        if (plan is null)
            return new Today(since, [], [], [], [], []);
        var running = await board.LoadAsync(
            db,
            db.Moves.Where(m => m.Condition == ConditionKind.Running).OrderBy(m => m.Id).Take(MostRunning),
            cancel
        );
        var groups = await MoveGroup.LoadAsync(db, only: null, cancel);
        var needs = await NeedsYouViews.LoadAsync(db, plan, database.Trouble, cancel);
        return new Today(
            since,
            needs,
            running,
            NextOf(groups),
            await ServiceApi.ViewsOfAsync(db, plan, slots, throttle, cancel),
            await BatchViews.LoadAsync(db, plan, null, groups, database.Trouble, cancel)
        );
    }

    /// <summary>What goes on by itself, the next first: batch by batch, and what each part of it waits for.</summary>
    public static List<Upcoming> NextOf(List<MoveGroup> groups) =>
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
