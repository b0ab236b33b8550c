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
) : RecurringDuty(TimeSpan.FromMinutes(1), time, log)
{
    private const long Hour = 3_600_000;

    /// <summary>What was foreseen at the beginning of an hour.</summary>
    private (long Hour, ForecastRange? Range) _foreseen;

    protected override async Task DoAsync(CancellationToken cancel)
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan is null)
            return;
        var hour = Time.GetUtcNow().ToUnixTimeMilliseconds() / Hour * Hour;
        List<BatchView> views;
        await using (var db = database.Read())
            views = await BatchViews.LoadAsync(db, plan, null, database.Trouble, cancel);
        if (_foreseen.Hour != hour)
            _foreseen = (hour, (await forecasts.GetAsync(cancel))?.Range);
        var range = _foreseen.Range;
        await hours.KeepAsync([.. views.Select(v => RowOf(v, hour, range))], cancel);
    }

    /// <summary>Nothing is foreseen of a batch in which nobody is left to copy.</summary>
    private static BatchHourRow RowOf(BatchView batch, long hour, ForecastRange? range)
    {
        var isCopying = batch.Stages.Keys.Any(s => s is "listed" or "surveyed" or "copying");
        var (earliest, latest) = isCopying && range is not null ? range.InStepOf(batch.Name) : (null, null);
        return new BatchHourRow
        {
            Batch = batch.Name,
            Hour = hour,
            StagesJson = JsonSerializer.Serialize(batch.Stages),
            NeedsYou = batch.Conditions.GetValueOrDefault("needs-you"),
            Found = batch.Counts.Found,
            Settled = batch.Counts.Carried + batch.Counts.Paired + batch.Counts.Excluded + batch.Counts.LeftBehind,
            Octets = batch.Octets,
            ForecastEarliest = earliest?.ToUnixTimeMilliseconds(),
            ForecastLatest = latest?.ToUnixTimeMilliseconds(),
        };
    }
}
