namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// How many items it is worth writing to a service at the same time. Some servers get faster with each connection, others only busier: it
/// begins with as many as are allowed, tries fewer while it writes, and stays with the fewest that are about as fast.
/// </summary>
/// <param name="known">What was found out before; null: nothing yet.</param>
public sealed class WritingLanes(int? known = null)
{
    /// <summary>Items of a batch by which a speed can be told.</summary>
    private const int Enough = 20;

    /// <summary>Of the speed so far: what fewer lanes have to reach.</summary>
    private const double AboutAsFast = 0.92;

    private readonly Lock _lock = new();
    private readonly Dictionary<int, double> _speeds = [];
    private int? _found = known;
    private int? _kept = known;

    /// <param name="most">As many as the limits of the service allow.</param>
    /// <returns>For the next batch.</returns>
    public int Next(int most)
    {
        lock (_lock)
        {
            if (_found is { } found)
                return Math.Min(found, most);
            var (best, lanes) = (0.0, most);
            // From the most downwards: the first number that was not measured is tried, until fewer are slower.
            for (var fewer = most; fewer >= 1; fewer /= 2)
            {
                if (!_speeds.TryGetValue(fewer, out var speed))
                    return fewer;
                if (speed < AboutAsFast * best)
                    break;
                (best, lanes) = (Math.Max(best, speed), fewer);
            }
            _found = lanes;
            return lanes;
        }
    }

    /// <summary>So many items were written in this time.</summary>
    public void Took(int lanes, int items, TimeSpan time)
    {
        if (items < Enough || time <= TimeSpan.Zero)
            return;
        lock (_lock)
        {
            var speed = items / time.TotalSeconds;
            _speeds[lanes] = _speeds.TryGetValue(lanes, out var before) ? (before + speed) / 2 : speed;
        }
    }

    /// <summary>What was found out since it was asked last, so that it can be kept; null: nothing new.</summary>
    public int? TakeNews()
    {
        lock (_lock)
            return _found == _kept ? null : _kept = _found;
    }
}
