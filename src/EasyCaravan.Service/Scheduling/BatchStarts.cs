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
) : BackgroundService
{
    private static readonly TimeSpan s_rhythm = TimeSpan.FromSeconds(1);

    private readonly HashSet<(string Batch, Instant At)> _done = [];

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                await StartDueAsync(stoppingToken);
                await Task.Delay(s_rhythm, time, stoppingToken);
            }
            catch (OperationCanceledException)
            {
                // Stopping.
            }
            catch (Exception e)
            {
                log.LogError(e, "Batches cannot be started by their timetables; trying again in {Seconds} s", s_rhythm.TotalSeconds);
                await Task.Delay(s_rhythm, time, CancellationToken.None);
            }
        }
    }

    private async Task StartDueAsync(CancellationToken cancel)
    {
        var (plan, row) = await current.GetAsync(cancel);
        var now = Instant.FromDateTimeOffset(time.GetUtcNow());
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
                await moves.LineUpAsync(batch, plan!.Routes.First(r => r.Name == batch.Route).QueueOrder, cancel);
                signal.Raise();
                foreach (var move in started)
                    live.Touch(move);
            }
            _done.Add((batch.Name, at));
        }
    }
}
