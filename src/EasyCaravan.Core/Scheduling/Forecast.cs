using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Scheduling;

/// <summary>What is ahead of one move.</summary>
/// <param name="Since">Since when it has been due, or will be.</param>
/// <param name="Work">What is left of its first pass, run without pause; zero where it is in step.</param>
/// <param name="CatchUp">How long one of its catch-ups takes.</param>
/// <param name="WorkPerDay">How much of it a service lets one account do in a day; null: no limit.</param>
/// <param name="LimitedBy">That service.</param>
public sealed record ForecastMove(
    long Id,
    string Batch,
    Instant Since,
    Duration Handicap,
    Duration Work,
    Duration CatchUp,
    Duration? WorkPerDay = null,
    string? LimitedBy = null
);

/// <summary>All that decides what runs when.</summary>
/// <param name="Timetables">Of each batch; null: at all hours.</param>
/// <param name="Workers">Moves that run side by side.</param>
/// <param name="TimeSlice">How long a pass runs while others wait.</param>
public sealed record ForecastScene(
    IReadOnlyDictionary<string, Timetable?> Timetables,
    ScheduleRules Rules,
    int Workers,
    Duration TimeSlice,
    IReadOnlyList<ForecastMove> Moves
);

/// <summary>What keeps a batch from being in step earlier.</summary>
public enum Obstacle
{
    /// <summary>Its windows are shut, or it is paused, or has not started yet.</summary>
    Shut,

    /// <summary>All moves that this installation runs at a time are running.</summary>
    Workers,

    /// <summary>All connections of a service are in use.</summary>
    Service,

    /// <summary>What a service lets an account do in a day is used up.</summary>
    DayLimit,

    /// <summary>Everybody left is running: it takes as long as their mailboxes take.</summary>
    Work,
}

/// <summary>How much of a batch's time went where, and which service it was.</summary>
public sealed record TimeSpent(Obstacle On, string? Service, Duration Length);

/// <summary>What is foreseen of one move.</summary>
/// <param name="Begins">When its first pass begins or goes on; null: not within the horizon, or it is in step.</param>
/// <param name="InStep">Null: not within the horizon.</param>
public sealed record MoveForecast(Instant? Begins, Instant? InStep);

/// <summary>What is foreseen of one batch.</summary>
/// <param name="Spent">Where the time until everybody is in step goes, the most first.</param>
/// <param name="Active">When first passes of it run.</param>
public sealed record BatchForecast(Instant? Begins, Instant? InStep, IReadOnlyList<TimeSpent> Spent, IReadOnlyList<Interval> Active);

/// <summary>One course of events.</summary>
public sealed record Forecast(
    Instant From,
    Instant Until,
    IReadOnlyDictionary<long, MoveForecast> Moves,
    IReadOnlyDictionary<string, BatchForecast> Batches
)
{
    /// <summary>Half a year: whoever is not in step then has another problem than time.</summary>
    public static readonly Duration Horizon = Duration.FromDays(182);

    /// <summary>Runs the schedule on simulated time, until everybody who can be is in step.</summary>
    public static Forecast Make(ForecastScene scene, Instant now) => new Simulation(scene, now, now + Horizon).Run();
}
