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

    [Fact]
    public void Whatever_the_hour_the_next_opening_is_open_and_not_in_the_past() =>
        Gen.Select(Gen.Long[0, 3L * 365 * 24 * 60], Gen.Int[0, 23], Gen.Int[0, 23], Gen.Int[1, 7])
            .Sample(
                (minutes, from, to, days) =>
                {
                    var timetable = new Timetable(
                        Dublin,
                        [
                            new Window(
                                [.. Enumerable.Range(1, days).Select(d => (IsoDayOfWeek)d)],
                                new LocalTime(from, 0),
                                new LocalTime(to, 30)
                            ),
                        ],
                        null
                    );
                    var at = Instant.FromUtc(2026, 1, 1, 0, 0) + Duration.FromMinutes(minutes);
                    var opening = timetable.NextOpening(at);
                    Assert.True(opening >= at);
                    Assert.True(timetable.IsOpen(opening));
                    if (timetable.ClosesAt(opening) is { } closes)
                        Assert.False(timetable.IsOpen(closes));
                }
            );
}
