using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>The schedule on simulated time, over weeks in which the clock is put forward and back.</summary>
public sealed class ScheduleTests
{
    private static readonly DateTimeZone Dublin = DateTimeZoneProviders.Tzdb["Europe/Dublin"];

    /// <summary>One pass that ran.</summary>
    private sealed record Ran(long Move, string Batch, Instant From, Instant Until);

    /// <summary>What happened to each move, and the passes in the order of their beginnings.</summary>
    private sealed record Course(
        Dictionary<long, Instant> InStep,
        List<Ran> Passes,
        List<(Instant At, long Chosen, long[] Passed)> Choices
    );

    private static readonly Gen<ForecastScene> AnyScene = Gen.Select(
        Gen.Select(Gen.Int[0, 3], Gen.Int[1, 12], Gen.Int[0, 2]).Array[1, 4],
        Gen.Int[1, 4],
        Gen.Int[1, 5],
        Gen.Int[0, 8].Array[1, 20],
        (batches, workers, connections, works) => SceneOf(batches, workers, connections, works)
    );

    /// <summary>Clocks go back on 2026-10-25 and forward on 2027-03-28.</summary>
    private static readonly Gen<Instant> AnyBeginning = Gen.Int[0, 2]
        .Select(i =>
            i switch
            {
                0 => Instant.FromUtc(2026, 10, 23, 17, 20),
                1 => Instant.FromUtc(2027, 3, 26, 17, 20),
                _ => Instant.FromUtc(2026, 11, 30, 9, 0),
            }
        );

    private static ForecastScene SceneOf((int Form, int Hours, int Rhythm)[] batches, int workers, int connections, int[] works)
    {
        var timetables = batches
            .Select(
                (b, i) =>
                    (
                        Name: $"b{i}",
                        Timetable: b.Form == 0
                            ? null
                            : new Timetable(
                                Dublin,
                                [
                                    new Window(
                                        [.. Enum.GetValues<IsoDayOfWeek>().Where(d => d != IsoDayOfWeek.None && (int)d % b.Form == 0)],
                                        new LocalTime(19 - b.Form, 30),
                                        new LocalTime(19 - b.Form, 30).PlusHours(b.Hours)
                                    ),
                                ],
                                b.Rhythm == 0 ? null : Duration.FromHours(7 * b.Rhythm)
                            )
                            {
                                Pauses = b.Rhythm == 2 ? [new MonthlyPause(3, AtEnd: true, null)] : [],
                            }
                    )
            )
            .ToDictionary(b => b.Name, b => b.Timetable);
        var names = timetables.Keys.ToList();
        var moves = works.Select(
            (w, i) =>
                new ForecastMove(
                    i,
                    names[i % names.Count],
                    Instant.FromUtc(2026, 10, 1, 0, 0),
                    Schedule.Handicap(1 + (i * 5 % 9), null),
                    Duration.FromMinutes(17 * w),
                    Duration.FromMinutes(3)
                )
        );
        var shares = new[] { new ServiceShare("northquay", connections, [.. names.Take(2)]) };
        return new ForecastScene(timetables, new ScheduleRules([], shares), workers, Duration.FromMinutes(50), [.. moves]);
    }

    /// <summary>
    /// Plays it with the states that moves really have, asking at each moment who is due. Nothing in it is clever: the forecast has to come
    /// to the same.
    /// </summary>
    private static Course Play(ForecastScene scene, Instant begin)
    {
        var states = scene.Moves.ToDictionary(
            m => m.Id,
            m =>
            {
                var leg = new LegState(Kind.Mail, m.Work > Duration.Zero ? Stage.Copying : Stage.InStep, m.Since);
                return new MoveState(
                    leg.Stage,
                    Condition.Idle,
                    null,
                    0,
                    [leg with { InStepSince = leg.Stage is Stage.InStep ? begin : null }]
                );
            }
        );
        var left = scene.Moves.ToDictionary(m => m.Id, m => m.Work);
        var course = new Course([], [], []);
        var running = new List<(ForecastMove Move, Instant From, Instant Until)>();
        var now = begin;
        while (left.Values.Any(l => l > Duration.Zero) && now < begin + Forecast.Horizon)
        {
            foreach (var pass in running.Where(r => r.Until <= now).ToList())
            {
                running.Remove(pass);
                var (id, timetable) = (pass.Move.Id, scene.Timetables[pass.Move.Batch]);
                course.Passes.Add(new Ran(id, pass.Move.Batch, pass.From, pass.Until));
                var isCopying = left[id] > Duration.Zero;
                left[id] = Duration.Max(Duration.Zero, left[id] - (now - pass.From));
                var end = new PassEnd(left[id] > Duration.Zero ? [] : [new LegEnd(Kind.Mail)], Stopped: left[id] > Duration.Zero);
                states[id] = states[id].End(end, _ => null, 0.5, timetable, now);
                if (isCopying && left[id] == Duration.Zero)
                    course.InStep[id] = now;
            }
            while (running.Count < scene.Workers)
            {
                var closed = Schedule.ClosedBatches(
                    scene.Rules,
                    running.GroupBy(r => r.Move.Batch).ToDictionary(g => g.Key, g => g.Count())
                );
                var line = scene
                    .Moves.Where(m =>
                        running.TrueForAll(r => r.Move.Id != m.Id)
                        && states[m.Id].Legs[0].IsDue(now)
                        && scene.Timetables[m.Batch]?.IsOpen(now) != false
                        && !closed.Contains(m.Batch)
                    )
                    .OrderBy(m => Schedule.TurnOf(states[m.Id].Since!.Value, m.Handicap))
                    .ThenBy(m => m.Id)
                    .ToList();
                if (line is not [var next, ..])
                    break;
                course.Choices.Add((now, next.Id, [.. line.Skip(1).Select(m => m.Id)]));
                states[next.Id] = states[next.Id].Run(now);
                var length = left[next.Id] > Duration.Zero ? Duration.Min(left[next.Id], scene.TimeSlice) : next.CatchUp;
                if (scene.Timetables[next.Batch]?.ClosesAt(now) is { } closes)
                    length = Duration.Min(length, closes - now);
                running.Add((next, now, now + length));
            }
            now = NextMoment(scene, states, running, now) ?? begin + Forecast.Horizon;
        }
        return course;
    }

    private static Instant? NextMoment(
        ForecastScene scene,
        Dictionary<long, MoveState> states,
        List<(ForecastMove Move, Instant From, Instant Until)> running,
        Instant now
    ) =>
        running
            .Select(r => (Instant?)r.Until)
            .Concat(states.Values.Select(s => s.Since > now ? s.Since : null))
            .Concat(scene.Timetables.Values.Select(t => t is null || t.IsOpen(now) ? null : t.NextOpening(now)))
            .Min();

    [Fact]
    public void The_forecast_comes_to_what_happens_move_by_move() =>
        Gen.Select(AnyScene, AnyBeginning)
            .Sample(
                (scene, begin) =>
                {
                    var (played, foreseen) = (Play(scene, begin), Forecast.Make(scene, begin));
                    foreach (var move in scene.Moves.Where(m => m.Work > Duration.Zero))
                        Assert.Equal(played.InStep.TryGetValue(move.Id, out var at) ? at : (Instant?)null, foreseen.Moves[move.Id].InStep);
                },
                iter: 300
            );

    [Fact]
    public void No_pass_is_outside_its_windows_no_limit_is_passed_and_no_move_runs_twice_at_once() =>
        Gen.Select(AnyScene, AnyBeginning)
            .Sample(
                (scene, begin) =>
                {
                    var passes = Play(scene, begin).Passes;
                    foreach (var pass in passes)
                    {
                        var middle = pass.From + ((pass.Until - pass.From) / 2);
                        if (scene.Timetables[pass.Batch] is { } timetable)
                            Assert.All([pass.From, middle, pass.Until - Duration.FromMilliseconds(1)], at =>
                                Assert.True(timetable.IsOpen(at))
                            );
                        var beside = passes.Where(p => p.From <= middle && p.Until > middle).ToList();
                        Assert.Single(beside, p => p.Move == pass.Move);
                        Assert.True(beside.Count <= scene.Workers);
                        Assert.All(scene.Rules.Shares, share =>
                            Assert.True(beside.Count(p => share.Batches.Contains(p.Batch)) <= share.Connections)
                        );
                    }
                },
                iter: 200
            );

    [Fact]
    public void Whoever_waits_long_enough_goes_before_everybody_who_comes_later() =>
        Gen.Select(AnyScene, AnyBeginning)
            .Sample(
                (scene, begin) =>
                {
                    // The handicaps of the priorities 1 and 9 are eight hours apart. Whoever could have gone and did not was passed only by
                    // moves that had been due for at most that much less.
                    var (course, since) = (Play(scene, begin), scene.Moves.ToDictionary(m => m.Id, m => m.Since));
                    var handicaps = scene.Moves.ToDictionary(m => m.Id, m => m.Handicap);
                    var most = Schedule.Handicap(9, null) - Schedule.Handicap(1, null);
                    foreach (var (at, chosen, passed) in course.Choices)
                    {
                        foreach (var other in passed.Where(o => since[o] == scene.Moves[0].Since))
                            if (since[chosen] > since[other])
                                Assert.True(since[chosen] - since[other] <= most);
                            else if (since[chosen] == since[other])
                                Assert.True(handicaps[chosen] <= handicaps[other]);
                        // It ran until here: from now on it waits for its next turn.
                        since[chosen] = at + scene.TimeSlice;
                    }
                },
                iter: 200
            );

    [Fact]
    public void Small_mailboxes_go_first_where_the_route_says_so_but_not_for_ever()
    {
        var sizes = new long[] { 0, 1_000, 1_000_000, 500_000_000, 20_000_000_000, 900_000_000_000, long.MaxValue / 2 };
        var handicaps = sizes.Select(s => Schedule.Handicap(5, new ByteCount(s))).ToList();
        Assert.Equal(handicaps.Order(), handicaps);
        Assert.Equal(handicaps.Count, handicaps.Distinct().Count());
        Assert.True(handicaps[^1] <= Schedule.Handicap(5, null) + Schedule.LongestForSize);
    }

    [Fact]
    public void What_holds_a_batch_back_is_told_by_its_share_of_the_time()
    {
        var begin = Instant.FromUtc(2026, 11, 30, 0, 0);
        ForecastScene SceneWith(Timetable? timetable, int workers, int connections, int people) =>
            new(
                new Dictionary<string, Timetable?> { ["b"] = timetable },
                new ScheduleRules([], [new ServiceShare("northquay", connections, ["b"])]),
                workers,
                Duration.FromMinutes(5),
                [
                    .. Enumerable
                        .Range(0, people)
                        .Select(i => new ForecastMove(i, "b", begin, Duration.Zero, Duration.FromHours(2), Duration.FromSeconds(5))),
                ]
            );
        Obstacle WorstOf(ForecastScene scene) => Forecast.Make(scene, begin).Batches["b"].Spent[0].On;
        var nights = new Timetable(
            Dublin,
            [new Window([.. Enum.GetValues<IsoDayOfWeek>()], new LocalTime(1, 0), new LocalTime(3, 0))],
            null
        );
        Assert.Equal(Obstacle.Shut, WorstOf(SceneWith(nights, 8, 20, 40)));
        Assert.Equal(Obstacle.Workers, WorstOf(SceneWith(null, 8, 20, 40)));
        Assert.Equal(
            (Obstacle.Service, "northquay"),
            Forecast.Make(SceneWith(null, 8, 4, 40), begin).Batches["b"].Spent.Select(s => (s.On, s.Service!)).First()
        );
        Assert.Equal(Obstacle.Work, WorstOf(SceneWith(null, 8, 20, 4)));
        // 80 hours of work, 8 at a time.
        Assert.Equal(begin + Duration.FromHours(10), Forecast.Make(SceneWith(null, 8, 20, 40), begin).Batches["b"].InStep);
    }

    [Fact]
    public void What_an_account_may_not_do_today_it_does_on_the_days_after()
    {
        var begin = Instant.FromUtc(2026, 11, 30, 12, 0);
        var scene = new ForecastScene(
            new Dictionary<string, Timetable?> { ["b"] = null },
            ScheduleRules.None,
            8,
            Duration.FromMinutes(5),
            [
                new ForecastMove(
                    1,
                    "b",
                    begin,
                    Duration.Zero,
                    Duration.FromHours(5),
                    Duration.Zero,
                    WorkPerDay: Duration.FromHours(2),
                    LimitedBy: "northquay"
                ),
            ]
        );
        var batch = Forecast.Make(scene, begin).Batches["b"];
        Assert.Equal(Instant.FromUtc(2026, 12, 2, 1, 0), batch.InStep);
        Assert.Equal((Obstacle.DayLimit, "northquay"), (batch.Spent[0].On, batch.Spent[0].Service));
    }

    [Theory]
    [InlineData("windows=all", 15)]
    [InlineData("at-once=2", 30)]
    [InlineData("connections.northquay=1", 60)]
    [InlineData("people=4", 6)]
    public void A_change_is_tried_before_it_is_made(string change, int hours)
    {
        var begin = Instant.FromUtc(2026, 11, 30, 0, 0);
        var plan = new Plan([new Service("northquay", null, new SignIn.Password(null), new Trust.System(), Limits.Default)], [], []);
        var scene = new ForecastScene(
            new Dictionary<string, Timetable?>
            {
                ["b"] =
                    change == "windows=all"
                        ? new Timetable(Dublin, [new Window([IsoDayOfWeek.Monday], new LocalTime(3, 0), new LocalTime(4, 0))], null)
                        : null,
            },
            new ScheduleRules([], [new ServiceShare("northquay", 20, ["b"])]),
            4,
            Duration.FromMinutes(5),
            [.. Enumerable.Range(0, 10).Select(i => new ForecastMove(i, "b", begin, Duration.Zero, Duration.FromHours(6), Duration.Zero))]
        );
        var changed = WhatIf.Read(change, plan)!.Change(scene, "b");
        Assert.Equal(begin + Duration.FromHours(hours), Forecast.Make(changed, begin).Batches["b"].InStep);
        Assert.Null(WhatIf.Read("at-once=65", plan));
        Assert.Null(WhatIf.Read("connections.nowhere=3", plan));
        Assert.Null(WhatIf.Read("windows=mon-fri 25:00-26:00", plan));
    }
}
