using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Pacing;

/// <summary>
/// How fast one service, or one account of it, is used: never faster than the plan allows, and slower than that from the moment in which
/// the service asks for less. Shared by all who use it.
/// </summary>
/// <param name="messages">Messages a second; null: any number.</param>
/// <param name="octets">Octets a second; null: any number.</param>
public sealed class RateLimiter(double? messages, ByteCount? octets, TimeProvider time)
{
    /// <summary>How long what was measured counts.</summary>
    private static readonly TimeSpan s_memory = TimeSpan.FromSeconds(10);

    /// <summary>After each such time without another complaint it is a quarter faster again.</summary>
    public static readonly TimeSpan Recovery = TimeSpan.FromSeconds(30);

    /// <summary>
    /// However often it complains, it is not slowed down by more than this factor: where even that is too much, it will close, and is left
    /// alone.
    /// </summary>
    private const double MostSlowed = 16;

    private readonly Lock _lock = new();
    private readonly Bucket _messages = new(messages, time);
    private readonly Bucket _octets = new(octets?.Count, time);
    private readonly Meter _meter = new(time, s_memory);
    private double? _asked,
        _before;
    private long _askedAt,
        _complainedAt;
    private Bucket? _slowed;

    /// <summary>Whether anything holds it back now.</summary>
    public bool Bounds => messages is not null || octets is not null || Volatile.Read(ref _slowed) is not null;

    /// <summary>Messages a second to which a complaint has slowed it; null: it goes as the plan allows.</summary>
    public double? SlowedTo
    {
        get
        {
            lock (_lock)
            {
                Recover();
                return _asked;
            }
        }
    }

    /// <summary>Takes one message's turn, even one that is not there yet: those that come after wait the longer.</summary>
    public void Take(ByteCount size)
    {
        lock (_lock)
        {
            _messages.Take(1);
            _octets.Take(size.Count);
            _slowed?.Take(1);
        }
    }

    /// <summary>How long until a turn may be had.</summary>
    public TimeSpan Wait()
    {
        lock (_lock)
        {
            Recover();
            return new[] { _messages.Wait, _octets.Wait, _slowed?.Wait ?? TimeSpan.Zero }.Max();
        }
    }

    /// <summary>A message went through: what is measured is what a complaint halves.</summary>
    public void Count() => _meter.Add();

    /// <summary>The service asked for less: half of what it was given lately, at once.</summary>
    public void SlowDown()
    {
        lock (_lock)
        {
            var now = time.GetTimestamp();
            // Many connections hear of the same trouble at the same time: it is one complaint.
            if (_asked is not null && time.GetElapsedTime(_complainedAt, now) < TimeSpan.FromSeconds(2))
                return;
            var measured = _meter.PerSecond;
            // Nothing went through lately: whatever it complains about, it is not how fast that was.
            if (measured < 1)
                return;
            _complainedAt = _askedAt = now;
            _before = Math.Max(_before ?? 0, measured);
            _asked = Math.Max(Math.Max(1, _before.Value / MostSlowed), Math.Min(_asked ?? measured, measured) / 2);
            _slowed = new Bucket(_asked, time);
        }
    }

    private void Recover()
    {
        if (_asked is null)
            return;
        var steps = (int)(time.GetElapsedTime(_askedAt) / Recovery);
        if (steps == 0)
            return;
        _askedAt += (long)(steps * Recovery.TotalSeconds * time.TimestampFrequency);
        _asked *= Math.Pow(1.25, steps);
        if (_asked > Math.Max(_before ?? 0, 10) * 1.5)
            (_asked, _before, _slowed) = (null, null, null);
        else
            _slowed = new Bucket(_asked, time);
    }

    /// <summary>Fills at its rate, up to a second's worth, and may be overdrawn by one large message that the next ones wait for.</summary>
    private sealed class Bucket(double? rate, TimeProvider time)
    {
        private double _level = rate ?? 0;
        private long _at = time.GetTimestamp();

        public bool Has
        {
            get
            {
                if (rate is not { } perSecond)
                    return true;
                var now = time.GetTimestamp();
                _level = Math.Min(Math.Max(perSecond, 1), _level + (perSecond * time.GetElapsedTime(_at, now).TotalSeconds));
                _at = now;
                return _level >= Math.Min(1, perSecond);
            }
        }

        public TimeSpan Wait => Has ? TimeSpan.Zero : TimeSpan.FromSeconds((Math.Min(1, rate!.Value) - _level) / rate.Value);

        public void Take(double amount)
        {
            if (rate is not null)
                _level -= amount;
        }
    }

    /// <summary>How many a second, over the last seconds.</summary>
    private sealed class Meter(TimeProvider time, TimeSpan memory)
    {
        private long _count,
            _since = time.GetTimestamp();
        private double _last;

        public void Add()
        {
            Interlocked.Increment(ref _count);
            var since = Interlocked.Read(ref _since);
            if (time.GetElapsedTime(since) < memory)
                return;
            _last = PerSecond;
            Interlocked.Exchange(ref _since, time.GetTimestamp());
            Interlocked.Exchange(ref _count, 0);
        }

        public double PerSecond
        {
            get
            {
                var seconds = time.GetElapsedTime(Interlocked.Read(ref _since)).TotalSeconds;
                var now = Interlocked.Read(ref _count) / Math.Max(seconds, 1);
                return seconds < memory.TotalSeconds / 2 ? Math.Max(now, _last) : now;
            }
        }
    }
}

/// <summary>The paces that one move goes by: those of both services and of both accounts.</summary>
public sealed class RateLimiters(IEnumerable<RateLimiter> all, TimeProvider time)
{
    private readonly RateLimiter[] _all = [.. all];

    public static RateLimiters Free { get; } = new([], TimeProvider.System);

    public bool Bounds => Array.Exists(_all, p => p.Bounds);

    /// <summary>Takes a turn with all of them. False, with none taken, when it has to wait for one.</summary>
    public bool TryTake(ByteCount size)
    {
        if (Array.Exists(_all, p => p.Wait() > TimeSpan.Zero))
            return false;
        foreach (var pace in _all)
            pace.Take(size);
        return true;
    }

    public async ValueTask TakeAsync(ByteCount size, CancellationToken cancel)
    {
        while (!TryTake(size))
        {
            // At least a timer's tick, at most so long that a recovered pace is noticed.
            var wait = _all.Max(p => p.Wait()).TotalMilliseconds;
            await Task.Delay(TimeSpan.FromMilliseconds(Math.Clamp(wait, 1, RateLimiter.Recovery.TotalMilliseconds)), time, cancel);
        }
    }

    /// <summary>A message went through.</summary>
    public void Count()
    {
        foreach (var pace in _all)
            pace.Count();
    }
}
