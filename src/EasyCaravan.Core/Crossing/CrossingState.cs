using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>What a person asked of a crossing. Kept by number: new ones come last.</summary>
public enum CrossingGoal
{
    /// <summary>To look at the gates. Nothing is changed.</summary>
    Check,

    /// <summary>To cross.</summary>
    Cross,

    /// <summary>To be as before the crossing.</summary>
    Undo,

    /// <summary>To be done with: forwarding as the timetable says, credentials forgotten.</summary>
    End,
}

/// <summary>The steps of a crossing, in their order. Kept by number: new ones come last.</summary>
public enum CrossingStep
{
    /// <summary>Both sides are looked at, and what speaks against crossing is found. Nothing is changed.</summary>
    Gates,

    /// <summary>Forwarding is switched on at the old side.</summary>
    Forward,

    /// <summary>The old side wants the new address confirmed.</summary>
    Confirm,

    /// <summary>A message to the old address is awaited at the new one.</summary>
    Probe,

    /// <summary>What came to the old side before forwarding was on is carried.</summary>
    Close,

    /// <summary>Both sides are compared, item by item.</summary>
    Compare,

    /// <summary>It has crossed: stragglers are carried, and forwarding is tried every day.</summary>
    Settle,

    /// <summary>What was changed on the old side is put back.</summary>
    Undo,

    /// <summary>The move is closed: what we know of the person's ways in is forgotten.</summary>
    End,
}

/// <summary>Where the crossing of one move stands, and what it does next.</summary>
/// <param name="Due">From when on it is to run; null: not by itself.</param>
/// <param name="Wait">Set while it waits after a fault, see <see cref="LegState"/>.</param>
/// <param name="Fault">Why it waits, or needs somebody.</param>
/// <param name="Attempts">Failures in a row.</param>
/// <param name="ClosingSince">When its closing pass was asked for; null: it was not yet.</param>
public sealed record CrossingState(
    CrossingGoal Goal,
    CrossingStep Step,
    Instant? Due,
    Wait? Wait = null,
    Fault? Fault = null,
    int Attempts = 0,
    Instant? ClosingSince = null
)
{
    public bool NeedsSomebody => Fault is not null && Wait is null;

    /// <summary>It changed something, or is about to: forwarding is on, or nobody knows that it is not.</summary>
    public bool HasBegun => Step is not CrossingStep.Gates;

    /// <summary>It is between the first change and the end of the comparison, or on its way back.</summary>
    public bool IsUnderWay => HasBegun && Step is not (CrossingStep.Settle or CrossingStep.End);

    public bool IsDue(Instant now) => Due <= now;

    /// <summary>It is to run at this time. What was wrong counts as mended.</summary>
    public CrossingState Want(Instant at) => this with { Due = at, Wait = null, Fault = null };

    /// <summary>The next step, at once.</summary>
    public CrossingState Reach(CrossingStep step, Instant now) => new(Goal, step, now, ClosingSince: ClosingSince);

    /// <summary>It has to wait for something outside, and looks again then; null: until somebody asks.</summary>
    public CrossingState Rest(Instant? until) => new(Goal, Step, until, ClosingSince: ClosingSince);

    /// <param name="resumes">When the service is tried again for all who wait for it; null where the fault is not about it.</param>
    /// <param name="chance">See <see cref="Backoff.After"/>.</param>
    public CrossingState Fail(Fault fault, Instant? resumes, double chance, Instant now)
    {
        if (resumes is { } at)
            return this with { Due = at, Wait = Carrying.Wait.Service, Fault = fault };
        var retry = LegState.RetryAfter(fault, Attempts + 1, chance, now);
        return this with { Due = retry, Wait = retry is null ? null : Carrying.Wait.Retry, Fault = fault, Attempts = Attempts + 1 };
    }
}
