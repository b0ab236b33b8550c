using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>A move whose kinds fare differently.</summary>
public sealed class LegTests
{
    private static readonly Instant Now = Instant.FromUtc(2027, 2, 12, 18, 0);
    private static readonly Fault Refused = new(Cause.SignInRefused, "a", "the password was refused");
    private static readonly Fault Lost = new(Cause.ConnectionLost, "a", "the connection was lost");
    private static readonly Timetable SixHourly = new(DateTimeZone.Utc, [], Duration.FromHours(6));

    private static MoveState Started => MoveState.New(Kind.Contacts, Kind.Mail).Start(SixHourly, Now);

    [Fact]
    public void What_one_leg_cannot_do_keeps_no_other_waiting()
    {
        var state = End(Started.Run(Now), Now, (Kind.Contacts, Refused), (Kind.Mail, null));
        Assert.Equal((Stage.Copying, ConditionKind.NeedsYou, Kind.Contacts), (state.Stage, state.Condition.Kind, state.Condition.Leg));
        Assert.Equal((Stage.InStep, Stage.Copying), (Leg(state, Kind.Mail).Stage, Leg(state, Kind.Contacts).Stage));

        // By the rhythm mail catches up, and only mail; contacts still need somebody afterwards.
        var later = Now + Duration.FromHours(6);
        Assert.Equal(later, state.DueAt);
        state = state.Run(later);
        Assert.Equal([Kind.Mail], state.Legs.Where(l => l.IsDue(later)).Select(l => l.Kind));
        Assert.Equal(PassKind.CatchUp, state.Wanted);
        state = End(state, later, (Kind.Mail, null));
        Assert.Equal((ConditionKind.NeedsYou, later + Duration.FromHours(6)), (state.Condition.Kind, state.DueAt));

        // So it does when somebody asks for a catch-up.
        var asked = state.CatchUp(SixHourly, later);
        Assert.Equal(ConditionKind.Queued, asked.Condition.Kind);
        Assert.Equal([Kind.Mail], asked.Run(later).Legs.Where(l => l.IsDue(later)).Select(l => l.Kind));

        // Mended, contacts are tried again, and the move is as far as both.
        state = state.Retry(SixHourly, later);
        Assert.Equal([Kind.Contacts], state.Run(later).Legs.Where(l => l.IsDue(later)).Select(l => l.Kind));
        state = End(state.Run(later), later, (Kind.Contacts, null));
        Assert.Equal((Stage.InStep, ConditionKind.Idle), (state.Stage, state.Condition.Kind));
    }

    [Fact]
    public void Tries_of_one_leg_do_not_put_off_the_catch_ups_of_another()
    {
        var (state, now) = (End(Started.Run(Now), Now, (Kind.Contacts, Lost), (Kind.Mail, null)), Now);
        var mail = 0;
        while (now < Now + Duration.FromHours(25))
        {
            now = state.DueAt!.Value;
            state = state.Run(now);
            (Kind, Fault?)[] ends =
            [
                .. state.Legs.Where(l => l.IsDue(now)).Select(l => (l.Kind, l.Kind is Kind.Contacts ? Lost : (Fault?)null)),
            ];
            mail += ends.Count(e => e.Item1 is Kind.Mail);
            state = End(state, now, ends);
        }
        Assert.Equal(4, mail);
        Assert.True(Leg(state, Kind.Contacts).Attempts > 20);
        Assert.Equal((0, null), (Leg(state, Kind.Mail).Attempts, Leg(state, Kind.Mail).Fault));
    }

    [Fact]
    public void A_leg_that_ended_before_the_pass_was_stopped_need_not_run_again()
    {
        var stopped = Started.Run(Now).End(new PassEnd([new LegEnd(Kind.Contacts)], Stopped: true), _ => null, 0.5, SixHourly, Now);
        Assert.Equal((Stage.Copying, ConditionKind.Queued), (stopped.Stage, stopped.Condition.Kind));
        Assert.Equal([Kind.Mail], stopped.Legs.Where(l => l.IsDue(Now)).Select(l => l.Kind));
        var held = Started.Run(Now).Hold().End(new PassEnd([new LegEnd(Kind.Contacts)], Stopped: true), _ => null, 0.5, SixHourly, Now);
        Assert.Equal((ConditionKind.Held, Stage.InStep), (held.Condition.Kind, Leg(held, Kind.Contacts).Stage));
    }

    [Fact]
    public void A_kind_that_a_route_gains_is_copied_and_one_that_it_loses_is_forgotten()
    {
        var inStep = End(MoveState.New(Kind.Mail).Start(null, Now).Run(Now), Now, (Kind.Mail, null));
        var gained = inStep.Carry([Kind.Contacts, Kind.Mail], null, Now);
        Assert.Equal((Stage.Copying, ConditionKind.Queued, PassKind.First), (gained.Stage, gained.Condition.Kind, gained.Wanted));
        Assert.Equal([Kind.Contacts], gained.Legs.Where(l => l.IsDue(Now)).Select(l => l.Kind));
        Assert.Equal(Stage.InStep, gained.Carry([Kind.Mail], null, Now).Stage);
        Assert.Equal(Stage.Listed, MoveState.New(Kind.Mail).Carry([Kind.Contacts, Kind.Mail], null, Now).Stage);
    }

    [Fact]
    public async Task A_pass_runs_its_legs_in_order_and_goes_on_after_one_that_fails()
    {
        var ran = new List<Kind>();
        Leg Scripted(Kind kind, Exception? fails) => new(kind, new Tally(kind), _ =>
            {
                ran.Add(kind);
                return fails is null ? Task.CompletedTask : Task.FromException(fails);
            });
        var end = await new Pass(
            [
                Scripted(Kind.Contacts, new FaultException(Refused, Verdict.Keep)),
                Scripted(Kind.Calendars, new ArgumentException("x")),
                Scripted(Kind.Mail, null),
            ],
            "a"
        ).RunAsync(CancellationToken.None);
        Assert.Equal([Kind.Contacts, Kind.Calendars, Kind.Mail], ran);
        Assert.Equal([Cause.SignInRefused, Cause.Unexpected, null], end.Legs.Select(l => l.Fault?.Cause));
        Assert.IsType<ArgumentException>(end.Legs[1].Unexpected);

        ran.Clear();
        end = await new Pass(
            [Scripted(Kind.Contacts, null), Scripted(Kind.Calendars, new OperationCanceledException()), Scripted(Kind.Mail, null)],
            "a"
        ).RunAsync(CancellationToken.None);
        Assert.Equal((true, 2, 1), (end.Stopped, ran.Count, end.Legs.Count));
        await Assert.ThrowsAsync<LeaseLostException>(() =>
            new Pass([Scripted(Kind.Mail, new LeaseLostException())], "a").RunAsync(CancellationToken.None)
        );
    }

    [Fact]
    public async Task The_end_of_each_leg_is_told_before_the_next_one_begins()
    {
        var told = new List<string>();
        Leg Scripted(Kind kind) => new(kind, new Tally(kind), _ =>
            {
                told.Add($"{kind} runs");
                return Task.CompletedTask;
            });
        var end = await new Pass([Scripted(Kind.Contacts), Scripted(Kind.Mail)], "a", EndedAsync).RunAsync(CancellationToken.None);
        Assert.Equal(["Contacts runs", "Contacts ended", "Mail runs", "Mail ended"], told);
        Assert.All(end.Legs, l => Assert.Equal(Refused, l.Fault));

        Task<LegEnd> EndedAsync(LegEnd ended)
        {
            told.Add($"{ended.Kind} ended");
            return Task.FromResult(ended with { Fault = Refused });
        }
    }

    [Fact]
    public void A_leg_that_ended_while_others_run_is_not_run_again_after_a_crash()
    {
        var running = MoveState.New(Kind.Contacts, Kind.Mail).Start(null, Now).Run(Now);
        var half = running.EndLeg(new LegEnd(Kind.Contacts), _ => null, 0.5, null, Now);
        Assert.Equal((Stage.Copying, ConditionKind.Running), (half.Stage, half.Condition.Kind));
        Assert.Equal([Kind.Mail], half.Legs.Where(l => l.IsDue(Now)).Select(l => l.Kind));
        Assert.Equal(Now, half.Legs[0].EndedAt);
        // Its worker was lost: whoever takes it up runs what is left.
        Assert.Equal([Kind.Mail], half.Run(Now).Legs.Where(l => l.IsDue(Now)).Select(l => l.Kind));
        var whole = half.End(new PassEnd([new LegEnd(Kind.Mail)], Stopped: false), _ => null, 0.5, null, Now);
        Assert.Equal((Stage.InStep, ConditionKind.Idle), (whole.Stage, whole.Condition.Kind));
    }

    [Fact]
    public void Whatever_happens_to_the_legs_none_is_forgotten() =>
        Gen.Int[0, 11]
            .Array[0, 60]
            .Sample(steps =>
            {
                var (state, now) = (MoveState.New(Kind.Contacts, Kind.Calendars, Kind.Mail), Now);
                foreach (var step in steps)
                {
                    state = Step(state, step, ref now);
                    if (
                        state.IsOver
                        || state.Condition.Kind is ConditionKind.Held or ConditionKind.Running
                        || state.Stage is Stage.Listed or Stage.Surveyed
                    )
                        continue;
                    foreach (var leg in state.Legs)
                    {
                        // A leg that has begun runs again by itself, or somebody knows that it needs them.
                        if (leg.NeedsSomebody)
                            Assert.True(
                                state.Condition.Kind is ConditionKind.NeedsYou or ConditionKind.Queued
                                    || state.Wanted is PassKind.Compare or PassKind.Survey
                            );
                        else
                            Assert.NotNull(leg.Due);
                        if (state.Wanted is not (PassKind.Compare or PassKind.Survey) && leg.Due is { } due)
                            Assert.True(state.DueAt <= (due > now ? due : now));
                    }
                    Assert.Equal(state.Legs.All(l => l.Stage is Stage.InStep), state.Stage is Stage.InStep);
                }
            });

    private static MoveState Step(MoveState state, int step, ref Instant now)
    {
        var at = now;
        switch (step)
        {
            case 0:
                return state.Start(SixHourly, at);
            case 1:
                return state.CatchUp(SixHourly, at);
            case 2:
                return state.Retry(SixHourly, at);
            case 3:
                return state.Hold();
            case 4:
                return state.Resume(SixHourly, at);
            case 5:
                return state.Compare(SixHourly, at);
            case 6:
                return state.Reschedule(null, SixHourly, at);
            case 7:
                now += Duration.FromMinutes(37);
                return state;
        }
        if (!(state.DueAt <= at))
            return state;
        var running = state.Run(at);
        if (running.Wanted is PassKind.Compare)
            return running.End(new PassEnd([], step == 8, step == 9 ? Refused : null), _ => null, 0.5, SixHourly, at);
        var due = running.Legs.Where(l => l.IsDue(at)).Select(l => l.Kind).ToList();
        var ends = step switch
        {
            8 => due.Take(1).Select(k => new LegEnd(k)),
            9 => due.Select((k, i) => new LegEnd(k, i == 0 ? Refused : null)),
            10 => due.Select((k, i) => new LegEnd(k, i == 0 ? Lost : null, i == 1)),
            _ => due.Select(k => new LegEnd(k)),
        };
        return running.End(new PassEnd([.. ends], Stopped: step == 8), _ => null, 0.5, SixHourly, at);
    }

    private static MoveState End(MoveState state, Instant now, params (Kind Kind, Fault? Fault)[] ends) =>
        state.End(new PassEnd([.. ends.Select(e => new LegEnd(e.Kind, e.Fault))], Stopped: false), _ => null, 1, SixHourly, now);

    private static LegState Leg(MoveState state, Kind kind) => state.Legs.First(l => l.Kind == kind);
}
