using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// Hours in which passes may run. <paramref name="Until"/> at or before <paramref name="From"/> reaches into the next day.
/// </summary>
/// <param name="Days">The days on which it opens.</param>
public sealed record Window(ImmutableArray<IsoDayOfWeek> Days, LocalTime From, LocalTime Until);

/// <summary>When a batch's passes may run, and how often it catches up.</summary>
/// <param name="Windows">None means: at all hours.</param>
/// <param name="CatchUpEvery">From the end of one pass to the next; null means only when asked.</param>
public sealed record Timetable(DateTimeZone Zone, ImmutableArray<Window> Windows, Duration? CatchUpEvery)
{
    public bool IsOpen(Instant at) => Windows.IsEmpty || Openings(at).Any(o => o.Contains(at));

    /// <summary>When it next opens, if it is shut at <paramref name="at"/>; <paramref name="at"/> itself if it is open.</summary>
    public Instant NextOpening(Instant at) => IsOpen(at) ? at : Openings(at).Where(o => o.Start > at).Min(o => o.Start);

    /// <summary>
    /// When the windows that are open at <paramref name="at"/> shut, following on where one touches the next; null: never, or shut now.
    /// </summary>
    public Instant? ClosesAt(Instant at)
    {
        if (Windows.IsEmpty || !IsOpen(at))
            return null;
        var end = at;
        var openings = Openings(at);
        while (openings.Where(o => o.Contains(end)).Select(o => (Instant?)o.End).Max() is { } further && further > end)
            end = further;
        return end - at >= Duration.FromDays(7) ? null : end;
    }

    /// <summary>
    /// Every opening that could matter from a day before <paramref name="at"/> to nine days after, daylight saving resolved leniently.
    /// </summary>
    private List<Interval> Openings(Instant at)
    {
        var first = at.InZone(Zone).Date.PlusDays(-1);
        var openings = new List<Interval>();
        for (var i = 0; i < 10; i++)
        {
            var day = first.PlusDays(i);
            foreach (var window in Windows.Where(w => w.Days.Contains(day.DayOfWeek)))
            {
                var start = (day + window.From).InZoneLeniently(Zone).ToInstant();
                var end = ((window.Until <= window.From ? day.PlusDays(1) : day) + window.Until).InZoneLeniently(Zone).ToInstant();
                if (end > start)
                    openings.Add(new Interval(start, end));
            }
        }
        return openings;
    }
}
