using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using NodaTime;

namespace EasyCaravan.Service.Scheduling;

/// <summary>Writes down every minute how each batch stands, and at the beginning of each hour what is foreseen of it.</summary>
internal sealed class HistoryKeeper(
    Database database,
    BatchHours hours,
    CurrentPlan current,
    Forecasts forecasts,
    TimeProvider time,
    ILogger<HistoryKeeper> log
) : BackgroundService
{
    private const long Hour = 3_600_000;

    private static readonly TimeSpan s_rhythm = TimeSpan.FromMinutes(1);

    /// <summary>What was foreseen at the beginning of an hour.</summary>
    private (long Hour, ForecastRange? Range) _foreseen;

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                await KeepAsync(stoppingToken);
                await Task.Delay(s_rhythm, time, stoppingToken);
            }
            catch (OperationCanceledException)
            {
                // Stopping.
            }
            catch (Exception e)
            {
                log.LogError(e, "The history of the batches cannot be written; trying again in {Minutes} min", s_rhythm.TotalMinutes);
                await Task.Delay(s_rhythm, time, CancellationToken.None);
            }
        }
    }

    public async Task KeepAsync(CancellationToken cancel)
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan is null)
            return;
        var hour = time.GetUtcNow().ToUnixTimeMilliseconds() / Hour * Hour;
        List<BatchView> views;
        await using (var db = database.Read())
            views = await BatchViews.LoadAsync(db, plan, null, database.Trouble, cancel);
        if (_foreseen.Hour != hour)
            _foreseen = (hour, (await forecasts.GetAsync(cancel))?.Range);
        var range = _foreseen.Range;
        await hours.KeepAsync(
            [
                .. views.Select(v => new BatchHourRow
                {
                    Batch = v.Name,
                    Hour = hour,
                    StagesJson = JsonSerializer.Serialize(v.Stages),
                    NeedsYou = v.Conditions.GetValueOrDefault("needs-you"),
                    Found = v.Counts.Found,
                    Settled = v.Counts.Carried + v.Counts.Paired + v.Counts.Excluded + v.Counts.LeftBehind,
                    Octets = v.Octets,
                    ForecastEarliest = Foreseen(range?.Fast, v),
                    ForecastLatest = Foreseen(range?.Slow, v),
                }),
            ],
            cancel
        );
    }

    /// <summary>Nothing is foreseen of a batch in which nobody is left to copy.</summary>
    private static long? Foreseen(Core.Scheduling.Forecast? forecast, BatchView batch) =>
        batch.Stages.Keys.Any(s => s is "listed" or "surveyed" or "copying")
            ? forecast?.Batches.GetValueOrDefault(batch.Name)?.InStep?.ToUnixTimeMilliseconds()
            : null;
}
