using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>Converts between a move's state and its rows.</summary>
public static class MoveStates
{
    /// <param name="row">With its legs and its crossing.</param>
    public static MoveState StateOf(MoveRow row)
    {
        var condition = new Condition(row.Condition, row.WaitsFor, ToInstant(row.Until), row.Fault?.ToFault(), row.ConditionLeg);
        return new MoveState(row.Stage, condition, row.Wanted, row.Attempts, [.. row.Legs.OrderBy(l => l.Position).Select(StateOf)])
        {
            Crossing = row.Crossing is { } crossing ? StateOf(crossing) : null,
        };
    }

    private static CrossingState StateOf(CrossingRow row) =>
        new(row.Goal, row.Step, ToInstant(row.Due), row.WaitsFor, row.Fault?.ToFault(), row.Attempts, ToInstant(row.ClosingSince));

    private static LegState StateOf(LegRow row) =>
        new(
            row.Kind,
            row.Stage,
            ToInstant(row.Due),
            row.WaitsFor,
            row.Fault?.ToFault(),
            row.Attempts,
            ToInstant(row.EndedAt),
            ToInstant(row.InStepSince)
        );

    /// <param name="row">With its legs and its crossing, tracked.</param>
    public static void Apply(MoveRow row, MoveState state, Instant now)
    {
        var goesOnLooking = row.Wanted == state.Wanted && row.Since is not null;
        (row.Stage, row.Wanted, row.Attempts) = (state.Stage, state.Wanted, state.Attempts);
        (row.Condition, row.WaitsFor, row.ConditionLeg) = (state.Condition.Kind, state.Condition.Wait, state.Condition.Leg);
        row.Until = state.Condition.Until?.ToUnixTimeMilliseconds();
        row.Fault = StoredFault.Of(state.Condition.Fault);
        ApplyLegs(row, state);
        ApplyCrossing(row, state.Crossing, now);
        var at = now.ToUnixTimeMilliseconds();
        row.DueAt = state.Condition.Kind is ConditionKind.Queued ? at : state.DueAt?.ToUnixTimeMilliseconds();
        // A look is no leg, so that its row alone knows since when it has been wanted.
        row.Since = state.Since?.ToUnixTimeMilliseconds()
            ?? (
                state.Wanted is null ? null
                : goesOnLooking ? row.Since
                : at
            );
        row.Turn = row.DueAt <= at ? (row.Since ?? at) + row.Handicap : null;
        row.ChangedAt = now.ToUnixTimeMilliseconds();
    }

    private static void ApplyLegs(MoveRow row, MoveState state)
    {
        row.Legs.RemoveAll(l => state.Legs.All(s => s.Kind != l.Kind));
        foreach (var (leg, position) in state.Legs.Select((l, i) => (l, i)))
        {
            var stored = row.Legs.Find(l => l.Kind == leg.Kind);
            if (stored is null)
                row.Legs.Add(stored = new LegRow { Kind = leg.Kind });
            (stored.Position, stored.Stage, stored.WaitsFor, stored.Attempts) = (position, leg.Stage, leg.Wait, leg.Attempts);
            (stored.Due, stored.EndedAt) = (leg.Due?.ToUnixTimeMilliseconds(), leg.EndedAt?.ToUnixTimeMilliseconds());
            stored.InStepSince = leg.InStepSince?.ToUnixTimeMilliseconds();
            stored.Fault = StoredFault.Of(leg.Fault);
        }
    }

    private static void ApplyCrossing(MoveRow row, CrossingState? crossing, Instant now)
    {
        if (crossing is null)
        {
            row.Crossing = null;
            return;
        }
        var stored = row.Crossing ??= new CrossingRow();
        var at = now.ToUnixTimeMilliseconds();
        if (crossing.HasBegun && crossing.Step is not CrossingStep.Undo)
            stored.BegunAt ??= at;
        if (crossing.Step is CrossingStep.Settle)
            stored.SettledAt ??= at;
        if (crossing is { Goal: CrossingGoal.Undo, HasBegun: false })
            (stored.BegunAt, stored.SettledAt) = (null, null);
        (stored.Goal, stored.Step, stored.WaitsFor, stored.Attempts) = (crossing.Goal, crossing.Step, crossing.Wait, crossing.Attempts);
        (stored.Due, stored.ClosingSince) = (crossing.Due?.ToUnixTimeMilliseconds(), crossing.ClosingSince?.ToUnixTimeMilliseconds());
        stored.Fault = StoredFault.Of(crossing.Fault);
    }

    public static MovePerson PersonOf(MoveRow row) =>
        new(
            row.Id,
            row.Batch,
            row.Name,
            row.FromAccount,
            row.ToAccount,
            row.FromLogin,
            row.ToLogin,
            row.FromSecret,
            row.ToSecret,
            row.FromSecretReference,
            row.ToSecretReference,
            row.ToUnder,
            row.ToRoot
        );

    public static Instant? ToInstant(long? milliseconds) => milliseconds is { } ms ? Instant.FromUnixTimeMilliseconds(ms) : null;
}
