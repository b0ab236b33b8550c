using CsCheck;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Tests;

public sealed class TimetableTests
{
    private static readonly DateTimeZone Dublin = DateTimeZoneProviders.Tzdb["Europe/Dublin"];
    private static readonly IsoDayOfWeek[] Weekdays =
    [
        IsoDayOfWeek.Monday,
        IsoDayOfWeek.Tuesday,
        IsoDayOfWeek.Wednesday,
        IsoDayOfWeek.Thursday,
        IsoDayOfWeek.Friday,
    ];

    private static readonly Timetable Nights = new(
        Dublin,
        [
            new Window([.. Weekdays], new LocalTime(19, 0), new LocalTime(7, 0)),
            new Window([IsoDayOfWeek.Saturday, IsoDayOfWeek.Sunday], LocalTime.Midnight, LocalTime.Midnight),
        ],
        null
    );

    private static Instant At(int day, int hour, int minute = 0) =>
        new LocalDateTime(2027, 2, day, hour, minute).InZoneLeniently(Dublin).ToInstant();

    [Theory]
    [InlineData(8, 12, false)] // Monday noon
    [InlineData(8, 19, true)]
    [InlineData(9, 6, true)] // Tuesday, still Monday's window
    [InlineData(9, 7, false)]
    [InlineData(13, 12, true)] // Saturday
    [InlineData(15, 6, false)] // Monday morning: Sunday's window ended at midnight
    public void Windows_reach_over_midnight(int day, int hour, bool open) => Assert.Equal(open, Nights.IsOpen(At(day, hour)));

    [Fact]
    public void The_next_opening_is_told_and_when_touching_windows_close()
    {
        Assert.Equal(At(8, 19), Nights.NextOpening(At(8, 12)));
        Assert.Equal(At(8, 20), Nights.NextOpening(At(8, 20)));
        // Friday evening runs on through the weekend.
        Assert.Equal(At(15, 0), Nights.ClosesAt(At(12, 20)));
        Assert.Null(Nights.ClosesAt(At(8, 12)));
    }

    [Fact]
    public void Without_windows_it_is_always_open_and_never_closes()
    {
        var always = new Timetable(Dublin, [], null);
        Assert.True(always.IsOpen(At(8, 12)));
        Assert.Null(always.ClosesAt(At(8, 12)));
    }

    [Theory]
    [InlineData("2026-12-23T20:00", true)]
    [InlineData("2026-12-24T00:00", false)]
    [InlineData("2027-01-02T23:59", false)] // the last day is meant whole
    [InlineData("2027-01-03T00:00", true)]
    [InlineData("2027-01-30T00:00", false)] // the last two days of January
    [InlineData("2027-01-29T23:00", true)]
    [InlineData("2028-02-28T12:00", false)] // of a leap year's February
    [InlineData("2028-02-27T12:00", true)]
    [InlineData("2028-02-29T12:00", false)]
    [InlineData("2027-03-01T12:00", true)]
    public void In_pauses_nothing_runs_whatever_the_windows_say(string local, bool open)
    {
        var paused = new Timetable(Dublin, [], null)
        {
            Pauses =
            [
                new FixedPause(new LocalDateTime(2026, 12, 24, 0, 0), new LocalDateTime(2027, 1, 3, 0, 0), "Christmas"),
                new MonthlyPause(2, AtEnd: true, "month end"),
            ],
        };
        var at = OpenHours.At(
            Dublin,
            NodaTime.Text.LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm").Parse(local).Value
        );
        Assert.Equal(open, paused.IsOpen(at));
        Assert.True(paused.IsOpen(paused.NextOpening(at)!.Value));
    }

    [Fact]
    public void Nothing_runs_before_the_start_and_one_that_never_opens_says_so()
    {
        var later = Nights with { Start = new LocalDateTime(2027, 5, 3, 20, 30) };
        Assert.Equal(OpenHours.At(Dublin, new LocalDateTime(2027, 5, 3, 20, 30)), later.NextOpening(At(8, 20)));
        var never = Nights with
        {
            Pauses = [new FixedPause(new LocalDateTime(2027, 1, 1, 0, 0), new LocalDateTime(2047, 1, 1, 0, 0), null)],
        };
        Assert.Null(never.NextOpening(At(8, 20)));
    }

    [Fact]
    public void Catch_ups_go_on_for_as_long_as_it_is_to_be_kept_in_step()
    {
        var kept = Nights with { CatchUpEvery = Duration.FromHours(6), KeepInStepFor = Duration.FromDays(1) };
        var since = At(8, 20);
        Assert.Equal(since + Duration.FromHours(24), kept.NextCatchUp(since + Duration.FromHours(18), since));
        Assert.Null(kept.NextCatchUp(since + Duration.FromHours(19), since));
    }

    private static readonly DateTimeZone[] Zones =
    [
        Dublin,
        DateTimeZoneProviders.Tzdb["America/New_York"],
        // Half an hour of summer time, and one that puts its clock back at midnight.
        DateTimeZoneProviders.Tzdb["Australia/Lord_Howe"],
        DateTimeZoneProviders.Tzdb["America/Havana"],
        DateTimeZone.Utc,
    ];

    private static readonly Gen<Timetable> AnyTimetable = Gen.Select(
        Gen.Int[0, Zones.Length - 1],
        Gen.Select(Gen.Int[1, 127], Gen.Int[0, 95], Gen.Int[0, 95]).Array[0, 3],
        Gen.Select(Gen.Int[0, 700], Gen.Int[1, 20 * 24]).Array[0, 3],
        Gen.Select(Gen.Int[0, 13], Gen.Bool),
        (zone, windows, pauses, monthly) =>
            new Timetable(
                Zones[zone],
                [
                    .. windows.Select(w => new Window(
                        [.. Enum.GetValues<IsoDayOfWeek>().Where(d => d != IsoDayOfWeek.None && (w.Item1 & (1 << ((int)d - 1))) != 0)],
                        LocalTime.Midnight.PlusMinutes(15 * w.Item2),
                        LocalTime.Midnight.PlusMinutes(15 * w.Item3)
                    )),
                ],
                null
            )
            {
                Pauses =
                [
                    .. pauses.Select(p => new FixedPause(
                        new LocalDateTime(2026, 1, 1, 0, 0).PlusDays(p.Item1),
                        new LocalDateTime(2026, 1, 1, 0, 0).PlusDays(p.Item1).PlusHours(p.Item2),
                        null
                    )),
                    .. monthly.Item1 > 0 ? [new MonthlyPause(monthly.Item1, monthly.Item2, null)] : Array.Empty<Pause>(),
                ],
            }
    );

    /// <summary>What a person with a clock on the wall and the plan in the hand would say.</summary>
    private static bool IsOpenOnTheWall(Timetable timetable, LocalDateTime wall)
    {
        var (day, time) = (wall.Date, wall.TimeOfDay);
        var inWindow =
            timetable.Windows.IsEmpty
            || timetable.Windows.Any(w =>
                w.Until > w.From
                    ? w.Days.Contains(day.DayOfWeek) && time >= w.From && time < w.Until
                    : (w.Days.Contains(day.DayOfWeek) && time >= w.From) || (w.Days.Contains(day.PlusDays(-1).DayOfWeek) && time < w.Until)
            );
        var paused = timetable.Pauses.Any(p =>
            p switch
            {
                FixedPause pause => wall >= pause.From && wall < pause.Until,
                MonthlyPause { AtEnd: true } pause => day.PlusDays(pause.Days).Month != day.Month,
                MonthlyPause pause => day.Day <= pause.Days,
                _ => throw new InvalidOperationException(),
            }
        );
        return inWindow && !paused;
    }

    [Fact]
    public void It_is_open_when_the_clock_on_the_wall_says_so_and_never_else()
    {
        Gen.Select(AnyTimetable, Gen.Long[0, 2L * 365 * 24 * 12])
            .Sample(
                (timetable, fiveMinutes) =>
                {
                    var at = Instant.FromUtc(2026, 1, 1, 0, 0) + Duration.FromMinutes(5 * fiveMinutes);
                    var wall = at.InZone(timetable.Zone).LocalDateTime;
                    var onTheWall = IsOpenOnTheWall(timetable, wall);
                    if (timetable.IsOpen(at))
                        Assert.True(onTheWall, $"open at {wall}");
                    else if (onTheWall)
                        Assert.True(IsNearClockChange(timetable.Zone, at), $"shut at {wall}");
                },
                iter: 20_000
            );
    }

    /// <summary>Hours that a day has twice are left out where a window begins or ends in them.</summary>
    private static bool IsNearClockChange(DateTimeZone zone, Instant at) =>
        zone.GetZoneInterval(at - Duration.FromHours(2)) != zone.GetZoneInterval(at + Duration.FromHours(2));

    [Fact]
    public void Whatever_the_hour_the_next_opening_is_open_and_nothing_before_it_is() =>
        Gen.Select(AnyTimetable, Gen.Long[0, 2L * 365 * 24 * 12], Gen.Double[0, 1])
            .Sample(
                (timetable, fiveMinutes, part) =>
                {
                    var at = Instant.FromUtc(2026, 1, 1, 0, 0) + Duration.FromMinutes(5 * fiveMinutes);
                    if (timetable.NextOpening(at) is not { } opening)
                        return;
                    Assert.True(opening >= at);
                    Assert.True(timetable.IsOpen(opening));
                    Assert.Equal(opening == at, timetable.IsOpen(at));
                    if (opening > at)
                        Assert.False(timetable.IsOpen(at + (part * (opening - at - Duration.FromMilliseconds(1)))));
                    if (timetable.ClosesAt(opening) is not { } closes)
                        return;
                    Assert.False(timetable.IsOpen(closes));
                    Assert.True(timetable.IsOpen(opening + (part * (closes - opening - Duration.FromMilliseconds(1)))));
                },
                iter: 3000
            );

    [Fact]
    public void A_stretch_of_hours_says_what_single_questions_say() =>
        Gen.Select(AnyTimetable, Gen.Int[0, 700], Gen.Double[0, 0.99])
            .Sample(
                (timetable, days, part) =>
                {
                    var from = Instant.FromUtc(2026, 1, 1, 0, 0) + Duration.FromDays(days);
                    var at = from + (part * Duration.FromDays(30));
                    var hours = OpenHours.Of(timetable, from, from + Duration.FromDays(30));
                    Assert.Equal(timetable.IsOpen(at), hours.IsOpen(at));
                    if (hours.NextOpening(at) is { } opening)
                        Assert.Equal(timetable.NextOpening(at), opening);
                    if (hours.ClosesAt(at) is { } closes)
                        Assert.Equal(timetable.ClosesAt(at), closes);
                }
            );
}
