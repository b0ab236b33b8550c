using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>Between a move's state and its row.</summary>
public static class MoveStates
{
    public static MoveState StateOf(MoveRow row) =>
        new(row.Stage, new Condition(row.Condition, row.WaitsFor, ToInstant(row.Until), FaultOf(row)), row.Wanted, row.Attempts);

    public static Fault? FaultOf(MoveRow row) => row.FaultCause is { } cause ? new Fault(cause, row.FaultWhom!, row.FaultWhat!, row.FaultCode) { Help = row.FaultHelp, Service = row.FaultService } : null;

    public static void Apply(MoveRow row, MoveState state, Instant now)
    {
        var wasQueued = row.Condition is ConditionKind.Queued;
        (row.Stage, row.Condition, row.WaitsFor, row.Wanted, row.Attempts) = (state.Stage, state.Condition.Kind, state.Condition.Wait, state.Wanted, state.Attempts);
        row.Until = state.Condition.Until?.ToUnixTimeMilliseconds();
        (row.FaultCause, row.FaultWhom, row.FaultWhat, row.FaultCode) =
            (state.Condition.Fault?.Cause, state.Condition.Fault?.Whom, state.Condition.Fault?.What, state.Condition.Fault?.Code);
        (row.FaultHelp, row.FaultService) = (state.Condition.Fault?.Help, state.Condition.Fault?.Service);
        // Whoever is queued keeps the place in the line; a move that gave way goes to its end.
        if (!wasQueued || state.Condition.Kind is not ConditionKind.Queued)
            row.DueAt = state.Condition.Kind is ConditionKind.Queued ? now.ToUnixTimeMilliseconds() : state.DueAt?.ToUnixTimeMilliseconds();
        row.ChangedAt = now.ToUnixTimeMilliseconds();
    }

    public static MovePerson PersonOf(MoveRow row) =>
        new(row.Id, row.Batch, row.Name, row.FromAccount, row.ToAccount, row.FromLogin, row.ToLogin, row.FromSecret, row.ToSecret, row.FromSecretReference, row.ToSecretReference, row.ToUnder, row.ToRoot);

    public static Instant? ToInstant(long? milliseconds) => milliseconds is { } ms ? Instant.FromUnixTimeMilliseconds(ms) : null;
}
