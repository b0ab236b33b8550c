using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>A forecast in one sentence.</summary>
internal static class ForecastWords
{
    /// <param name="left">People who are not in step yet.</param>
    /// <param name="apart">Of them, those of whom nothing is foreseen, because they are held or need somebody.</param>
    public static string SentenceOf(
        int left,
        int apart,
        Instant? earliest,
        Instant? latest,
        Instant? cutover,
        DateTimeZone zone,
        IReadOnlyList<ObstacleShare> obstacles,
        ForecastScene scene,
        Plan plan
    )
    {
        if (left == 0)
            return "Everybody is in step.";
        if (left <= apart)
            return $"Everybody is in step but {(apart == 1 ? "1 person who is" : $"{apart} people who are")} held or in need of somebody.";
        if (latest is not { } last)
            return $"Not everybody will be in step within half a year{HeldBack(obstacles, scene, plan)}.";
        var when =
            earliest is { } first && Text(first, zone) != Text(last, zone)
                ? $"between {Text(first, zone, withZone: false)} and {Text(last, zone)}"
                : $"on {Text(last, zone)}";
        return $"Everybody in it will be in step {when}{Against(last, cutover)}{HeldBack(obstacles, scene, plan)}.";
    }

    private static string Against(Instant last, Instant? cutover) =>
        cutover is not { } at ? ""
        : last <= at ? $", {Length(at - last)} before the cutover"
        : $", up to {Length(last - at)} after the cutover";

    private static string HeldBack(IReadOnlyList<ObstacleShare> obstacles, ForecastScene scene, Plan plan) =>
        obstacles is [var worst, ..]
            ? "; held back most by "
                + worst.On switch
                {
                    ObstacleWord.Shut => "hours in which it may not run",
                    ObstacleWord.Workers => $"the {scene.Workers} moves that run at a time",
                    ObstacleWord.Service =>
                        $"the {scene.Rules.Shares.First(s => s.Service == worst.Service).Connections} connections of {worst.Service}",
                    ObstacleWord.DayLimit =>
                        $"the {plan.Services.First(s => s.Name == worst.Service).Limits.BytesPerDay} a day that {worst.Service} allows "
                            + "an account",
                    ObstacleWord.Work => "the largest mailboxes themselves",
                }
            : "";

    public static string Text(Instant at, DateTimeZone zone, bool withZone = true) =>
        at.InZone(zone).ToString(withZone ? "ddd d MMM HH:mm (z)" : "ddd d MMM HH:mm", CultureInfo.InvariantCulture);

    public static string Length(Duration length) =>
        length.TotalDays >= 2 ? $"{length.TotalDays:0} days"
        : length.TotalHours >= 2 ? $"{length.TotalHours:0} h"
        : $"{Math.Max(1, length.TotalMinutes):0} min";
}
