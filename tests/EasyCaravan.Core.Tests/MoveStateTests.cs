using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Tests;

public sealed class MoveStateTests
{
    private static readonly Instant Now = Instant.FromUtc(2027, 2, 12, 18, 0);

    private static readonly Func<MoveState, MoveState>[] Steps =
    [
        s => s.Start(null, Now),
        s => s.Survey(),
        s => s.CatchUp(null, Now),
        s => s.Compare(null, Now),
        s => s.Hold(),
        s => s.Resume(null, Now),
        s => s.Retry(null, Now),
        s => s.RetryItems(null, Now),
        s => s.Withdraw(),
        s => s.DueAt <= Now ? s.Run(Now) : s,
        s => s.Condition.Kind is ConditionKind.Running ? s.Complete(null, Now) : s,
        s => s.Condition.Kind is ConditionKind.Running ? s.Interrupt(null, Now) : s,
        s => s.Condition.Kind is ConditionKind.Running ? s.Fail(new Fault(Cause.SignInRefused, "a", "b"), false, 0.5, null, Now) : s,
        s => s.Condition.Kind is ConditionKind.Running ? s.Fail(new Fault(Cause.ConnectionLost, "a", "b"), true, 0.5, null, Now) : s,
    ];

    [Fact]
    public void Whatever_is_asked_in_whatever_order_a_move_never_gets_stuck_or_forgets() =>
        Gen.Int[0, Steps.Length - 1]
            .Array[0, 40]
            .Sample(order =>
            {
                var state = MoveState.New(Kind.Mail);
                foreach (var step in order)
                {
                    var next = Steps[step](state);
                    Assert.True(next.Stage >= state.Stage || next.Stage is Stage.Withdrawn, "a stage never goes back");
                    state = next;
                    if (state.Condition.Kind is ConditionKind.NeedsYou)
                        Assert.NotNull(state.Condition.Fault);
                    if (
                        state.Condition.Kind
                        is ConditionKind.Queued
                            or ConditionKind.Waiting
                            or ConditionKind.NeedsYou
                            or ConditionKind.Running
                    )
                        Assert.NotNull(state.Wanted);
                    if (state.Condition.Kind is ConditionKind.Waiting)
                        Assert.NotNull(state.Condition.Until);
                    if (state.Stage is Stage.Copying)
                        Assert.Equal(PassKind.First, state.Wanted);
                    if (state.Stage is Stage.Withdrawn)
                        Assert.Null(state.DueAt);
                }
            });

    [Fact]
    public void Asking_again_changes_nothing() =>
        Gen.Select(Gen.Int[0, Steps.Length - 1].Array[0, 20], Gen.Int[0, 8])
            .Sample(
                (order, last) =>
                {
                    var state = order.Aggregate(MoveState.New(Kind.Mail), (s, step) => Steps[step](s));
                    var once = Steps[last](state);
                    Assert.Equal(once, Steps[last](once));
                }
            );

    [Fact]
    public void A_held_move_goes_on_with_the_pass_it_was_held_in()
    {
        var running = MoveState.New(Kind.Mail).Start(null, Now).Run(Now);
        var resumed = running.Hold().Resume(null, Now);
        Assert.Equal((Stage.Copying, ConditionKind.Queued, PassKind.First), (resumed.Stage, resumed.Condition.Kind, resumed.Wanted));
    }

    [Fact]
    public void Failures_in_a_row_wait_longer_and_progress_starts_anew()
    {
        var lost = new Fault(Cause.ConnectionLost, "a", "b");
        var (state, now) = (MoveState.New(Kind.Mail).Start(null, Now), Now);
        var waits = new List<Duration>();
        for (var i = 0; i < 5; i++)
        {
            state = state.Run(now).Fail(lost, progressed: false, 1, null, now);
            waits.Add(state.Condition.Until!.Value - now);
            now = state.Condition.Until!.Value;
        }
        Assert.Equal([2, 4, 8, 16, 32], waits.Select(w => (int)w.TotalSeconds));
        Assert.Equal(2, (int)(state.Run(now).Fail(lost, progressed: true, 1, null, now).Condition.Until!.Value - now).TotalSeconds);
    }

    [Theory]
    [InlineData(Cause.ProtocolBroken, false, ConditionKind.NeedsYou)]
    [InlineData(Cause.Unexpected, false, ConditionKind.NeedsYou)]
    [InlineData(Cause.ProtocolBroken, true, ConditionKind.Waiting)]
    [InlineData(Cause.ConnectionLost, false, ConditionKind.Waiting)]
    public void Answers_that_make_no_sense_ten_times_in_a_row_need_a_person(Cause cause, bool progressed, ConditionKind ends)
    {
        var (state, now) = (MoveState.New(Kind.Mail).Start(null, Now), Now);
        for (var i = 0; i < 10; i++)
        {
            Assert.NotEqual(ConditionKind.NeedsYou, state.Condition.Kind);
            now = state.DueAt > now ? state.DueAt.Value : now;
            state = state.Run(now).Fail(new Fault(cause, "a", "b"), progressed, 1, null, now);
        }
        Assert.Equal(ends, state.Condition.Kind);
        Assert.Equal((ConditionKind.Queued, 0), (state.Retry(null, now).Condition.Kind, state.Retry(null, now).Legs[0].Attempts));
    }

    [Fact]
    public void In_step_the_rhythm_calls_for_the_next_pass_by_itself()
    {
        var hourly = new EasyCaravan.Core.Planning.Timetable(DateTimeZone.Utc, [], Duration.FromHours(1));
        var state = MoveState.New(Kind.Mail).Start(hourly, Now).Run(Now).Complete(hourly, Now);
        Assert.Equal(Now + Duration.FromHours(1), state.DueAt);
        Assert.Equal(PassKind.CatchUp, state.Run(Now).Wanted);
    }

    [Fact]
    public void Every_cause_has_a_turn_and_a_remedy_and_waits_stay_in_bounds()
    {
        foreach (var cause in Enum.GetValues<Cause>())
        {
            Assert.True(Enum.IsDefined(FaultRules.ActionOf(cause)));
            Assert.NotEmpty(FaultRules.RemedyFor(cause));
        }
        Gen.Select(Gen.Int[1, 1000], Gen.Double[0, 1])
            .Sample((attempts, chance) => Assert.InRange(Backoff.After(attempts, chance), TimeSpan.FromSeconds(1), Backoff.Longest));
    }

    [Theory]
    [InlineData(PassKind.Survey)]
    [InlineData(PassKind.Compare)]
    public void A_look_that_fails_keeps_nobody_from_catching_up(PassKind look)
    {
        var timetable = new EasyCaravan.Core.Planning.Timetable(NodaTime.DateTimeZone.Utc, [], NodaTime.Duration.FromHours(6));
        var inStep = new MoveState(
            Stage.InStep,
            Condition.Idle,
            null,
            0,
            [new LegState(Kind.Mail, Stage.InStep, Now + Duration.FromHours(6))]
        );
        var looking = (look is PassKind.Survey ? inStep.Survey() : inStep.Compare(timetable, Now)).Run(Now);
        var after = looking.Fail(new Fault(Cause.SignInRefused, "a", "b"), false, 1, timetable, Now);
        Assert.Equal(
            (Stage.InStep, ConditionKind.Idle, null, Now + NodaTime.Duration.FromHours(6)),
            (after.Stage, after.Condition.Kind, after.Wanted, after.Condition.Until)
        );
        // Whoever has not begun has nothing else to do: there the closed door needs a person.
        Assert.Equal(
            ConditionKind.NeedsYou,
            MoveState.New(Kind.Mail).Survey().Run(Now).Fail(new Fault(Cause.SignInRefused, "a", "b"), false, 1, null, Now).Condition.Kind
        );
    }

    [Fact]
    public void Only_a_server_that_may_still_be_at_work_is_given_a_minute_more()
    {
        var silent = new Fault(Cause.TimedOut, "a", "b");
        double After(Fault fault) =>
            (MoveState.New(Kind.Mail).Start(null, Now).Run(Now).Fail(fault, false, 1, null, Now).Condition.Until!.Value - Now).TotalSeconds;
        Assert.Equal((64, 2), (After(silent), After(silent with { BeforeSignIn = true })));
    }
}
