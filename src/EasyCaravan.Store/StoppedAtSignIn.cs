using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>Moves that a service stopped at its sign-in, and that go on once a person has mended it.</summary>
internal static class StoppedAtSignIn
{
    /// <returns>Whether it was stopped there, and goes on.</returns>
    public static bool GoOn(MoveRow row, string service, Timetable? timetable, Instant now)
    {
        var before = MoveStates.StateOf(row);
        if (!IsOf(before.Condition.Fault, service) && !before.Legs.Any(l => IsOf(l.Fault, service)))
            return false;
        var after = before.Retry(timetable, now);
        if (after == before)
            return false;
        MoveStates.Apply(row, after, now);
        return true;
    }

    private static bool IsOf(Fault? fault, string service) =>
        fault is not null && fault.Service == service && FaultRules.IsOfSignIn(fault.Cause);
}
