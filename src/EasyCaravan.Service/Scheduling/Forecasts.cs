using System.Diagnostics;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Surveying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Scheduling;

/// <summary>What a forecast of a batch rests on.</summary>
/// <param name="Measured">First passes on which the rates were measured; 0: they are assumed.</param>
/// <param name="Assumed">People of whom nobody knows yet how much they have: they are taken to be like the others.</param>
/// <param name="NotStarted">People who have not begun: the forecast has them start at the timetable's start, or now.</param>
/// <param name="Apart">People who are not in it, because they are held or need somebody.</param>
internal sealed record ForecastBasis(int Measured, int Assumed, int NotStarted, int Apart);

/// <summary>The course of events if everything goes as fast as it may, and if it goes as slowly.</summary>
internal sealed record ForecastRange(Forecast Fast, Forecast Slow)
{
    /// <summary>When everybody of a batch is in step; null: not within the horizon.</summary>
    public (Instant? Earliest, Instant? Latest) InStepOf(string batch) =>
        InOrder(Fast.Batches.GetValueOrDefault(batch)?.InStep, Slow.Batches.GetValueOrDefault(batch)?.InStep);

    /// <summary>With more time for each, one may be done earlier by chance: then the order of both is turned.</summary>
    public static (Instant? Earliest, Instant? Latest) InOrder(Instant? fast, Instant? slow) =>
        fast is { } one && slow is { } other ? (Instant.Min(one, other), Instant.Max(one, other)) : (fast ?? slow, null);
}

/// <summary>All that forecasts of a plan start from.</summary>
internal sealed record ForecastScenes(ForecastScene Fast, ForecastScene Slow, IReadOnlyDictionary<string, ForecastBasis> Bases)
{
    public ForecastScenes With(IEnumerable<WhatIf> changes, string batch) =>
        changes.Aggregate(this, (s, change) => s with { Fast = change.Change(s.Fast, batch), Slow = change.Change(s.Slow, batch) });

    public ForecastRange Run(Instant now)
    {
        var (fast, slow) = (default(Forecast), default(Forecast));
        Parallel.Invoke(() => fast = Forecast.Make(Fast, now), () => slow = Forecast.Make(Slow, now));
        return new ForecastRange(fast!, slow!);
    }
}

/// <summary>
/// Forecasts of all batches together, because they share services and workers. Kept for a moment, as many people look at once.
/// </summary>
internal sealed class Forecasts(Database database, CurrentPlan current, SurveyCache surveys, CaravanOptions options, TimeProvider time)
    : IDisposable
{
    private static readonly TimeSpan s_keep = TimeSpan.FromSeconds(20);

    /// <summary>A forecast is kept at least so many times as long as it took to make, so that many people in a plan cost no more.</summary>
    private const int KeepFor = 50;

    /// <summary>What a mailbox has where nobody was surveyed: messages, octets, folders.</summary>
    private static readonly CarryVolume s_assumed = new("", "", 20_000, new ByteCount(2_000_000_000), 40);

    private static readonly (Duration Fast, Duration Slow) s_assumedCatchUp = (Duration.FromSeconds(2), Duration.FromSeconds(15));

    private readonly SemaphoreSlim _one = new(1);
    private (long Plan, long At, TimeSpan Keep, ForecastScenes Scenes, ForecastRange Range)? _last;

    public void Dispose() => _one.Dispose();

    public Instant Now => Instant.FromDateTimeOffset(time.GetUtcNow());

    /// <returns>Null: there is no plan.</returns>
    public async Task<(ForecastScenes Scenes, ForecastRange Range)?> GetAsync(CancellationToken cancel)
    {
        var (plan, row) = await current.GetAsync(cancel);
        if (plan is null)
            return null;
        await _one.WaitAsync(cancel);
        try
        {
            if (_last is { } last && last.Plan == row!.Id && time.GetElapsedTime(last.At) < last.Keep)
                return (last.Scenes, last.Range);
            var began = Stopwatch.GetTimestamp();
            var scenes = await SceneAsync(plan, cancel);
            var range = scenes.Run(Now);
            var took = Stopwatch.GetElapsedTime(began) * KeepFor;
            _last = (row!.Id, time.GetTimestamp(), took > s_keep ? took : s_keep, scenes, range);
            return (scenes, range);
        }
        finally
        {
            _one.Release();
        }
    }

    /// <summary>How everybody stands now, under this plan, which need not be the one in force.</summary>
    public async Task<ForecastScenes> SceneAsync(Plan plan, CancellationToken cancel)
    {
        var (fast, slow) = (new List<ForecastMove>(), new List<ForecastMove>());
        var bases = new Dictionary<string, ForecastBasis>();
        var paces = new Dictionary<string, RoutePace>();
        foreach (var batch in plan.Batches)
        {
            var route = plan.RouteOf(batch);
            if (!paces.TryGetValue(route.Name, out var pace))
                paces[route.Name] = pace = await PaceAsync(plan, route, cancel);
            bases[batch.Name] = await AddAsync(batch, pace, fast, slow, cancel);
        }
        var timetables = plan.Batches.ToDictionary(b => b.Name, b => b.Timetable);
        var rules = new ScheduleRules([], ServiceShare.Of(plan));
        var slice = Duration.FromTimeSpan(options.TimeSlice);
        return new ForecastScenes(
            new ForecastScene(timetables, rules, options.MovesAtOnce, slice, fast),
            new ForecastScene(timetables, rules, options.MovesAtOnce, slice, slow),
            bases
        );
    }

    /// <summary>What moves over a route have in common.</summary>
    /// <param name="Narrow">The service that allows an account the least in a day; null: none has a limit.</param>
    private sealed record RoutePace(
        Rates Rates,
        IReadOnlyDictionary<Kind, Rates> Kinds,
        (Duration Fast, Duration Slow) CatchUp,
        Core.Planning.Service? Narrow
    );

    private async Task<RoutePace> PaceAsync(Plan plan, Core.Planning.Route route, CancellationToken cancel) =>
        new(
            await EstimateViews.RatesAsync(database, plan, route, Kind.Mail, cancel),
            await EstimateViews.KindRatesAsync(database, plan, route, cancel),
            await CatchUpsAsync(plan, route, cancel),
            plan.Services.Where(s => (s.Name == route.From || s.Name == route.To) && s.Limits.BytesPerDay is not null)
                .MinBy(s => s.Limits.BytesPerDay)
        );

    /// <summary>What a forecast has to know of where a move stands.</summary>
    private sealed record Standing(
        long Id,
        string Account,
        Stage Stage,
        ConditionKind Condition,
        Wait? WaitsFor,
        long? Until,
        long? DueAt,
        long? Since,
        long Handicap,
        int? Priority
    );

    private async Task<ForecastBasis> AddAsync(
        Batch batch,
        RoutePace pace,
        List<ForecastMove> fast,
        List<ForecastMove> slow,
        CancellationToken cancel
    )
    {
        var volumes = (await VolumesAsync(batch.Name, cancel)).ToDictionary(v => v.Account);
        var likely = Average(volumes.Values);
        var (now, assumed, notStarted, apart) = (Now, 0, 0, 0);
        await using var db = database.Read();
        var standings = db
            .Moves.Where(m => m.Batch == batch.Name && m.Stage != Stage.Done && m.Stage != Stage.Withdrawn)
            .OrderBy(m => m.Id)
            .Select(m => new Standing(
                m.Id,
                m.FromAccount,
                m.Stage,
                m.Condition,
                m.WaitsFor,
                m.Until,
                m.DueAt,
                m.Since,
                m.Handicap,
                m.Priority
            ));
        await foreach (var move in standings.AsAsyncEnumerable().WithCancellation(cancel))
        {
            if (move.Condition is ConditionKind.Held || move is { Condition: ConditionKind.NeedsYou, Until: null })
            {
                apart++;
                continue;
            }
            var isCopied = move.Stage is not (Stage.Listed or Stage.Surveyed or Stage.Copying);
            if (isCopied && move is { DueAt: null, Condition: not ConditionKind.Running })
                continue;
            if (!isCopied && !volumes.ContainsKey(move.Account))
                assumed++;
            if (move.Stage is Stage.Listed or Stage.Surveyed)
                notStarted++;
            var volume = volumes.GetValueOrDefault(move.Account) ?? likely;
            var work = isCopied ? null : MoveEstimate.Make(volume, pace.Rates, pace.Kinds);
            fast.Add(MoveOf(move, batch, volume, work?.Shortest, pace.CatchUp.Fast, pace.Narrow, now));
            slow.Add(MoveOf(move, batch, volume, work?.Longest, pace.CatchUp.Slow, pace.Narrow, now));
        }
        return new ForecastBasis(pace.Rates.Measured, assumed, notStarted, apart);
    }

    /// <summary>What is left to carry in first passes, of those whose accounts were seen whole.</summary>
    private async Task<List<CarryVolume>> VolumesAsync(string batch, CancellationToken cancel)
    {
        await using var db = database.Read();
        var isAnySurveyed = await db.Surveys.AnyAsync(s => db.Moves.Any(m => m.Id == s.MoveId && m.Batch == batch), cancel);
        return isAnySurveyed && await surveys.LoadAsync(batch, cancel) is { } surveyed
            ? await EstimateViews.VolumesAsync(database, surveyed, cancel)
            : [];
    }

    private static ForecastMove MoveOf(
        Standing move,
        Batch batch,
        CarryVolume volume,
        double? seconds,
        Duration catchUp,
        Core.Planning.Service? narrow,
        Instant now
    )
    {
        var isWaiting = move.Stage is not (Stage.Listed or Stage.Surveyed) && move.Since is not null;
        var since = isWaiting ? Instant.FromUnixTimeMilliseconds(move.Since!.Value) : batch.Timetable?.StartsAt ?? now;
        // A retry or another wait that is not over yet.
        if (isWaiting && move is { DueAt: { } due, WaitsFor: not Wait.Window } && due > now.ToUnixTimeMilliseconds())
            since = Instant.FromUnixTimeMilliseconds(due);
        // Even an account with nothing in it takes a pass.
        var work = seconds is { } length ? Duration.FromSeconds(Math.Max(1, length)) : Duration.Zero;
        var handicap =
            move.Handicap > 0 ? Duration.FromMilliseconds(move.Handicap) : Schedule.Handicap(move.Priority ?? batch.Priority, null);
        return new ForecastMove(
            move.Id,
            batch.Name,
            since,
            handicap,
            work,
            catchUp,
            narrow?.Limits.BytesPerDay is { } limit && volume.Octets > limit ? work * ((double)limit.Count / volume.Octets.Count) : null,
            narrow?.Name
        );
    }

    private static CarryVolume Average(IReadOnlyCollection<CarryVolume> known) =>
        known.Count == 0
            ? s_assumed
            : new CarryVolume(
                "",
                "",
                (long)known.Average(v => v.Messages),
                new ByteCount((long)known.Average(v => (double)v.Octets.Count)),
                (int)known.Average(v => v.Folders)
            );

    /// <summary>How long catch-ups of the route took: the middle half of the last ones.</summary>
    private async Task<(Duration Fast, Duration Slow)> CatchUpsAsync(Plan plan, Core.Planning.Route route, CancellationToken cancel)
    {
        const int Enough = 10;
        const int Most = 200;
        var batches = plan.Batches.Where(b => b.Route == route.Name).Select(b => b.Name).ToList();
        await using var db = database.Read();
        var lengths = await db
            .Passes.Where(p =>
                p.Kind == PassKind.CatchUp
                && p.EndedAt != null
                && !p.Stopped
                && db.Moves.Any(m => m.Id == p.MoveId && batches.Contains(m.Batch))
            )
            .OrderByDescending(p => p.Id)
            .Take(Most)
            .Select(p => p.EndedAt!.Value - p.StartedAt)
            .ToListAsync(cancel);
        if (lengths.Count < Enough)
            return s_assumedCatchUp;
        lengths.Sort();
        return (
            Duration.FromMilliseconds(Math.Max(1, lengths[lengths.Count / 4])),
            Duration.FromMilliseconds(Math.Max(1, lengths[lengths.Count * 3 / 4]))
        );
    }
}
