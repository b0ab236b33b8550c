using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Surveying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
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
internal sealed record ForecastRange(Forecast Fast, Forecast Slow);

/// <summary>All that forecasts of a plan start from.</summary>
internal sealed record ForecastScenes(ForecastScene Fast, ForecastScene Slow, IReadOnlyDictionary<string, ForecastBasis> Bases)
{
    public ForecastScenes With(IEnumerable<WhatIf> changes, string batch) =>
        changes.Aggregate(this, (s, change) => s with { Fast = change.Change(s.Fast, batch), Slow = change.Change(s.Slow, batch) });

    public ForecastRange Run(Instant now) => new(Forecast.Make(Fast, now), Forecast.Make(Slow, now));
}

/// <summary>
/// Forecasts of all batches together, because they share services and workers. Kept for a moment, as many people look at once.
/// </summary>
internal sealed class Forecasts(Database database, CurrentPlan current, SurveyCache surveys, CaravanOptions options, TimeProvider time)
    : IDisposable
{
    private static readonly TimeSpan s_keep = TimeSpan.FromSeconds(20);

    /// <summary>What a mailbox has where nobody was surveyed: messages, octets, folders.</summary>
    private static readonly CarryVolume s_assumed = new("", "", 20_000, new ByteCount(2_000_000_000), 40);

    private static readonly (Duration Fast, Duration Slow) s_assumedCatchUp = (Duration.FromSeconds(2), Duration.FromSeconds(15));

    private readonly SemaphoreSlim _one = new(1);
    private (long Plan, long At, ForecastScenes Scenes, ForecastRange Range)? _last;

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
            if (_last is { } last && last.Plan == row!.Id && time.GetElapsedTime(last.At) < s_keep)
                return (last.Scenes, last.Range);
            var scenes = await SceneAsync(plan, cancel);
            var range = scenes.Run(Now);
            _last = (row!.Id, time.GetTimestamp(), scenes, range);
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
        foreach (var batch in plan.Batches)
            if (await surveys.LoadAsync(batch.Name, cancel) is { } surveyed)
                bases[batch.Name] = await AddAsync(batch, surveyed, fast, slow, cancel);
        var timetables = plan.Batches.ToDictionary(b => b.Name, b => b.Timetable);
        var rules = new ScheduleRules([], ServiceShare.Of(plan));
        var slice = Duration.FromTimeSpan(options.TimeSlice);
        return new ForecastScenes(
            new ForecastScene(timetables, rules, options.MovesAtOnce, slice, fast),
            new ForecastScene(timetables, rules, options.MovesAtOnce, slice, slow),
            bases
        );
    }

    private async Task<ForecastBasis> AddAsync(
        Batch batch,
        SurveyedBatch surveyed,
        List<ForecastMove> fast,
        List<ForecastMove> slow,
        CancellationToken cancel
    )
    {
        var volumes = (await EstimateViews.VolumesAsync(database, surveyed, cancel)).ToDictionary(v => v.Account);
        var rates = await EstimateViews.RatesAsync(database, surveyed, Kind.Mail, cancel);
        var kinds = await EstimateViews.KindRatesAsync(database, surveyed, cancel);
        var catchUp = await CatchUpsAsync(surveyed, cancel);
        var likely = Average(volumes.Values);
        var narrow = new[] { surveyed.From, surveyed.To }.Where(s => s.Limits.BytesPerDay is not null).MinBy(s => s.Limits.BytesPerDay);
        var (now, assumed, notStarted, apart) = (Now, 0, 0, 0);
        foreach (var (move, _, _) in surveyed.Moves)
        {
            if (move.Stage is Stage.Done or Stage.Withdrawn)
                continue;
            if (move.Condition is ConditionKind.Held || (move.Condition is ConditionKind.NeedsYou && move.Until is null))
            {
                apart++;
                continue;
            }
            var isCopied = move.Stage is not (Stage.Listed or Stage.Surveyed or Stage.Copying);
            if (isCopied && move.DueAt is null && move.Condition is not ConditionKind.Running)
                continue;
            if (!isCopied && !volumes.ContainsKey(move.FromAccount))
                assumed++;
            if (move.Stage is Stage.Listed or Stage.Surveyed)
                notStarted++;
            var volume = volumes.GetValueOrDefault(move.FromAccount) ?? likely;
            var work = isCopied ? null : MoveEstimate.Make(volume, rates, kinds);
            fast.Add(MoveOf(move, batch, volume, work?.Shortest, catchUp.Fast, narrow, now));
            slow.Add(MoveOf(move, batch, volume, work?.Longest, catchUp.Slow, narrow, now));
        }
        return new ForecastBasis(rates.Measured, assumed, notStarted, apart);
    }

    private static ForecastMove MoveOf(
        MoveRow move,
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
    private async Task<(Duration Fast, Duration Slow)> CatchUpsAsync(SurveyedBatch surveyed, CancellationToken cancel)
    {
        const int Enough = 10;
        const int Most = 200;
        var batches = surveyed.Plan.Batches.Where(b => b.Route == surveyed.Route.Name).Select(b => b.Name).ToList();
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
