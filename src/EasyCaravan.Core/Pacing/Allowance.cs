using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Pacing;

/// <summary>Octets that a pass may still carry today, over both of its accounts. Its lanes share it.</summary>
/// <param name="octets">What is left of the day's limit; null: no limit.</param>
/// <param name="untouched">
/// Nothing was carried today: then one message may be larger than a whole day's limit, or it would never be carried.
/// </param>
/// <param name="spent">What to say when it is used up, with the time from which on there is more.</param>
public sealed class Allowance(ByteCount? octets, bool untouched, Fault? spent)
{
    private readonly Lock _lock = new();
    private ByteCount _left = octets.GetValueOrDefault();
    private bool _untouched = untouched;

    public static Allowance Unlimited { get; } = new(null, false, null);

    /// <summary>Sets aside what a message needs. False when it does not fit: whoever asked waits for another day.</summary>
    public bool TryTake(ByteCount size)
    {
        if (octets is null)
            return true;
        lock (_lock)
        {
            if (size > _left && !_untouched)
                return false;
            (_left, _untouched) = (_left.Less(size), false);
            return true;
        }
    }

    /// <exception cref="FaultException">Always: the pass ends here for today.</exception>
    public void End() => throw new FaultException(spent!, Verdict.Keep);
}
