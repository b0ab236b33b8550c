using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>How a batch crosses, as its plan says.</summary>
/// <param name="KeepsCopy">Forwarded mail also stays in the old mailbox.</param>
/// <param name="Wave">People who cross at a time; null: all.</param>
/// <param name="StopAt">The share of a wave that may go wrong before no further wave begins, 0 to 1.</param>
/// <param name="ProbeWithin">How long a probe may take.</param>
/// <param name="Compares">The share of the items that is compared after the closing pass, above 0 and at most 1.</param>
public sealed record CrossingPlan(bool KeepsCopy, int? Wave, double StopAt, Duration ProbeWithin, double Compares)
{
    /// <summary>Where the plan says nothing.</summary>
    public static CrossingPlan Usual { get; } = new(true, null, 0.2, Duration.FromMinutes(10), 1);
}
