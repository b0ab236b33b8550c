using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Carrying;

/// <summary>The ways in which the crossing of a move changes.</summary>
public sealed partial record MoveState
{
    /// <summary>
    /// The gates are to be looked at; who crosses goes on from there. Not before it has begun to copy, and not where it has crossed. One
    /// that stopped begins with the gates again, unless something was changed already: then it goes on where it was.
    /// </summary>
    /// <param name="isCheck">Only to look.</param>
    public MoveState Cross(bool isCheck, Timetable? timetable, Instant now)
    {
        if (Stage is not (Stage.Copying or Stage.InStep or Stage.Crossing) || WantsLook || (isCheck && Crossing?.HasBegun == true))
            return this;
        if (Crossing is { HasBegun: true, Goal: CrossingGoal.Cross })
            return Crossing.Fault is null ? this : Retry(timetable, now);
        if (Crossing is { HasBegun: true } || (!isCheck && Crossing is { Goal: CrossingGoal.Cross, Fault: null, Due: not null }))
            return this;
        var goal = isCheck ? CrossingGoal.Check : CrossingGoal.Cross;
        return (this with { Crossing = new CrossingState(goal, CrossingStep.Gates, now) }).Redirect(timetable, now);
    }

    /// <summary>Everything is to be as before the crossing. A crossing that runs stops for it.</summary>
    public MoveState Undo(Timetable? timetable, Instant now) =>
        Stage is not Stage.Done && Crossing is { Goal: not CrossingGoal.Undo } and ({ HasBegun: true } or { Goal: CrossingGoal.Cross })
            ? (this with { Crossing = new CrossingState(CrossingGoal.Undo, CrossingStep.Undo, now) }).Redirect(timetable, now)
            : this;

    /// <summary>Nothing more is to be done for it.</summary>
    public MoveState Finish(Timetable? timetable, Instant now) =>
        Stage is Stage.Settling && Crossing is not { Goal: CrossingGoal.End, Fault: null }
            ? (this with { Crossing = new CrossingState(CrossingGoal.End, CrossingStep.End, now) }).Redirect(timetable, now)
            : this;

    /// <summary>Who has crossed is looked after at once, not only at the next daily look.</summary>
    public MoveState LookAfter(Timetable? timetable, Instant now) =>
        Stage is Stage.Settling && Crossing is { Goal: CrossingGoal.Cross, Step: CrossingStep.Settle }
            ? (this with { Crossing = Crossing.Want(now) }).Redirect(timetable, now)
            : this;

    /// <summary>
    /// What runs now stops, because a person wants something else: its worker sees that the condition changed. What is held stays held.
    /// </summary>
    private MoveState Redirect(Timetable? timetable, Instant now) =>
        Condition.Kind is ConditionKind.Held or ConditionKind.Running && Crossing is { Goal: CrossingGoal.Check } ? this
        : Condition.Kind is ConditionKind.Held ? this
        : Settle(timetable, now);

    /// <summary>The crossing came to another step while its pass goes on.</summary>
    public MoveState AtStep(CrossingState reached) =>
        Crossing?.Goal != reached.Goal ? this : this with { Crossing = reached, Stage = StageAt(reached) };

    private Stage StageAt(CrossingState crossing) =>
        crossing.Step switch
        {
            CrossingStep.Settle => Stage.Settling,
            CrossingStep.End => crossing.Due is null && crossing.Fault is null ? Stage.Done : Stage.Settling,
            CrossingStep.Gates when Stage is Stage.Crossing or Stage.Settling => Legs.All(l => l.Stage is Stage.InStep)
                ? Stage.InStep
                : Stage.Copying,
            CrossingStep.Gates => Stage,
            // Whoever had crossed is settling until that is undone.
            CrossingStep.Undo => Stage,
            _ => Stage.Crossing,
        };

    /// <summary>Some steps of the crossing were done. A person may have asked for something else meanwhile: then that counts.</summary>
    private MoveState EndCrossing(PassEnd end, Func<Fault, Instant?> resumes, double chance, Timetable? timetable, Instant now)
    {
        var after = this;
        if (end.Crossing is { } reached && Crossing?.Goal == reached.Goal)
        {
            reached =
                end.Fault is { } fault ? reached.Fail(fault, resumes(fault), chance, now)
                : end.Stopped ? reached.Want(now)
                : reached;
            after = this with { Crossing = reached, Stage = StageAt(reached) };
            if (after.Stage is Stage.Done)
                after = after with { Legs = AtRest() };
            // Each leg anew, also one that waited for somebody: who crosses has asked for it.
            else if (reached is { Step: CrossingStep.Close, ClosingSince: null, Fault: null })
                after = after with { Crossing = reached with { ClosingSince = now, Due = null }, Legs = Each(l => l.Want(now)) };
            else if (after.Stage != Stage)
                after = after with { Legs = Each(l => l.IsDue(now) ? l : l.Rest(Earlier(l.Due, after.Next(timetable, l, now)))) };
        }
        return Condition.Kind is not ConditionKind.Running ? after : after.Settle(timetable, now);
    }

    /// <summary>Every leg ended well since the closing pass was asked for: the crossing goes on.</summary>
    private MoveState Closed(Instant now) =>
        Crossing is { Step: CrossingStep.Close, ClosingSince: { } since }
        && Legs.All(l => l.Fault is null && l.EndedAt >= since && l.Due is null)
            ? this with
            {
                Crossing = Crossing.Reach(CrossingStep.Compare, now),
            }
            : this;

    /// <summary>
    /// A closing pass is followed by another one only for messages that came while forwarding was being switched on: whatever came later
    /// was forwarded, and stragglers are looked for afterwards.
    /// </summary>
    private Instant? AgainAt(LegEnd end, Instant now) =>
        end.Again is { } again && !(IsClosing && again > ForwardedMail.Doubtful) ? now + Duration.FromTimeSpan(again) : null;
}
