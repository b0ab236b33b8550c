using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>When a batch may run, ran and will run, and how it stood hour by hour.</summary>
internal static class TimetableApi
{
    private const int MostDays = 400;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/timetable", GetAsync).WithSummary("When a batch may run, ran, and will run, over some weeks");
        api.MapGet("/batches/{batch}/history", HistoryAsync)
            .WithSummary("How a batch stood, hour by hour, the oldest first; an hour in which nothing changed is left out");
    }

    private static async Task<Results<Ok<TimetableView>, ProblemHttpResult>> GetAsync(
        string batch,
        CurrentPlan current,
        Database database,
        Scheduling.Forecasts forecasts,
        CancellationToken cancel,
        int past = 7,
        int ahead = 28
    )
    {
        if (past is < 0 or > MostDays || ahead is < 1 or > MostDays)
            return Problems.Invalid(
                "past and ahead are numbers of days.",
                $"Give past from 0 to {MostDays} and ahead from 1 to {MostDays}"
            );
        if ((await current.GetAsync(cancel)).Plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        var (timetable, now) = (planned.Timetable, forecasts.Now);
        var zone = timetable?.Zone ?? DateTimeZone.Utc;
        var today = now.InZone(zone).Date;
        var from = OpenHours.At(zone, today.PlusDays(-past).AtMidnight());
        var until = OpenHours.At(zone, today.PlusDays(ahead).AtMidnight());
        var range = (await forecasts.GetAsync(cancel))?.Range;
        await using var db = database.Read();
        var opens = timetable is null || timetable.IsOpen(now) ? null : timetable.NextOpening(now);
        return TypedResults.Ok(
            new TimetableView(
                batch,
                timetable is null ? null : TimetableWords.Describe(timetable),
                zone.Id,
                planned.Priority,
                now.ToDateTimeOffset(),
                from.ToDateTimeOffset(),
                until.ToDateTimeOffset(),
                [.. Enumerable.Range(-past, past + ahead).Select(i => DayOf(today.PlusDays(i), zone))],
                [.. OpenHours.Of(timetable, from, until).Intervals.Select(StretchOf)],
                [.. PausesOf(timetable, today.PlusDays(-past), today.PlusDays(ahead), from, until)],
                await RanAsync(db, batch, from, now, cancel),
                [.. (range?.Slow.Batches.GetValueOrDefault(batch)?.Active ?? []).Where(i => i.Start < until).Select(StretchOf)],
                await DueAsync(db, batch, now, until, cancel),
                timetable?.StartsAt?.ToDateTimeOffset(),
                timetable?.CutsOverAt?.ToDateTimeOffset(),
                timetable?.Aftercare?.ForwardingUntil is { } day ? new DateOnly(day.Year, day.Month, day.Day) : null,
                opens?.ToDateTimeOffset(),
                timetable?.ClosesAt(now)?.ToDateTimeOffset(),
                TimetableWords.WhyShut(timetable, now)
            )
        );
    }

    private static CalendarDay DayOf(LocalDate day, DateTimeZone zone) =>
        new(
            new DateOnly(day.Year, day.Month, day.Day),
            OpenHours.At(zone, day.AtMidnight()).ToDateTimeOffset(),
            OpenHours.At(zone, day.PlusDays(1).AtMidnight()).ToDateTimeOffset()
        );

    private static Stretch StretchOf(Interval interval) => new(interval.Start.ToDateTimeOffset(), interval.End.ToDateTimeOffset());

    private static IEnumerable<PauseStretch> PausesOf(Timetable? timetable, LocalDate first, LocalDate last, Instant from, Instant until) =>
        timetable is null
            ? []
            : timetable
                .Pauses.SelectMany(p => p.Between(first, last, timetable.Zone).Select(i => (Pause: p, Interval: i)))
                .Where(p => p.Interval.End > from && p.Interval.Start < until)
                .OrderBy(p => p.Interval.Start)
                .Select(p => new PauseStretch(p.Interval.Start.ToDateTimeOffset(), p.Interval.End.ToDateTimeOffset(), p.Pause.Why));

    /// <summary>When passes ran, to the quarter of an hour; those that follow within that are one stretch.</summary>
    private static async Task<IReadOnlyList<Stretch>> RanAsync(
        CaravanDb db,
        string batch,
        Instant from,
        Instant now,
        CancellationToken cancel
    )
    {
        const long Close = 15 * 60_000;
        var (since, present) = (from.ToUnixTimeMilliseconds(), now.ToUnixTimeMilliseconds());
        // Put together by the database: thousands of people may have had four passes a day.
        var quarters = await db
            .Passes.Where(p =>
                (p.Kind == PassKind.First || p.Kind == PassKind.CatchUp || p.Kind == PassKind.Closing || p.Kind == PassKind.Straggler)
                && (p.EndedAt == null || p.EndedAt >= since)
                && db.Moves.Any(m => m.Id == p.MoveId && m.Batch == batch)
            )
            .GroupBy(p => p.StartedAt / Close)
            .Select(g => new { From = g.Min(p => p.StartedAt), Until = g.Max(p => p.EndedAt ?? present) })
            .OrderBy(q => q.From)
            .ToListAsync(cancel);
        var ran = new List<(long From, long Until)>();
        foreach (var quarter in quarters)
        {
            var begin = Math.Max(since, quarter.From);
            if (ran.Count > 0 && begin <= ran[^1].Until + Close)
                ran[^1] = (ran[^1].From, Math.Max(ran[^1].Until, quarter.Until));
            else
                ran.Add((begin, quarter.Until));
        }
        return [.. ran.Select(r => new Stretch(MoveViews.Time(r.From)!.Value, MoveViews.Time(r.Until)!.Value))];
    }

    private static async Task<IReadOnlyList<DueMoves>> DueAsync(
        CaravanDb db,
        string batch,
        Instant now,
        Instant until,
        CancellationToken cancel
    )
    {
        const long Hour = 3_600_000;
        var (begin, end) = (now.ToUnixTimeMilliseconds(), until.ToUnixTimeMilliseconds());
        var due = await db
            .Moves.Where(m => m.Batch == batch && m.DueAt >= begin && m.DueAt < end)
            .GroupBy(m => m.DueAt!.Value / Hour)
            .Select(g => new { Hour = g.Key, Moves = g.Count() })
            .OrderBy(g => g.Hour)
            .ToListAsync(cancel);
        return [.. due.Select(d => new DueMoves(MoveViews.Time(d.Hour * Hour)!.Value, d.Moves))];
    }

    private static async Task<Results<Ok<List<HistoryPoint>>, ProblemHttpResult>> HistoryAsync(
        string batch,
        CurrentPlan current,
        BatchHours hours,
        Scheduling.Forecasts forecasts,
        CancellationToken cancel,
        int days = 60
    )
    {
        if (days is < 1 or > MostDays)
            return Problems.Invalid("days is a number of days.", $"Give one from 1 to {MostDays}");
        if ((await current.GetAsync(cancel)).Plan?.Batches.Any(b => b.Name == batch) != true)
            return BatchApi.NoBatch(batch);
        var since = forecasts.Now - Duration.FromDays(days);
        var rows = await hours.ReadAsync(batch, since.ToUnixTimeMilliseconds(), cancel);
        return TypedResults.Ok(
            rows.Select(r => new HistoryPoint(
                    MoveViews.Time(r.Hour)!.Value,
                    JsonSerializer.Deserialize<Dictionary<string, int>>(r.StagesJson)!,
                    r.NeedsYou,
                    r.Found,
                    r.Settled,
                    r.Octets
                ))
                .ToList()
        );
    }
}
