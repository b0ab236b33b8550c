using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Carrying;

/// <summary>The part of a pass that carries one kind.</summary>
/// <param name="Tally">What it has done so far; read by others while it runs.</param>
/// <param name="RunAsync">
/// Carries what there is to carry. Throws a <see cref="FaultException"/> where it could not be completed, a
/// <see cref="Ports.LeaseLostException"/> where another worker has the move.
/// </param>
public sealed record Leg(Kind Kind, Tally Tally, Func<CancellationToken, Task> RunAsync);

/// <summary>How a leg ended.</summary>
/// <param name="Fault">Why it could not be completed; null when it was.</param>
/// <param name="Progressed">It settled something first, so that failures are not in a row.</param>
public sealed record LegEnd(Kind Kind, Fault? Fault = null, bool Progressed = false)
{
    /// <summary>When it is to run again for messages that may still come by themselves; null: there are none.</summary>
    public TimeSpan? Again { get; init; }

    /// <summary>A defect of ours behind the fault, for the log; null for any other.</summary>
    public Exception? Unexpected { get; init; }
}

/// <summary>How a pass ended.</summary>
/// <param name="Legs">The legs that came to an end, well or with a fault; a leg that was stopped is not among them.</param>
/// <param name="Stopped">The pass was told to stop before its end.</param>
/// <param name="Fault">Of a survey or comparison, which has no legs: why it could not be completed.</param>
public sealed record PassEnd(IReadOnlyList<LegEnd> Legs, bool Stopped, Fault? Fault = null)
{
    /// <summary>A survey or comparison progressed before its fault.</summary>
    public bool Progressed { get; init; }

    /// <summary>How far the crossing came, where the pass did its steps.</summary>
    public Crossing.CrossingState? Crossing { get; init; }

    /// <summary>It did steps of a crossing, and ran no legs.</summary>
    public bool IsOfCrossing => Crossing is not null;

    /// <summary>A defect of ours behind the fault of a survey or comparison, for the log; null for any other.</summary>
    public Exception? Unexpected { get; init; }

    /// <summary>Nothing was left undone.</summary>
    public bool IsWell => !Stopped && Fault is null && Legs.All(l => l.Fault is null);
}
