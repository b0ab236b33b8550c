using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Scheduling;

/// <summary>What a new plan would change about when batches run, told before it is applied.</summary>
internal sealed class TimetableChanges(Database database, CurrentPlan current, Forecasts forecasts)
{
    /// <param name="plan">Checked, and not in force.</param>
    public async Task<IReadOnlyList<TimetableChange>> OfAsync(Plan plan, CancellationToken cancel)
    {
        if ((await current.GetAsync(cancel)).Plan is not { } before)
            return [];
        var concerned = plan.Batches.Where(b => IsConcerned(b, before, plan)).ToList();
        if (concerned.Count == 0)
            return [];
        var now = forecasts.Now;
        var range = (await forecasts.GetAsync(cancel))!.Value.Range;
        var then = (await forecasts.SceneAsync(plan, cancel)).Run(now);
        var changes = new List<TimetableChange>();
        foreach (var batch in concerned)
        {
            var (_, latest) = range.InStepOf(batch.Name);
            var (_, changed) = then.InStepOf(batch.Name);
            var (running, waiting) = await CountAsync(batch.Name, cancel);
            var isOpen = batch.Timetable?.IsOpen(now) != false;
            var (stops, begins) = (isOpen ? 0 : running, isOpen ? waiting : 0);
            changes.Add(
                new TimetableChange(
                    batch.Name,
                    latest?.ToDateTimeOffset(),
                    changed?.ToDateTimeOffset(),
                    stops,
                    begins,
                    SentenceOf(latest, changed, stops, begins, batch.Timetable?.Zone ?? DateTimeZone.Utc)
                )
            );
        }
        return changes;
    }

    /// <summary>Its timetable, its priority, or how many connections its services bear are another.</summary>
    private static bool IsConcerned(Batch batch, Plan before, Plan after)
    {
        if (before.Batches.FirstOrDefault(b => b.Name == batch.Name) is not { } old)
            return false;
        if (!Equals(old.Timetable, batch.Timetable) || old.Priority != batch.Priority)
            return true;
        var route = after.RouteOf(batch);
        return new[] { route.From, route.To }.Any(name =>
            before.Services.FirstOrDefault(s => s.Name == name)?.Limits != after.Services.First(s => s.Name == name).Limits
        );
    }

    private async Task<(int Running, int Waiting)> CountAsync(string batch, CancellationToken cancel)
    {
        await using var db = database.Read();
        return (
            await db.Moves.CountAsync(m => m.Batch == batch && m.Condition == ConditionKind.Running, cancel),
            await db.Moves.CountAsync(m => m.Batch == batch && m.WaitsFor == Wait.Window, cancel)
        );
    }

    private static string SentenceOf(Instant? before, Instant? after, int stops, int begins, DateTimeZone zone)
    {
        var parts = new List<string>();
        if (stops > 0)
            parts.Add(
                $"{stops} running {(stops == 1 ? "move stops" : "moves stop")} after the item in hand, because no window is open now"
            );
        if (begins > 0)
            parts.Add($"{begins} waiting {(begins == 1 ? "move" : "moves")} may begin at once");
        parts.Add(
            (before, after) switch
            {
                (_, null) => "it will not be in step within half a year",
                (null, { } then) => $"it will be in step by {ForecastWords.Text(then, zone)}",
                ({ } was, { } then) when (then - was).TotalMinutes is > -5 and < 5 =>
                    $"it will still be in step by {ForecastWords.Text(then, zone)}",
                ({ } was, { } then) => $"it will be in step by {ForecastWords.Text(then, zone)}, "
                    + (then < was ? $"{ForecastWords.Length(was - then)} earlier" : $"{ForecastWords.Length(then - was)} later"),
            }
        );
        return string.Join("; ", parts);
    }
}
