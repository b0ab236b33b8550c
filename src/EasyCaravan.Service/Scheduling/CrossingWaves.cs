using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Scheduling;

/// <summary>Has batches cross at the time that their timetables say, wave after wave, and clears away what was forgotten.</summary>
internal sealed class CrossingWaves(
    CurrentPlan current,
    Crossings crossings,
    Database database,
    WorkSignal signal,
    LiveHub live,
    TimeProvider time,
    ILogger<CrossingWaves> log
) : RecurringDuty(TimeSpan.FromSeconds(1), time, log)
{
    private readonly HashSet<(string Batch, Instant At)> _done = [];

    protected override async Task DoAsync(CancellationToken cancel)
    {
        await database.EmptyLogAsync(cancel);
        var (plan, row) = await current.GetAsync(cancel);
        var now = Instant.FromDateTimeOffset(Time.GetUtcNow());
        foreach (var batch in plan?.Batches ?? [])
        {
            if (batch.Timetable?.CutsOverAt is { } at && at <= now && !_done.Contains((batch.Name, at)))
            {
                // A time that lay in the past when the plan was applied has nobody cross: a person does, who sees what it would begin.
                if (at.ToUnixTimeMilliseconds() >= row!.AppliedAt)
                    await crossings.BeginAsync(batch.Name, at, Journal.Service, cancel);
                _done.Add((batch.Name, at));
            }
            var begun = await crossings.GoOnAsync(batch, cancel);
            if (begun.Count == 0)
                continue;
            signal.Raise();
            foreach (var move in begun)
                live.Touch(move);
        }
    }
}
