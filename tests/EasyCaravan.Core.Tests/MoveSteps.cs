using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>The ends of a pass in which every leg that is due ends alike.</summary>
internal static class MoveSteps
{
    public static MoveState Complete(this MoveState state, Timetable? timetable, Instant now) =>
        state.EndAll(null, false, 0.5, timetable, now);

    public static MoveState Fail(this MoveState state, Fault fault, bool progressed, double chance, Timetable? timetable, Instant now) =>
        state.EndAll(fault, progressed, chance, timetable, now);

    public static MoveState Interrupt(this MoveState state, Timetable? timetable, Instant now) =>
        state.End(new PassEnd([], Stopped: true), _ => null, 0.5, timetable, now);

    private static MoveState EndAll(this MoveState state, Fault? fault, bool progressed, double chance, Timetable? timetable, Instant now)
    {
        var isLook = state.Wanted is PassKind.Survey or PassKind.Compare;
        var end = isLook
            ? new PassEnd([], Stopped: false, fault) { Progressed = progressed }
            : new PassEnd([.. state.Legs.Where(l => l.IsDue(now)).Select(l => new LegEnd(l.Kind, fault, progressed))], Stopped: false);
        return state.End(end, _ => null, chance, timetable, now);
    }
}
