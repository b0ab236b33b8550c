using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Scheduling;

/// <summary>Starts batches at the time that their timetables say.</summary>
internal sealed class BatchStarts(
    CurrentPlan current,
    Moves moves,
    WorkSignal signal,
    LiveHub live,
    TimeProvider time,
    ILogger<BatchStarts> log
) : RecurringDuty(TimeSpan.FromSeconds(1), time, log)
{
    private readonly HashSet<(string Batch, Instant At)> _done = [];

    protected override async Task DoAsync(CancellationToken cancel)
    {
        var (plan, row) = await current.GetAsync(cancel);
        var now = Instant.FromDateTimeOffset(Time.GetUtcNow());
        foreach (var batch in plan?.Batches ?? [])
        {
            if (batch.Timetable is not { StartsAt: { } at } timetable || at > now || _done.Contains((batch.Name, at)))
                continue;
            // A time that lay in the past when the plan was applied starts nobody: a person does, who sees what it would begin.
            if (
                at.ToUnixTimeMilliseconds() >= row!.AppliedAt
                && await moves.StartOnceAsync(batch.Name, at, timetable, cancel) is { } started
            )
            {
                await moves.LineUpAsync(batch, plan!.RouteOf(batch).QueueOrder, cancel);
                signal.Raise();
                foreach (var move in started)
                    live.Touch(move);
            }
            _done.Add((batch.Name, at));
        }
    }
}
