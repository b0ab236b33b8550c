using EasyCaravan.Core.Pacing;

namespace EasyCaravan.Core.Tests;

/// <summary>Limits and complaints by a clock that stands still until it is moved.</summary>
public sealed class RateLimiterTests
{
    private readonly Clock _clock = new();

    [Fact]
    public void No_more_messages_than_the_limit_go_in_any_stretch_of_time()
    {
        var pace = new RateLimiter(20, null, _clock);
        var taken = 0;
        for (var tick = 0; tick < 500; tick++)
        {
            while (pace.Wait() == TimeSpan.Zero)
            {
                pace.Take(new(1));
                taken++;
            }
            _clock.Advance(TimeSpan.FromMilliseconds(10));
        }
        // Five seconds, and what the first second's worth allows at once.
        Assert.InRange(taken, 100, 121);
    }

    [Fact]
    public void A_message_larger_than_a_seconds_worth_goes_and_the_next_waits_for_it()
    {
        var pace = new RateLimiter(null, new(1_000), _clock);
        Assert.Equal(TimeSpan.Zero, pace.Wait());
        pace.Take(new(5_000));
        Assert.InRange(pace.Wait().TotalSeconds, 3.9, 4.1);
        _clock.Advance(TimeSpan.FromSeconds(4.1));
        Assert.Equal(TimeSpan.Zero, pace.Wait());
    }

    [Fact]
    public void A_complaint_halves_what_was_measured_at_once_and_it_recovers_slowly()
    {
        var pace = new RateLimiter(null, null, _clock);
        Assert.False(pace.Bounds);
        for (var i = 0; i < 800; i++)
        {
            pace.Count();
            _clock.Advance(TimeSpan.FromMilliseconds(10));
        }
        pace.SlowDown();
        Assert.InRange(pace.SlowedTo!.Value, 45, 55);
        Assert.True(pace.Bounds);
        // The same trouble, heard by another connection.
        pace.SlowDown();
        Assert.InRange(pace.SlowedTo!.Value, 45, 55);
        _clock.Advance(RateLimiter.Recovery);
        Assert.InRange(pace.SlowedTo!.Value, 58, 68);
        _clock.Advance(RateLimiter.Recovery * 5);
        Assert.Null(pace.SlowedTo);
        Assert.False(pace.Bounds);
    }

    [Fact]
    public void Of_many_paces_the_slowest_decides_and_none_is_taken_in_vain()
    {
        var (fast, slow) = (new RateLimiter(100, null, _clock), new RateLimiter(1, null, _clock));
        var paces = new RateLimiters([fast, slow], _clock);
        Assert.True(paces.TryTake(new(1)));
        Assert.False(paces.TryTake(new(1)));
        for (var i = 0; i < 99; i++)
            fast.Take(new(1));
        Assert.NotEqual(TimeSpan.Zero, fast.Wait());
    }

    [Theory]
    [InlineData(Cause.ServiceBusy, "UNAVAILABLE", false, true)]
    [InlineData(Cause.ServiceBusy, "INUSE", false, false)]
    [InlineData(Cause.ServiceBusy, null, true, true)]
    [InlineData(Cause.ConnectionLost, null, false, false)]
    [InlineData(Cause.Unreachable, null, true, true)]
    [InlineData(Cause.SignInRefused, null, false, false)]
    public void Only_what_would_meet_everybody_is_a_fault_of_the_service(Cause cause, string? code, bool beforeSignIn, bool ofService)
    {
        Assert.Equal(ofService, FaultRules.IsOfService(new Fault(cause, "a", "w", code) { Service = "s", BeforeSignIn = beforeSignIn }));
        Assert.False(FaultRules.IsOfService(new Fault(cause, "a", "w", code) { BeforeSignIn = beforeSignIn }));
    }

    private sealed class Clock : TimeProvider
    {
        private long _ticks;

        public override long TimestampFrequency => TimeSpan.TicksPerSecond;

        public override long GetTimestamp() => _ticks;

        public void Advance(TimeSpan by) => _ticks += by.Ticks;
    }
}
