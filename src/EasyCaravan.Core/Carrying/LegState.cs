using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Carrying;

/// <summary>Where one kind of a move stands.</summary>
/// <param name="Stage">
/// <see cref="Stage.Listed"/> before its first pass, <see cref="Stage.Copying"/> until that ended well, then <see cref="Stage.InStep"/>.
/// </param>
/// <param name="Due">From when on it is to run; null: not by itself.</param>
/// <param name="Wait">Set while it waits after a fault: for its own next try, or for the service.</param>
/// <param name="Fault">Why it waits, or needs somebody.</param>
/// <param name="Attempts">Failures in a row.</param>
/// <param name="EndedAt">When it last ended well.</param>
/// <param name="InStepSince">When it first did.</param>
public sealed record LegState(
    Kind Kind,
    Stage Stage,
    Instant? Due = null,
    Wait? Wait = null,
    Fault? Fault = null,
    int Attempts = 0,
    Instant? EndedAt = null,
    Instant? InStepSince = null
)
{
    /// <summary>
    /// A server that stopped answering may still be working on the last command. Wait a minute longer before looking what it did.
    /// </summary>
    private const int SilentSteps = 5;

    /// <summary>
    /// After so many unintelligible answers or defects of ours in a row, spread over a quarter of an hour, a person has to look.
    /// </summary>
    private const int MostSenseless = 10;

    /// <summary>Failures in a row after which messages go one by one, see <see cref="Mail.PoisonMessages"/>.</summary>
    private const int FailuresBeforePoisonSearch = 2;

    /// <summary>The leg fails repeatedly without settling anything: look for a message that breaks the connection.</summary>
    public bool SeeksPoison => Attempts >= FailuresBeforePoisonSearch;

    public bool NeedsSomebody => Fault is not null && Wait is null;

    public bool IsDue(Instant now) => Due <= now;

    /// <summary>It is to run at this time. What was wrong counts as mended.</summary>
    public LegState Want(Instant at) => this with { Due = at, Wait = null, Fault = null };

    /// <param name="next">When it runs again; null: when it is asked to.</param>
    public LegState Complete(Instant? next, Instant now) =>
        (new LegState(Kind, Stage.InStep) { EndedAt = now, InStepSince = InStepSince ?? now }).Rest(next);

    /// <summary>It ran and was stopped: others that wait go first.</summary>
    public LegState Yield(Instant now) => IsDue(now) ? this with { Due = now } : this;

    /// <summary>Nothing to do before this.</summary>
    public LegState Rest(Instant? until) => Stage is Stage.InStep && Fault is null ? this with { Due = until } : this;

    /// <param name="progressed">It settled something first, so that failures are not in a row.</param>
    /// <param name="resumes">
    /// When the service is tried again for all who wait for it; null where the fault is not about the service.
    /// </param>
    /// <param name="chance">See <see cref="Backoff.After"/>.</param>
    public LegState Fail(Fault fault, bool progressed, Instant? resumes, double chance, Instant now)
    {
        // The service is in trouble, which is no failure of this move: it waits with the others and goes on with them.
        if (resumes is { } at)
            return this with { Due = at, Wait = Carrying.Wait.Service, Fault = fault };
        var attempts = progressed ? 1 : Attempts + 1;
        return RetryAfter(fault, attempts, chance, now) is { } retry
            ? this with
            {
                Due = retry,
                Wait = Carrying.Wait.Retry,
                Fault = fault,
                Attempts = attempts,
            }
            : this with
            {
                Due = null,
                Wait = null,
                Fault = fault,
                Attempts = attempts,
            };
    }

    /// <summary>When it is tried again by itself; null where a person has to look.</summary>
    public static Instant? RetryAfter(Fault fault, int attempts, double chance, Instant now)
    {
        var senseless = fault.Cause is Cause.ProtocolBroken or Cause.Unexpected && attempts >= MostSenseless;
        if (fault.Action is not FaultAction.RetryLater || senseless)
            return null;
        // Before the sign-in no command was sent that the server could still be working on.
        var steps = fault is { Cause: Cause.TimedOut, BeforeSignIn: false } ? attempts + SilentSteps : attempts;
        return fault.NotBefore ?? now + Duration.FromTimeSpan(Backoff.After(steps, chance));
    }
}
