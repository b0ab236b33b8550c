using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>Time in which nothing runs, whatever the windows say.</summary>
/// <param name="Why">In a few words, for people; null: the plan does not say.</param>
public abstract record Pause(string? Why)
{
    /// <summary>When it is, where it touches the days from <paramref name="first"/> to <paramref name="last"/>.</summary>
    public abstract IEnumerable<Interval> Between(LocalDate first, LocalDate last, DateTimeZone zone);
}

/// <param name="Until">Exclusive.</param>
public sealed record FixedPause(LocalDateTime From, LocalDateTime Until, string? Why) : Pause(Why)
{
    public override IEnumerable<Interval> Between(LocalDate first, LocalDate last, DateTimeZone zone)
    {
        var (start, end) = (OpenHours.At(zone, From), OpenHours.AtLast(zone, Until));
        return end > start && From.Date <= last && Until.Date >= first ? [new Interval(start, end)] : [];
    }
}

/// <summary>The same days of each month, such as those on which the books are closed.</summary>
/// <param name="Days">Whole days, 1 to 13.</param>
/// <param name="AtEnd">The last ones of the month; else the first.</param>
public sealed record MonthlyPause(int Days, bool AtEnd, string? Why) : Pause(Why)
{
    public override IEnumerable<Interval> Between(LocalDate first, LocalDate last, DateTimeZone zone)
    {
        for (var month = first.ToYearMonth(); month <= last.ToYearMonth(); month = month.PlusMonths(1))
        {
            var begin = AtEnd ? month.ToDateInterval().End.PlusDays(1 - Days) : month.OnDayOfMonth(1);
            yield return new Interval(OpenHours.At(zone, begin.AtMidnight()), OpenHours.AtLast(zone, begin.PlusDays(Days).AtMidnight()));
        }
    }
}
