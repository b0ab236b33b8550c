using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>When a batch will be in step, what holds it back, and what a change would do.</summary>
internal static class ForecastApi
{
    /// <summary>Changes that one call may ask about.</summary>
    private const int MostChanges = 8;

    /// <summary>Obstacles that a change is suggested for.</summary>
    private const int MostSuggested = 2;

    /// <summary>With more moves than this, only changes that were asked for are tried: each takes as long as a forecast.</summary>
    private const int MostMovesToSuggest = 5_000;

    /// <summary>An obstacle below this share of the time is not worth a suggestion.</summary>
    private const double WorthIt = 0.05;

    /// <summary>An obstacle below this share is not told.</summary>
    private const double WorthTelling = 0.005;

    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/batches/{batch}/forecast", GetAsync)
            .WithSummary("When a batch will be in step, what holds it back, and what a change would do");

    private static async Task<Results<Ok<ForecastView>, ProblemHttpResult>> GetAsync(
        string batch,
        CurrentPlan current,
        Database database,
        BatchHours hours,
        Forecasts forecasts,
        CancellationToken cancel,
        string[]? whatIf = null,
        string? cursor = null,
        long skip = 0,
        int limit = Paging.Usual
    )
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        var (after, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        if (ReadChanges(whatIf ?? [], plan, out var changes) is { } problem)
            return problem;
        var (scenes, range) = (await forecasts.GetAsync(cancel))!.Value;
        var (fast, slow) = (range.Fast.Batches.GetValueOrDefault(batch), range.Slow.Batches.GetValueOrDefault(batch));
        var basis = scenes.Bases.GetValueOrDefault(batch) ?? new ForecastBasis(0, 0, 0, 0);
        await using var db = database.Read();
        var people = await db
            .Moves.Where(m => m.Batch == batch && m.Stage != Stage.Withdrawn)
            .OrderBy(m => m.Id)
            .Select(m => new
            {
                m.Id,
                m.FromAccount,
                m.Name,
                m.Stage,
            })
            .ToListAsync(cancel);
        var copied = people.Where(p => p.Stage is not (Stage.Listed or Stage.Surveyed or Stage.Copying)).Select(p => p.Id).ToHashSet();
        var (earliest, latest) = range.InStepOf(batch);
        var obstacles = SharesOf(slow);
        var cutover = planned.Timetable?.CutsOverAt;
        var zone = planned.Timetable?.Zone ?? DateTimeZone.Utc;
        var lines = people
            .Where(p => !copied.Contains(p.Id) && range.Slow.Moves.ContainsKey(p.Id))
            .Select(p => (p.FromAccount, p.Name, Fast: range.Fast.Moves[p.Id], Slow: range.Slow.Moves[p.Id]))
            .OrderByDescending(p => p.Slow.InStep ?? Instant.MaxValue)
            .ThenBy(p => p.FromAccount)
            .Select(p =>
            {
                var (first, last) = ForecastRange.InOrder(p.Fast.InStep, p.Slow.InStep);
                return new MoveForecastView(
                    p.FromAccount,
                    p.Name,
                    p.Fast.Begins?.ToDateTimeOffset(),
                    first?.ToDateTimeOffset(),
                    last?.ToDateTimeOffset()
                );
            })
            .ToList();
        if (scenes.Slow.Moves.Count <= MostMovesToSuggest)
            changes.AddRange(
                Suggested(obstacles, scenes.Slow, planned.Timetable, plan).Where(s => changes.TrueForAll(c => c.Text != s.Text))
            );
        return TypedResults.Ok(
            new ForecastView(
                batch,
                zone.Id,
                range.Slow.From.ToDateTimeOffset(),
                people.Count,
                copied.Count,
                fast?.Begins?.ToDateTimeOffset(),
                earliest?.ToDateTimeOffset(),
                latest?.ToDateTimeOffset(),
                cutover?.ToDateTimeOffset(),
                cutover is { } at && latest is { } last ? (at - last).TotalSeconds : null,
                ForecastWords.SentenceOf(
                    people.Count - copied.Count,
                    basis.Apart,
                    earliest,
                    latest,
                    cutover,
                    zone,
                    obstacles,
                    scenes.Slow,
                    plan
                ),
                obstacles,
                basis.Measured,
                basis.Assumed,
                basis.NotStarted,
                basis.Apart,
                DaysOf(range, [.. lines.Select(l => l.InStepLatest)], [.. lines.Select(l => l.InStepEarliest)], copied.Count, zone),
                [.. changes.Select(c => Try(c, scenes, batch, latest, range.Slow.From))],
                [
                    .. (await hours.ReadAsync(batch, 0, cancel))
                        .Where(h => h.ForecastLatest is not null || h.ForecastEarliest is not null)
                        .Select(h => new EarlierForecast(
                            MoveViews.Time(h.Hour)!.Value,
                            MoveViews.Time(h.ForecastEarliest),
                            MoveViews.Time(h.ForecastLatest)
                        )),
                ],
                Paging.Window(lines, after ?? Math.Max(0, skip), Paging.SizeOf(limit))
            )
        );
    }

    private static ProblemHttpResult? ReadChanges(string[] texts, Plan plan, out List<WhatIf> changes)
    {
        changes = [];
        if (texts.Length > MostChanges)
            return Problems.Invalid($"A forecast answers at most {MostChanges} changes at once.", "Ask again for the others");
        foreach (var text in texts)
        {
            if (WhatIf.Read(text, plan) is not { } change)
                return Problems.Invalid($"'{text}' is not a change that a forecast knows.", $"Give {WhatIf.Forms}");
            changes.Add(change);
        }
        return null;
    }

    /// <summary>For each of the worst obstacles, what a person could change about it.</summary>
    private static IEnumerable<WhatIf> Suggested(
        IReadOnlyList<ObstacleShare> obstacles,
        ForecastScene scene,
        Timetable? timetable,
        Plan plan
    ) =>
        obstacles
            .Where(o => o.Share >= WorthIt)
            .Take(MostSuggested)
            .SelectMany(o =>
                o.On switch
                {
                    ObstacleWord.Shut => timetable?.Pauses.IsEmpty == false ? ["windows=all", "pauses=none"] : ["windows=all"],
                    ObstacleWord.Workers when scene.Workers < 64 => [$"at-once={Math.Min(64, scene.Workers * 2)}"],
                    ObstacleWord.Service =>
                    [
                        $"connections.{o.Service}={scene.Rules.Shares.First(s => s.Service == o.Service).Connections * 2}",
                    ],
                    _ => Array.Empty<string>(),
                }
            )
            .Select(text => WhatIf.Read(text, plan))
            .OfType<WhatIf>();

    private static WhatIfView Try(WhatIf change, ForecastScenes scenes, string batch, Instant? latest, Instant now)
    {
        var range = scenes.With([change], batch).Run(now);
        var (first, last) = range.InStepOf(batch);
        return new WhatIfView(
            change.Text,
            first?.ToDateTimeOffset(),
            last?.ToDateTimeOffset(),
            latest is { } before && last is { } then ? (before - then).TotalSeconds : null
        );
    }

    private static IReadOnlyList<ObstacleShare> SharesOf(BatchForecast? forecast)
    {
        var total = forecast?.Spent.Sum(s => s.Length.TotalSeconds) ?? 0;
        return total == 0
            ? []
            :
            [
                .. forecast!
                    .Spent.Where(s => s.Length.TotalSeconds >= total * WorthTelling)
                    .Select(s => new ObstacleShare(
                        ContractWord.To<ObstacleWord>(s.On),
                        s.Service,
                        Math.Round(s.Length.TotalSeconds / total, 3)
                    )),
            ];
    }

    private static IReadOnlyList<ForecastDay> DaysOf(
        ForecastRange range,
        List<DateTimeOffset?> latest,
        List<DateTimeOffset?> earliest,
        int copied,
        DateTimeZone zone
    )
    {
        var days = new List<ForecastDay>();
        if (latest.Count == 0)
            return days;
        var end = Instant.Max(range.Fast.Until, range.Slow.Until).InZone(zone).Date;
        for (var day = range.Slow.From.InZone(zone).Date; day <= end; day = day.PlusDays(1))
        {
            var midnight = OpenHours.At(zone, day.PlusDays(1).AtMidnight()).ToDateTimeOffset();
            days.Add(
                new ForecastDay(
                    new DateOnly(day.Year, day.Month, day.Day),
                    copied + latest.Count(l => l < midnight),
                    copied + earliest.Count(e => e < midnight)
                )
            );
        }
        return days;
    }
}
