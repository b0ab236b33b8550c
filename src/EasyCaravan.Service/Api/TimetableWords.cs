using System.Globalization;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>Timetables in words.</summary>
internal static class TimetableWords
{
    public static string Describe(Timetable timetable)
    {
        var windows = timetable.Windows.IsEmpty
            ? "at all hours"
            : string.Join(
                "; ",
                timetable.Windows.Select(w =>
                    $"{string.Join(' ', w.Days.Select(d => d.ToString()[..3]))} {w.From.ToString("HH:mm", null)}"
                    + $"–{w.Until.ToString("HH:mm", null)}"
                )
            );
        var pauses = timetable.Pauses.Length switch
        {
            0 => "",
            1 => ", 1 pause",
            var several => $", {several} pauses",
        };
        var rhythm = timetable.CatchUpEvery is { } every ? $", catching up every {Length(every)}" : "";
        var kept = timetable.KeepInStepFor is { } length ? $" for {Length(length)}" : "";
        return $"{windows} ({timetable.Zone.Id}){pauses}{rhythm}{kept}{On("starts", timetable.Start)}{On("cuts over", timetable.Cutover)}";
    }

    private static string Length(Duration length) =>
        length.TotalDays >= 2 ? $"{length.TotalDays:0.#} days"
        : length.TotalHours >= 1 ? $"{length.TotalHours:0.#} h"
        : $"{length.TotalMinutes:0} min";

    private static string On(string what, LocalDateTime? at) =>
        at is { } local ? $", {what} {local.ToString("uuuu-MM-dd HH:mm", CultureInfo.InvariantCulture)}" : "";

    /// <summary>Why nothing runs at an hour at which a window may be open; null where none of this is so.</summary>
    public static string? WhyShut(Timetable? timetable, Instant at) =>
        timetable?.StartsAt > at ? "it has not started yet"
        : PauseAt(timetable, at) is { } pause
            ? pause.Why is { } why ? $"it is paused: {why}"
                : "it is paused"
        : null;

    /// <summary>What a move that may not run now waits for.</summary>
    public static string WhyWaiting(Timetable? timetable, Instant at) =>
        timetable?.StartsAt > at ? "waits for the start of its batch"
        : PauseAt(timetable, at) is { } pause
            ? pause.Why is { } why ? $"waits until the pause ends: {why}"
                : "waits until the pause ends"
        : "waits for its window";

    private static Pause? PauseAt(Timetable? timetable, Instant at)
    {
        if (timetable is null)
            return null;
        var day = at.InZone(timetable.Zone).Date;
        return timetable.Pauses.FirstOrDefault(p => p.Between(day.PlusDays(-1), day, timetable.Zone).Any(i => i.Contains(at)));
    }
}
