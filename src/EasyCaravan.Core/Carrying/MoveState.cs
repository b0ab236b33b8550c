using System.Collections.Immutable;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Carrying;

/// <summary>How far a move is. There is no "failed": a move that cannot go on is where it is, and needs a person.</summary>
public enum Stage
{
    Listed,
    Surveyed,
    Copying,
    InStep,
    Crossing,
    Settling,
    Done,
    Withdrawn,
}

/// <summary>What is happening to a move now.</summary>
public enum ConditionKind
{
    Idle,
    Queued,
    Running,
    Waiting,
    Held,
    NeedsYou,
}

/// <summary>What a waiting move waits for.</summary>
public enum Wait
{
    Window,
    Retry,

    /// <summary>The service itself is in trouble: every move over it waits for the same moment.</summary>
    Service,
}

/// <summary>One run of a move.</summary>
public enum PassKind
{
    First,
    CatchUp,

    /// <summary>Looks without touching.</summary>
    Survey,

    /// <summary>Reads both sides anew and compares them.</summary>
    Compare,

    /// <summary>Removes from the to side what the move carried there.</summary>
    TakeBack,

    /// <summary>Looks what taking back would do.</summary>
    TakeBackCheck,

    /// <summary>Does the next steps of a crossing.</summary>
    Crossing,

    /// <summary>Carries what came to the old side before forwarding was on.</summary>
    Closing,

    /// <summary>Carries what came to the old side after the crossing all the same.</summary>
    Straggler,
}

/// <summary>What runs of each kind have in common.</summary>
public static class PassKinds
{
    /// <summary>It carries, leg by leg; the others are asked for by a person, and are done as a whole.</summary>
    public static bool RunsLegs(this PassKind kind) => kind is PassKind.First or PassKind.CatchUp or PassKind.Closing or PassKind.Straggler;

    public static bool TakesBack(this PassKind kind) => kind is PassKind.TakeBack or PassKind.TakeBackCheck;

    /// <summary>
    /// A survey is no pass, what is in the wrong account does not wait for the evening, and who crosses does so when a person said.
    /// </summary>
    public static bool RunsAtAnyHour(this PassKind kind) =>
        kind is PassKind.Survey or PassKind.Crossing or PassKind.Closing || kind.TakesBack();
}

/// <param name="Until">When a waiting move goes on, or an idle one, or one that needs somebody, has its next pass.</param>
/// <param name="Fault">Why it waits for a retry, or needs a person.</param>
/// <param name="Leg">The kind that waits or needs somebody; null where the whole move does.</param>
public sealed record Condition(ConditionKind Kind, Wait? Wait = null, Instant? Until = null, Fault? Fault = null, Kind? Leg = null)
{
    public static Condition Idle { get; } = new(ConditionKind.Idle);
}

/// <summary>
/// Where a move stands, and the only ways in which that changes. Each way is a pure function; asking for what is already so
/// changes nothing, so that every write of the API may be repeated.
/// </summary>
/// <remarks>
/// What runs when follows from the legs: each knows by itself from when on it is due. Surveys and comparisons are no legs; they run when a
/// person asks.
/// </remarks>
/// <param name="Wanted">The pass that is to run as soon as it may; null when none is.</param>
/// <param name="Attempts">Failures in a row of a survey or comparison.</param>
/// <param name="Legs">One for each kind that the route carries, in its order.</param>
public sealed partial record MoveState(Stage Stage, Condition Condition, PassKind? Wanted, int Attempts, ImmutableArray<LegState> Legs)
{
    public static MoveState New(params IEnumerable<Kind> kinds) =>
        new(Stage.Listed, Condition.Idle, null, 0, [.. kinds.Select(k => new LegState(k, Stage.Listed))]);

    /// <summary>Null: nobody has asked for it yet.</summary>
    public CrossingState? Crossing { get; init; }

    public bool IsOver => Stage is Stage.Done or Stage.Withdrawn;

    /// <summary>A survey, a comparison, or to take it back.</summary>
    private bool WantsLook => Wanted is { } wanted && !wanted.RunsLegs() && wanted is not PassKind.Crossing;

    private bool IsClosing => Crossing is { Step: CrossingStep.Close };

    /// <summary>From when on a worker may take it up; null when there is nothing to do.</summary>
    public Instant? DueAt =>
        Condition.Kind switch
        {
            ConditionKind.Queued => Instant.MinValue,
            ConditionKind.Waiting or ConditionKind.Idle or ConditionKind.NeedsYou => Condition.Until,
            ConditionKind.Running or ConditionKind.Held => null,
        };

    /// <summary>Since when what it is to do has been due; null where nothing is, or only a look.</summary>
    public Instant? Since => WantsLook ? null : Earlier(Crossing?.Due, Legs.Min(l => l.Due));

    public bool Equals(MoveState? other) =>
        other is not null
        && (Stage, Condition, Wanted, Attempts, Crossing) == (other.Stage, other.Condition, other.Wanted, other.Attempts, other.Crossing)
        && Legs.SequenceEqual(other.Legs);

    public override int GetHashCode() => HashCode.Combine(Stage, Condition, Wanted, Attempts, Legs.Length);

    public MoveState Start(Timetable? timetable, Instant now)
    {
        var isFree =
            Condition.Kind is ConditionKind.Idle
            || (Wanted is PassKind.Survey && Condition.Kind is not (ConditionKind.Running or ConditionKind.Held));
        return Stage is Stage.Listed or Stage.Surveyed && isFree
            ? (this with { Attempts = 0, Wanted = null, Legs = Each(l => l.Want(now) with { Stage = Stage.Copying }) }).Settle(
                timetable,
                now
            )
            : this;
    }

    /// <summary>A survey, at any hour: it is no pass, and carries nothing. Not while something else is to run first.</summary>
    public MoveState Survey() =>
        !IsOver
        && (
            Condition.Kind is ConditionKind.Idle
            || (Wanted is PassKind.Survey && Condition.Kind is ConditionKind.NeedsYou or ConditionKind.Waiting)
        )
            ? this with
            {
                Attempts = 0,
                Wanted = PassKind.Survey,
                Condition = new Condition(ConditionKind.Queued),
            }
            : this;

    /// <summary>Those legs catch up that are in step; one that needs somebody is left out.</summary>
    public MoveState CatchUp(Timetable? timetable, Instant now) =>
        !IsOver
        && !WantsLook
        && Condition.Kind is ConditionKind.Idle or ConditionKind.NeedsYou
        && Legs.Any(IsInStep)
        && !Legs.Any(l => l.IsDue(now))
            ? (this with { Legs = Each(l => IsInStep(l) ? l.Want(now) : l) }).Settle(timetable, now)
            : this;

    private static bool IsInStep(LegState leg) => leg is { Stage: Stage.InStep, Fault: null };

    /// <summary>Both sides are to be read anew. Only of what was carried to its end, and not while something else is to run.</summary>
    public MoveState Compare(Timetable? timetable, Instant now) =>
        Stage is not Stage.Withdrawn
        && Legs.Any(l => l.Stage is Stage.InStep)
        && Condition.Kind is ConditionKind.Idle or ConditionKind.NeedsYou
        && !WantsLook
            ? (this with { Attempts = 0 }).Want(PassKind.Compare, timetable, now)
            : this;

    /// <summary>
    /// What it put on the to side is to be removed, or in a dry run looked at; also of a move that was withdrawn. Not while it runs: who
    /// asks for it holds it first.
    /// </summary>
    public MoveState TakeBack(bool isCheck) =>
        Stage is not (Stage.Listed or Stage.Surveyed) && Condition.Kind is not ConditionKind.Running && Crossing?.HasBegun != true
            ? this with
            {
                Attempts = 0,
                Wanted = isCheck ? PassKind.TakeBackCheck : PassKind.TakeBack,
                Condition = new Condition(ConditionKind.Queued),
            }
            : this;

    public MoveState Hold() => IsOver && !WantsLook ? this : this with { Condition = new Condition(ConditionKind.Held) };

    /// <summary>What was wrong when it was held is tried again.</summary>
    public MoveState Resume(Timetable? timetable, Instant now) =>
        Condition.Kind is not ConditionKind.Held ? this
        : WantsLook ? Want(Wanted!.Value, timetable, now)
        : Mended(now).Settle(timetable, now);

    /// <summary>Tries again now what needs a person or waits for its retry.</summary>
    public MoveState Retry(Timetable? timetable, Instant now)
    {
        if (Condition is not ({ Kind: ConditionKind.NeedsYou } or { Kind: ConditionKind.Waiting, Wait: Wait.Retry or Wait.Service }))
            return this;
        return WantsLook ? (this with { Attempts = 0 }).Want(Wanted!.Value, timetable, now) : Mended(now).Settle(timetable, now);
    }

    private MoveState Mended(Instant now) =>
        this with
        {
            Legs = Each(l => l.Fault is null ? l : l.Want(now) with { Attempts = 0 }),
            Crossing = Crossing is { Fault: not null } ? Crossing.Want(now) with { Attempts = 0 } : Crossing,
        };

    /// <summary>Left-behind items are to be tried again: a catch-up, or another try of what cannot go on.</summary>
    public MoveState RetryItems(Timetable? timetable, Instant now) =>
        CatchUp(timetable, now) is var caught && caught != this ? caught : Retry(timetable, now);

    /// <summary>Not while forwarding of ours is on: the crossing is undone first.</summary>
    public MoveState Withdraw() =>
        Stage is Stage.Done || Crossing?.HasBegun == true
            ? this
            : this with
            {
                Stage = Stage.Withdrawn,
                Condition = Condition.Idle,
                Wanted = null,
                Attempts = 0,
                Legs = AtRest(),
                Crossing = null,
            };

    private ImmutableArray<LegState> AtRest() => Each(l => l with { Due = null, Wait = null, Fault = null, Attempts = 0 });

    /// <summary>A worker took it up. Whatever was due by then runs.</summary>
    public MoveState Run(Instant now) =>
        this with
        {
            Wanted =
                WantsLook ? Wanted
                : Crossing?.IsDue(now) == true ? PassKind.Crossing
                : Legs.Any(l => l.IsDue(now) && l.Stage is not Stage.InStep) ? PassKind.First
                : LaterPass,
            Condition = new Condition(ConditionKind.Running),
        };

    /// <summary>The pass came to an end: each leg by itself.</summary>
    /// <param name="resumes">
    /// When a service in trouble is tried again for all who wait for it; null where a fault is not about a service.
    /// </param>
    /// <param name="chance">See <see cref="Backoff.After"/>.</param>
    public MoveState End(PassEnd end, Func<Fault, Instant?> resumes, double chance, Timetable? timetable, Instant now)
    {
        if (IsOver && !WantsLook)
            return this;
        if (WantsLook)
            return Condition.Kind is ConditionKind.Running ? EndLook(end, resumes, chance, timetable, now) : this;
        if (end.IsOfCrossing)
            return EndCrossing(end, resumes, chance, timetable, now);
        var ended = end.Legs.Aggregate(this, (state, leg) => state.EndLeg(leg, resumes, chance, timetable, now)).WithStageOfLegs();
        var after = end.Stopped ? ended with { Legs = ended.Each(l => l.Yield(now)) } : ended;
        after = after.Closed(now);
        // A person may have held the move meanwhile: what its legs reached stands all the same.
        return Condition.Kind is ConditionKind.Running ? after.Settle(timetable, now) : after;
    }

    /// <summary>When a leg that ended well at this time runs again.</summary>
    private Instant? Next(Timetable? timetable, LegState leg, Instant ended) =>
        Stage is Stage.Settling ? Timetable.NextStraggler(timetable, ended)
        : IsClosing ? null
        : timetable?.NextCatchUp(ended, leg.InStepSince ?? ended);

    private PassKind LaterPass =>
        IsClosing ? PassKind.Closing
        : Stage is Stage.Settling ? PassKind.Straggler
        : PassKind.CatchUp;

    private static Instant? Earlier(Instant? one, Instant? other) =>
        one is null ? other
        : other is null ? one
        : Instant.Min(one.Value, other.Value);

    /// <summary>One leg came to its end. Others of the pass may still have to run.</summary>
    public MoveState EndLeg(LegEnd end, Func<Fault, Instant?> resumes, double chance, Timetable? timetable, Instant now) =>
        IsOver
            ? this
            : this with
            {
                Legs = Each(leg =>
                    leg.Kind != end.Kind ? leg
                    : end.Fault is { } fault ? leg.Fail(fault, end.Progressed, resumes(fault), chance, now)
                    : leg.Complete(Earlier(Next(timetable, leg, now), AgainAt(end, now)), now)
                ),
            };

    /// <summary>
    /// A look that failed keeps nobody from catching up: whoever has begun goes on, and the journal tells why the look failed. Whoever has
    /// not begun has nothing else to do.
    /// </summary>
    private MoveState EndLook(PassEnd end, Func<Fault, Instant?> resumes, double chance, Timetable? timetable, Instant now)
    {
        if (end.Stopped)
            return Want(Wanted!.Value, timetable, now);
        if (end.Fault is null && Wanted!.Value.TakesBack())
            return TakenBack();
        if (end.Fault is null)
        {
            var reached = Wanted is PassKind.Survey && Stage is Stage.Listed ? Stage.Surveyed : Stage;
            return (this with { Stage = reached, Attempts = 0 }).Settle(timetable, now);
        }
        if (resumes(end.Fault) is { } at)
            return this with { Condition = new Condition(ConditionKind.Waiting, Wait.Service, at, end.Fault) };
        var attempts = end.Progressed ? 1 : Attempts + 1;
        if (LegState.RetryAfter(end.Fault, attempts, chance, now) is { } retry)
            return this with { Attempts = attempts, Condition = new Condition(ConditionKind.Waiting, Wait.Retry, retry, end.Fault) };
        return Stage is Stage.Listed or Stage.Surveyed || Wanted is PassKind.TakeBack
                ? this with
                {
                    Attempts = attempts,
                    Condition = new Condition(ConditionKind.NeedsYou, Fault: end.Fault),
                }
            : Wanted is PassKind.TakeBackCheck ? TakenBack()
            : (this with { Attempts = 0 }).Settle(timetable, now);
    }

    /// <summary>
    /// A move that was taken back is as it was before its first pass. It is held, so that nothing goes to the same place once more before
    /// somebody has looked; so is one of which somebody asked what taking it back would do.
    /// </summary>
    private MoveState TakenBack()
    {
        var state = this with { Attempts = 0, Wanted = null };
        if (Wanted is PassKind.TakeBackCheck)
            return state with { Condition = IsOver ? Condition.Idle : new Condition(ConditionKind.Held) };
        return state with
        {
            Stage = Stage.Listed,
            Condition = new Condition(ConditionKind.Held),
            Legs = Each(l => new LegState(l.Kind, Stage.Listed)),
            Crossing = null,
        };
    }

    /// <summary>
    /// It was claimed after its windows had shut, because it had to wait for a worker or because its worker was lost: nothing was begun,
    /// and it waits for the next window.
    /// </summary>
    public MoveState PutBack(Timetable? timetable, Instant now) =>
        Condition.Kind is not ConditionKind.Running ? this
        : WantsLook ? Want(Wanted!.Value, timetable, now)
        : Settle(timetable, now);

    /// <summary>The timetable changed: windows open at other times, and a new rhythm counts from now.</summary>
    public MoveState Reschedule(Timetable? before, Timetable? timetable, Instant now)
    {
        if (IsOver || Condition.Kind is ConditionKind.Running or ConditionKind.Held)
            return this;
        if (WantsLook)
            return Condition is { Kind: ConditionKind.Queued } or { Kind: ConditionKind.Waiting, Wait: Wait.Window }
                ? Want(Wanted!.Value, timetable, now)
                : this;
        if (Stage is Stage.Listed or Stage.Surveyed)
            return this;
        var isNewRhythm =
            (before?.CatchUpEvery, before?.KeepInStepFor, before?.Aftercare)
            != (timetable?.CatchUpEvery, timetable?.KeepInStepFor, timetable?.Aftercare);
        return (isNewRhythm ? this with { Legs = Each(l => l.IsDue(now) ? l : l.Rest(Next(timetable, l, now))) } : this).Settle(
            timetable,
            now
        );
    }

    /// <summary>
    /// The route carries other kinds than it did. A kind that is new to a move that has begun is copied as soon as it may be.
    /// </summary>
    public MoveState Carry(ImmutableArray<Kind> kinds, Timetable? timetable, Instant now)
    {
        if (Legs.Select(l => l.Kind).SequenceEqual(kinds))
            return this;
        var hasBegun = Stage is not (Stage.Listed or Stage.Surveyed) && !IsOver;
        var changed = (
            this with
            {
                Legs =
                [
                    .. kinds.Select(k =>
                        Legs.FirstOrDefault(l => l.Kind == k)
                        ?? (hasBegun ? new LegState(k, Stage.Copying, now) : new LegState(k, Stage.Listed))
                    ),
                ],
            }
        ).WithStageOfLegs();
        var isSettled = Condition.Kind is ConditionKind.Running or ConditionKind.Held || WantsLook;
        return isSettled || !hasBegun ? changed : changed.Settle(timetable, now);
    }

    /// <summary>A move is as far as its slowest leg.</summary>
    private MoveState WithStageOfLegs() =>
        Stage is Stage.Copying or Stage.InStep
            ? this with
            {
                Stage = Legs.All(l => l.Stage is Stage.InStep) ? Stage.InStep : Stage.Copying,
            }
            : this;

    /// <summary>What is to be done next, and who is waited for: as the legs say.</summary>
    private MoveState Settle(Timetable? timetable, Instant now)
    {
        var state = this with
        {
            Stage = Stage is Stage.Listed or Stage.Surveyed && Legs.Any(l => l.Stage is Stage.Copying) ? Stage.Copying : Stage,
        };
        if (Crossing?.IsDue(now) == true)
            return state with { Wanted = PassKind.Crossing, Condition = new Condition(ConditionKind.Queued) };
        var due = Legs.Where(l => l.Due is not null).MinBy(l => l.Due);
        var isDue = due?.IsDue(now) == true;
        var at = isDue ? now : due?.Due;
        // Null also where the timetable never opens again: then it waits until somebody changes it.
        var opens =
            at is not { } then ? null
            : IsClosing ? then
            : Opening(timetable, then);
        var unfinished = Legs.Any(l => l.Stage is Stage.Copying) ? PassKind.First : LaterPass;
        if (isDue && opens <= now)
            return state with { Wanted = unfinished, Condition = new Condition(ConditionKind.Queued) };
        var next = Earlier(Crossing?.Due, opens);
        if (Crossing is { NeedsSomebody: true })
            return state with { Wanted = unfinished, Condition = new Condition(ConditionKind.NeedsYou, null, next, Crossing.Fault) };
        if (Legs.FirstOrDefault(l => l.NeedsSomebody) is { } needs)
            return state with
            {
                Wanted = unfinished,
                Condition = new Condition(ConditionKind.NeedsYou, null, next, needs.Fault, needs.Kind),
            };
        if (Crossing is { Wait: { } wait } && !(opens < Crossing.Due))
            return state with { Wanted = unfinished, Condition = new Condition(ConditionKind.Waiting, wait, Crossing.Due, Crossing.Fault) };
        if (isDue)
            return state with { Wanted = unfinished, Condition = new Condition(ConditionKind.Waiting, Wait.Window, next) };
        if (Legs.Where(l => l.Wait is not null).MinBy(l => l.Due) is { } waiting)
            return state with
            {
                Wanted = unfinished,
                Condition = new Condition(ConditionKind.Waiting, waiting.Wait, next, waiting.Fault, waiting.Kind),
            };
        return state with { Wanted = null, Condition = new Condition(ConditionKind.Idle, Until: next) };
    }

    private MoveState Want(PassKind pass, Timetable? timetable, Instant now)
    {
        var opening = pass.RunsAtAnyHour() ? now : Opening(timetable, now);
        return this with
        {
            Wanted = pass,
            Condition = opening <= now ? new Condition(ConditionKind.Queued) : new Condition(ConditionKind.Waiting, Wait.Window, opening),
        };
    }

    private static Instant? Opening(Timetable? timetable, Instant at) => timetable is null ? at : timetable.NextOpening(at);

    private ImmutableArray<LegState> Each(Func<LegState, LegState> change) => [.. Legs.Select(change)];
}
