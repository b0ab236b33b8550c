namespace EasyCaravan.Core.Pacing;

/// <summary>
/// How long to wait before trying again: doubling from two seconds to ten minutes, spread so that moves do not all return at once.
/// </summary>
public static class Backoff
{
    public static readonly TimeSpan Shortest = TimeSpan.FromSeconds(2);
    public static readonly TimeSpan Longest = TimeSpan.FromMinutes(10);

    /// <param name="attempts">Failures in a row, from 1.</param>
    /// <param name="chance">From 0 to 1: where within the last quarter of the wait it falls.</param>
    public static TimeSpan After(int attempts, double chance)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(attempts, 1);
        var whole = Math.Min(Longest.TotalSeconds, Shortest.TotalSeconds * Math.Pow(2, Math.Min(attempts, 30) - 1));
        return TimeSpan.FromSeconds(Math.Max(Shortest.TotalSeconds / 2, whole * (0.75 + (0.25 * chance))));
    }
}
