using NodaTime;
using NodaTime.TimeZones;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// The hours of a stretch of time in which a timetable lets passes run: in order, apart from each other, pauses taken out. The one place
/// where windows become instants; a worker, the forecast and every picture ask it.
/// </summary>
public sealed class OpenHours
{
    // A time that a day has not, because the clock is put forward, is meant where the clock goes on.
    private static readonly ZoneLocalMappingResolver s_first = Resolvers.CreateMappingResolver(
        Resolvers.ReturnEarlier,
        Resolvers.ReturnStartOfIntervalAfter
    );

    private static readonly ZoneLocalMappingResolver s_second = Resolvers.CreateMappingResolver(
        Resolvers.ReturnLater,
        Resolvers.ReturnStartOfIntervalAfter
    );

    private readonly Instant _until;
    private readonly List<Interval> _open;

    private OpenHours(Instant until, List<Interval> open) => (_until, _open) = (until, open);

    public IReadOnlyList<Interval> Intervals => _open;

    /// <summary>A time that a day has twice, because the clock is put back, is meant the first time.</summary>
    public static Instant At(DateTimeZone zone, LocalDateTime local) => zone.ResolveLocal(local, s_first).ToInstant();

    /// <summary>The same, meant the second time.</summary>
    public static Instant AtLast(DateTimeZone zone, LocalDateTime local) => zone.ResolveLocal(local, s_second).ToInstant();

    /// <param name="timetable">Null: at all hours.</param>
    /// <param name="until">Exclusive. Nothing is known from here on.</param>
    public static OpenHours Of(Timetable? timetable, Instant from, Instant until)
    {
        if (timetable is null)
            return new OpenHours(until, [new Interval(from, until)]);
        var (first, last) = (from.InZone(timetable.Zone).Date.PlusDays(-1), until.InZone(timetable.Zone).Date);
        var windows = timetable.Windows.IsEmpty ? [new Interval(from, until)] : Windows(timetable, first, last);
        var pauses = Merge(timetable.Pauses.SelectMany(p => p.Between(first, last, timetable.Zone)));
        var begin = timetable.StartsAt is { } starts && starts > from ? starts : from;
        return new OpenHours(until, [.. Without(Merge(windows), pauses).Select(i => Cut(i, begin, until)).OfType<Interval>()]);
    }

    /// <summary>One that ends later does not tell when it ends.</summary>
    public bool IsOpen(Instant at) => Find(at) is { } index && _open[index].Start <= at;

    /// <summary><paramref name="at"/> itself if it is open; null: not in this stretch.</summary>
    public Instant? NextOpening(Instant at) => Find(at) is { } index ? Instant.Max(at, _open[index].Start) : null;

    /// <summary>Null: not in this stretch, or shut now.</summary>
    public Instant? ClosesAt(Instant at) =>
        Find(at) is { } index && _open[index].Start <= at && _open[index].End < _until ? _open[index].End : null;

    /// <summary>The first interval that ends after this; null: none.</summary>
    private int? Find(Instant at)
    {
        var (low, high) = (0, _open.Count);
        while (low < high)
        {
            var middle = (low + high) / 2;
            if (_open[middle].End > at)
                high = middle;
            else
                low = middle + 1;
        }
        return low < _open.Count ? low : null;
    }

    private static IEnumerable<Interval> Windows(Timetable timetable, LocalDate first, LocalDate last)
    {
        for (var day = first; day <= last; day = day.PlusDays(1))
            foreach (var window in timetable.Windows)
                if (window.Days.Contains(day.DayOfWeek))
                {
                    // Shorter where the clock is put back, so that it is never open when a clock on the wall shows that it is shut.
                    var start = AtLast(timetable.Zone, day + window.From);
                    var end = At(timetable.Zone, (window.Until <= window.From ? day.PlusDays(1) : day) + window.Until);
                    if (end > start)
                        yield return new Interval(start, end);
                }
    }

    private static List<Interval> Merge(IEnumerable<Interval> intervals)
    {
        var merged = new List<Interval>();
        foreach (var interval in intervals.OrderBy(i => i.Start))
            if (merged.Count > 0 && merged[^1].End >= interval.Start)
                merged[^1] = new Interval(merged[^1].Start, Instant.Max(merged[^1].End, interval.End));
            else
                merged.Add(interval);
        return merged;
    }

    private static IEnumerable<Interval> Without(List<Interval> open, List<Interval> pauses)
    {
        var next = 0;
        foreach (var interval in open)
        {
            var start = interval.Start;
            while (next < pauses.Count && pauses[next].End <= start)
                next++;
            for (var i = next; i < pauses.Count && pauses[i].Start < interval.End; i++)
            {
                if (pauses[i].Start > start)
                    yield return new Interval(start, pauses[i].Start);
                start = Instant.Max(start, pauses[i].End);
            }
            if (start < interval.End)
                yield return new Interval(start, interval.End);
        }
    }

    private static Interval? Cut(Interval interval, Instant from, Instant until)
    {
        var (start, end) = (Instant.Max(interval.Start, from), Instant.Min(interval.End, until));
        return start < end ? new Interval(start, end) : null;
    }
}
