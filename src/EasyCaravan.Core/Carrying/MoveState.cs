using EasyCaravan.Core.Pacing;
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
}

/// <param name="Until">When a waiting move goes on, or an idle one has its next pass.</param>
/// <param name="Fault">Why it waits for a retry, or needs a person.</param>
public sealed record Condition(ConditionKind Kind, Wait? Wait = null, Instant? Until = null, Fault? Fault = null)
{
    public static Condition Idle { get; } = new(ConditionKind.Idle);
}

/// <summary>
/// Where a move stands, and the only ways in which that changes. Each way is a pure function; asking for what is already so
/// changes nothing, so that every write of the API may be repeated.
/// </summary>
/// <param name="Wanted">The pass that is to run as soon as it may; null when none is.</param>
/// <param name="Attempts">Failures in a row.</param>
public sealed record MoveState(Stage Stage, Condition Condition, PassKind? Wanted, int Attempts)
{
    /// <summary>A server that fell silent may still be at work on what it was sent: it is given a minute more before anybody looks whether it was.</summary>
    private const int SilentSteps = 5;

    /// <summary>Answers that make no sense, or a defect of ours, are not met for ever: so often in a row, over a quarter of an hour, and a person has to look.</summary>
    private const int MostSenseless = 10;

    /// <summary>Failures in a row after which messages go one by one, see <see cref="Suspects"/>.</summary>
    private const int Suspicious = 2;

    public static MoveState New { get; } = new(Stage.Listed, Condition.Idle, null, 0);

    /// <summary>Passes end again and again without getting on.</summary>
    public bool IsSuspicious => Attempts >= Suspicious;

    public bool IsOver => Stage is Stage.Done or Stage.Withdrawn;

    /// <summary>From when on a worker may take it up; null when there is nothing to do.</summary>
    public Instant? DueAt => Condition.Kind switch
    {
        ConditionKind.Queued => Instant.MinValue,
        ConditionKind.Waiting or ConditionKind.Idle => Condition.Until,
        ConditionKind.Running or ConditionKind.Held or ConditionKind.NeedsYou => null,
    };

    public MoveState Start(Planning.Timetable? timetable, Instant now) =>
        Stage is Stage.Listed or Stage.Surveyed && (Condition.Kind is ConditionKind.Idle || Wanted is PassKind.Survey && Condition.Kind is not (ConditionKind.Running or ConditionKind.Held))
            ? (this with { Stage = Stage.Copying, Attempts = 0 }).Want(PassKind.First, timetable, now)
            : this;

    /// <summary>A survey, at any hour: it is no pass, and carries nothing. Not while something else is to run first.</summary>
    public MoveState Survey() =>
        !IsOver && (Condition.Kind is ConditionKind.Idle || (Wanted is PassKind.Survey && Condition.Kind is ConditionKind.NeedsYou or ConditionKind.Waiting))
            ? this with { Attempts = 0, Wanted = PassKind.Survey, Condition = new Condition(ConditionKind.Queued) }
            : this;

    public MoveState CatchUp(Planning.Timetable? timetable, Instant now) =>
        Stage is Stage.InStep && Condition.Kind is ConditionKind.Idle ? Want(PassKind.CatchUp, timetable, now) : this;

    /// <summary>Both sides are to be read anew. Only of what was carried to its end, and not while something else is to run.</summary>
    public MoveState Compare(Planning.Timetable? timetable, Instant now) =>
        Stage is Stage.InStep or Stage.Crossing or Stage.Settling or Stage.Done && Condition.Kind is ConditionKind.Idle ? Want(PassKind.Compare, timetable, now) : this;

    public MoveState Hold() => IsOver ? this : this with { Condition = new Condition(ConditionKind.Held) };

    public MoveState Resume(Planning.Timetable? timetable, Instant now) =>
        Condition.Kind is not ConditionKind.Held ? this : Wanted is { } wanted ? Want(wanted, timetable, now) : Rest(timetable, now);

    /// <summary>Tries again now what needs a person or waits for its retry.</summary>
    public MoveState Retry(Planning.Timetable? timetable, Instant now) => Condition switch
    {
        { Kind: ConditionKind.NeedsYou } or { Kind: ConditionKind.Waiting, Wait: Wait.Retry or Wait.Service } when Wanted is { } wanted => (this with { Attempts = 0 }).Want(wanted, timetable, now),
        _ => this,
    };

    /// <summary>A catch-up because left-behind items are to be tried again.</summary>
    public MoveState RetryItems(Planning.Timetable? timetable, Instant now) =>
        Condition.Kind is ConditionKind.Idle ? CatchUp(timetable, now) : Retry(timetable, now);

    public MoveState Withdraw() => Stage is Stage.Done ? this : this with { Stage = Stage.Withdrawn, Condition = Condition.Idle, Wanted = null, Attempts = 0 };

    /// <summary>A worker took it up. One that was idle until its rhythm called for it catches up.</summary>
    public MoveState Run() => this with { Wanted = Wanted ?? PassKind.CatchUp, Condition = new Condition(ConditionKind.Running) };

    /// <summary>The pass ended well.</summary>
    public MoveState Complete(Planning.Timetable? timetable, Instant now)
    {
        var reached = (Wanted, Stage) switch { (PassKind.Survey, Stage.Listed) => Stage.Surveyed, (PassKind.First or PassKind.CatchUp, Stage.Copying) => Stage.InStep, _ => Stage };
        return (this with { Stage = reached, Wanted = null, Attempts = 0 }).Rest(timetable, now);
    }

    /// <summary>The pass ended with a fault.</summary>
    /// <param name="progressed">It settled something first, so the failures are not in a row.</param>
    /// <param name="chance">See <see cref="Backoff.After"/>.</param>
    public MoveState Fail(Fault fault, bool progressed, double chance, Planning.Timetable? timetable, Instant now)
    {
        var attempts = progressed ? 1 : Attempts + 1;
        var senseless = fault.Cause is Cause.ProtocolBroken or Cause.Unexpected && attempts >= MostSenseless;
        var waits = fault.Turn is Turn.Wait && !senseless;
        // A look that failed keeps nobody from catching up: whoever is in step stays so, and the journal tells why the look failed.
        if (!waits && Wanted is PassKind.Survey or PassKind.Compare && Stage is not (Stage.Listed or Stage.Surveyed)) return (this with { Wanted = null, Attempts = 0 }).Rest(timetable, now);
        // At the door nothing was handed over yet that a silent server could still be at work on.
        var steps = fault is { Cause: Cause.TimedOut, AtTheDoor: false } ? attempts + SilentSteps : attempts;
        return waits
            ? this with { Attempts = attempts, Condition = new Condition(ConditionKind.Waiting, Carrying.Wait.Retry, fault.NotBefore ?? now + Duration.FromTimeSpan(Backoff.After(steps, chance)), fault) }
            : this with { Attempts = attempts, Condition = new Condition(ConditionKind.NeedsYou, Fault: fault) };
    }

    /// <summary>The service is in trouble, which is no failure of this move: it waits with the others and goes on with them.</summary>
    public MoveState Pause(Fault fault, Instant until) => this with { Condition = new Condition(ConditionKind.Waiting, Carrying.Wait.Service, until, fault) };

    /// <summary>The pass was stopped before its end, by a shutdown, a lost worker or a window that shut: it is wanted as before.</summary>
    public MoveState Interrupt(Planning.Timetable? timetable, Instant now) =>
        Condition.Kind is ConditionKind.Running && Wanted is { } wanted ? Want(wanted, timetable, now) : this;

    /// <summary>The timetable changed while the move waited for a window of the old one, or rested by its rhythm.</summary>
    public MoveState Reschedule(Planning.Timetable? timetable, Instant now) => Condition switch
    {
        { Kind: ConditionKind.Waiting, Wait: Carrying.Wait.Window } when Wanted is { } wanted => Want(wanted, timetable, now),
        { Kind: ConditionKind.Idle } => Rest(timetable, now),
        _ => this,
    };

    private MoveState Want(PassKind pass, Planning.Timetable? timetable, Instant now)
    {
        var opening = pass is PassKind.Survey ? now : timetable?.NextOpening(now) ?? now;
        return this with
        {
            Wanted = pass,
            Condition = opening > now ? new Condition(ConditionKind.Waiting, Carrying.Wait.Window, opening) : new Condition(ConditionKind.Queued),
        };
    }

    /// <summary>Nothing to do now; in step, the timetable says when the next catch-up comes.</summary>
    private MoveState Rest(Planning.Timetable? timetable, Instant now)
    {
        if (Stage is not Stage.InStep || timetable?.CatchUpEvery is not { } every) return this with { Condition = Condition.Idle };
        return this with { Condition = new Condition(ConditionKind.Idle, Until: timetable.NextOpening(now + every)) };
    }
}
