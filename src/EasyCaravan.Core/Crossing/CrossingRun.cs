using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>
/// Does the next steps of a crossing, until it has to wait, needs somebody, or is where it was asked to go. Each step looks before it acts
/// and may be repeated, so that a crossing killed at any moment goes on.
/// </summary>
/// <remarks>
/// The order leaves no gap: forwarding is on before the closing pass begins, so that whatever comes to the old address is either forwarded
/// or in the old mailbox when that pass looks.
/// </remarks>
public sealed class CrossingRun(
    ICrossingRecord record,
    IMailAccounts accounts,
    CrossingOrder order,
    ProbeWatch probes,
    Action<string> journal,
    TimeProvider time
)
{
    /// <summary>How often a mailbox is looked at for the message that asks for confirmation.</summary>
    private static readonly Duration s_confirmEvery = Duration.FromSeconds(20);

    /// <summary>Newest messages of a folder among which it is looked for.</summary>
    private const uint NewestForConfirmation = 200;

    private Instant Now => Instant.FromDateTimeOffset(time.GetUtcNow());

    /// <param name="reached">Told of each step that was reached; where a fault ends the run, the last one counts.</param>
    /// <exception cref="FaultException">The step that was reached last could not be done.</exception>
    public async Task<CrossingState> RunAsync(CrossingState state, Action<CrossingState> reached, CancellationToken cancel)
    {
        while (true)
        {
            var next = await StepAsync(state, reached, cancel);
            if (next.Step == state.Step)
                return next;
            await record.ReachAsync(next, cancel);
            reached(next);
            // A closing pass runs leg by leg, as any other.
            if (next.Step is CrossingStep.Close || next.Due is null)
                return next;
            state = next;
        }
    }

    private Task<CrossingState> StepAsync(CrossingState state, Action<CrossingState> reached, CancellationToken cancel) =>
        state.Step switch
        {
            CrossingStep.Gates => LookAtGatesAsync(state, cancel),
            CrossingStep.Forward => ForwardAsync(state, reached, cancel),
            CrossingStep.Confirm => ConfirmAsync(state, cancel),
            CrossingStep.Probe => ProbeAsync(state, cancel),
            CrossingStep.Close => Task.FromResult(state),
            CrossingStep.Compare => CompareAsync(state, cancel),
            CrossingStep.Settle => SettleAsync(state, cancel),
            CrossingStep.Undo => UndoAsync(state, cancel),
            CrossingStep.End => EndAsync(state, cancel),
        };

    private async Task<CrossingState> LookAtGatesAsync(CrossingState state, CancellationToken cancel)
    {
        var (sight, prepared) = await SeeAsync(cancel);
        var gates = Gates.Draw(order.Record, sight, order.From.Account, order.ForwardTo, Now);
        await record.KeepGatesAsync(gates, cancel);
        var known = await record.ForwardingAsync(cancel);
        // What a crossing has set is not taken for what was there before.
        if (known is not { OnAt: not null })
            await record.KeepForwardingAsync(
                order.HasMail
                    ? new ForwardingNote(prepared is null ? ForwardingWay.ByHand : ForwardingWay.Rules, prepared)
                    {
                        SaidOn = known?.SaidOn == true && prepared is null,
                    }
                    : null,
                cancel
            );
        if (state.Goal is not CrossingGoal.Cross)
            return state.Rest(null);
        if (Gates.Shut(gates, await record.AcceptedAsync(cancel)) is { Count: > 0 } shut)
            throw Fault(Cause.GateShut, $"{Named(shut)}: {shut[0].Facts}");
        journal("every gate is open: it crosses");
        return state.Reach(order.HasMail ? CrossingStep.Forward : CrossingStep.Close, Now);
    }

    private static string Named(IReadOnlyList<Gate> shut) =>
        shut is [var one]
            ? $"the gate {KebabWord.Of(one.Kind)} is shut"
            : $"{shut.Count} gates are shut ({string.Join(", ", shut.Select(g => KebabWord.Of(g.Kind)))})";

    private async Task<(GateSight? Sight, ForwardingRecord? Prepared)> SeeAsync(CancellationToken cancel)
    {
        if (!order.HasMail)
            return (null, null);
        var fromFault = await FaultOfAsync(async () =>
        {
            await using var from = await order.From.OpenAsync(accounts, cancel);
        });
        Room? room = null;
        var toFault = await FaultOfAsync(async () =>
        {
            await using var to = await order.To.OpenAsync(accounts, cancel);
            room = await to.ReadRoomAsync(cancel);
        });
        SieveFacts? fromRules = null;
        SieveFacts? toRules = null;
        PreparedForwarding? prepared = null;
        var rulesFault =
            order.FromRules is null || fromFault is not null
                ? null
                : await FaultOfAsync(async () =>
                {
                    fromRules = (await VisitOldAsync(f => f.LookAsync(cancel), cancel)).Facts;
                    prepared = await PrepareAsync(cancel);
                });
        // Nobody can look into rules of the new side that do not open: the probe shows a circle all the same.
        if (order.ToRules is not null && toFault is null)
            await FaultOfAsync(async () =>
                toRules = (await VisitAsync(order.ToRules, order.To.Account, f => f.LookAsync(cancel), cancel)).Facts
            );
        var forwarding = new ForwardingPossible(prepared, rulesFault, order.Plan.KeepsCopy);
        return (
            new GateSight(fromFault, toFault, room, forwarding, fromRules, toRules, [.. order.Senders.Select(s => s.Way).Distinct()]),
            prepared?.Rules
        );
    }

    private Task<PreparedForwarding> PrepareAsync(CancellationToken cancel) =>
        VisitOldAsync(f => f.PrepareAsync(order.ForwardTo, order.Plan.KeepsCopy, order.Answer, cancel), cancel);

    /// <summary>What needs a person is a fact of a gate; what passes by itself is tried again.</summary>
    private static async Task<Fault?> FaultOfAsync(Func<Task> act)
    {
        try
        {
            await act();
            return null;
        }
        catch (FaultException e) when (e.Fault.Action is not FaultAction.RetryLater)
        {
            return e.Fault;
        }
    }

    /// <summary>Each visit is a session of its own: a long one does not see what others do meanwhile.</summary>
    private static async Task<T> VisitAsync<T>(
        Func<CancellationToken, Task<IForwardingRules>> open,
        string account,
        Func<Forwarding, Task<T>> act,
        CancellationToken cancel
    )
    {
        await using var rules = await open(cancel);
        return await act(new Forwarding(rules, account));
    }

    private Task<T> VisitOldAsync<T>(Func<Forwarding, Task<T>> act, CancellationToken cancel) =>
        VisitAsync(
            order.FromRules ?? throw Fault(Cause.RulesRefused, "the plan no longer names the rules of the old service"),
            order.From.Account,
            act,
            cancel
        );

    private Task<bool> SwitchOnAsync(ForwardingRecord rules, CancellationToken cancel) =>
        VisitOldAsync(
            async f =>
            {
                await f.SwitchOnAsync(rules, cancel);
                return true;
            },
            cancel
        );

    private async Task<CrossingState> ForwardAsync(CrossingState state, Action<CrossingState> reached, CancellationToken cancel)
    {
        var note = await record.ForwardingAsync(cancel) ?? throw Fault(Cause.RulesRefused, "nothing is known of the forwarding");
        // Killed after it was switched on, the numbers of before are still those that count.
        if (
            note.OnAt is null
            && (
                note.Rules is { } mine
                    ? await VisitOldAsync(f => f.StateAsync(mine, cancel), cancel) is not ForwardingState.On
                    : note.SaidOn
            )
        )
        {
            note = note with { Before = await NumbersAsync(cancel) };
            await record.KeepForwardingAsync(note, cancel);
        }
        if (note.Rules is { } rules)
        {
            var act = await record.IntendAsync(CrossingAct.SwitchOn, $"forwarding to {rules.To} is switched on by a mail rule", cancel);
            try
            {
                await SwitchOnAsync(rules, cancel);
            }
            catch (FaultException e) when (e.Fault.Cause is Cause.RulesChanged)
            {
                await record.OutcomeAsync(act, $"not done: {e.Fault.What}", cancel);
                // The person who tries again wants the gates looked at anew, with the rules that are there now.
                var again = state.Reach(CrossingStep.Gates, Now);
                await record.ReachAsync(again, cancel);
                reached(again);
                throw;
            }
            await record.OutcomeAsync(act, "done, and read back", cancel);
            journal($"forwarding to {rules.To} is on");
        }
        else if (!note.SaidOn)
            throw ByHand($"forwarding of {order.From.Account} to {order.ForwardTo} has to be set by hand at {order.From.Service.Name}");
        else
            journal($"a person says that forwarding to {order.ForwardTo} is on; the probe shows whether it is");
        if (note.OnAt is null)
            note = note with { After = await NumbersAsync(cancel) };
        var asks = order.Confirmation is not null;
        await record.KeepForwardingAsync(
            note with
            {
                OnAt = note.OnAt ?? Now,
                Confirmation = asks ? note.Confirmation ?? new Confirmation(ConfirmationState.Asked, Now) : null,
            },
            cancel
        );
        return state.Reach(asks ? CrossingStep.Confirm : CrossingStep.Probe, Now);
    }

    /// <summary>What comes to the old mailbox below these numbers came before forwarding was on.</summary>
    private async Task<IReadOnlyDictionary<FolderPath, ItemKey>> NumbersAsync(CancellationToken cancel)
    {
        await using var from = await order.From.OpenAsync(accounts, cancel);
        return (await from.ListFoldersAsync(cancel))
            .Where(f => f.Cursor is not null)
            .DistinctBy(f => f.Path)
            .ToDictionary(f => f.Path, f => new ItemKey(f.Cursor!.Epoch, f.Cursor.Next));
    }

    private async Task<CrossingState> ConfirmAsync(CrossingState state, CancellationToken cancel)
    {
        var note = (await record.ForwardingAsync(cancel))!;
        if (order.Confirmation is not { } asked || note.Confirmation is not { } confirmation)
            return state.Reach(CrossingStep.Probe, Now);
        if (confirmation.State is ConfirmationState.Confirmed)
            return state.Reach(CrossingStep.Probe, Now);
        if (confirmation.State is ConfirmationState.Expired)
            // Somebody tries again: it counts from now.
            confirmation = new Confirmation(ConfirmationState.Asked, Now);
        if (confirmation.State is ConfirmationState.Asked && await FindCodeAsync(asked, cancel) is { } code)
            confirmation = confirmation with { State = ConfirmationState.CodeSeen, Code = code };
        else if (confirmation.State is ConfirmationState.Asked && Now > confirmation.AskedAt + asked.Within)
            confirmation = confirmation with { State = ConfirmationState.Expired };
        await record.KeepForwardingAsync(note with { Confirmation = confirmation }, cancel);
        // An address of a page that came by mail is followed by people alone.
        if (
            confirmation is { State: ConfirmationState.CodeSeen, Code: { } seen }
            && order.HandBackAsync is { } handBack
            && !seen.Contains("://", StringComparison.Ordinal)
        )
        {
            await HandBackAsync(handBack, seen, cancel);
            await record.KeepForwardingAsync(
                note with
                {
                    Confirmation = confirmation with { State = ConfirmationState.Confirmed },
                },
                cancel
            );
            return state.Reach(CrossingStep.Probe, Now);
        }
        return confirmation.State switch
        {
            ConfirmationState.CodeSeen => throw Fault(
                Cause.ForwardingUnconfirmed,
                $"{order.From.Service.Name} has sent its code for the address {order.ForwardTo}, which has to be given back"
            ),
            ConfirmationState.Expired => throw Fault(
                Cause.ForwardingUnconfirmed,
                $"no message of {order.From.Service.Name} that asks to confirm {order.ForwardTo} came in time"
            ),
            _ => state.Rest(Now + s_confirmEvery),
        };
    }

    private async Task HandBackAsync(Func<string, CancellationToken, Task> handBack, string code, CancellationToken cancel)
    {
        var act = await record.IntendAsync(
            CrossingAct.HandBack,
            $"the code for {order.ForwardTo} is given back to {order.From.Service.Name}",
            cancel
        );
        try
        {
            await handBack(code, cancel);
        }
        catch (FaultException e)
        {
            await record.OutcomeAsync(act, $"not done: {e.Fault.What}", cancel);
            throw;
        }
        await record.OutcomeAsync(act, "done: it was taken", cancel);
        journal($"the address {order.ForwardTo} is confirmed");
    }

    private async Task<string?> FindCodeAsync(ForwardingConfirmation asked, CancellationToken cancel)
    {
        await using var to = await order.To.OpenAsync(accounts, cancel);
        foreach (var folder in ProbeWatch.Likely(await to.ListFoldersAsync(cancel)))
        {
            var newest = folder.Cursor is { } cursor ? cursor.Next - Math.Min(cursor.Next, NewestForConfirmation) : 0;
            var fitting = new List<uint>();
            var numbers = (await to.ListNumbersAsync(folder.Path, cancel)).From(newest);
            await to.ReadHeadersAsync(
                folder.Path,
                numbers,
                header =>
                {
                    if (ConfirmationMessage.Fits(asked, header.Header))
                        fitting.Add(header.Number);
                },
                cancel
            );
            foreach (var number in fitting.OrderDescending())
                if (ConfirmationMessage.CodeIn(asked, await ProbeWatch.ReadAsync(to, folder.Path, number, cancel)) is { } code)
                    return code;
        }
        return null;
    }

    private async Task<CrossingState> ProbeAsync(CrossingState state, CancellationToken cancel)
    {
        if (order.Senders.Count == 0)
        {
            journal("no probe could be sent, as a person accepted");
            return state.Reach(CrossingStep.Close, Now);
        }
        var since = (await record.ForwardingAsync(cancel))!.OnAt!.Value;
        if (!await probes.RunAsync(since, cancel))
            return state.Rest(probes.LookAgainAt);
        return state.Reach(CrossingStep.Close, Now);
    }

    private async Task<CrossingState> CompareAsync(CrossingState state, CancellationToken cancel)
    {
        await record.WantComparisonAsync(state.ClosingSince ?? Now, order.Plan.Compares, cancel);
        var act = await record.IntendAsync(CrossingAct.Compare, "both sides are compared", cancel);
        await order.CompareAsync(cancel);
        await record.OutcomeAsync(act, "done", cancel);
        journal("it has crossed: from now on the new account counts");
        return state.Reach(CrossingStep.Settle, Now).Rest(Now + ProbeWatch.Daily);
    }

    /// <summary>Looks once a day whether the old address still forwards, until it is to end.</summary>
    private async Task<CrossingState> SettleAsync(CrossingState state, CancellationToken cancel)
    {
        if (order.ForwardingUntil <= Now)
            return state.Reach(CrossingStep.End, Now);
        // What cannot be written to others keeps the looks at forwarding and probes not waiting.
        FaultException? unwritten = null;
        try
        {
            if (order.Change is { } change)
                await change.RunAsync(cancel);
        }
        catch (FaultException e)
        {
            unwritten = e;
        }
        if (order.HasMail)
            await LookAtForwardingAsync(cancel);
        if (order is { HasMail: true, Senders.Count: > 0 } && !await probes.RunAsync(Now - ProbeWatch.Daily / 2, cancel))
            return state.Rest(probes.LookAgainAt);
        if (unwritten is not null)
            throw unwritten;
        var next = Now + ProbeWatch.Daily;
        return state.Rest(order.ForwardingUntil < next ? order.ForwardingUntil : next);
    }

    /// <summary>Whether our rule is still there. What somebody changed is put back only when a person asks for it.</summary>
    private async Task LookAtForwardingAsync(CancellationToken cancel)
    {
        if (await record.ForwardingAsync(cancel) is not { Rules: { } rules } note)
            return;
        var state = await VisitOldAsync(f => f.StateAsync(rules, cancel), cancel);
        if (state is ForwardingState.On)
            return;
        if (!note.PutBack)
            throw new FaultException(
                new Fault(
                    Cause.RulesChanged,
                    order.From.Account,
                    state is ForwardingState.Altered
                        ? "somebody has changed the forwarding on the old side"
                        : "forwarding on the old side is no longer on"
                )
                {
                    Help = "Ask its owner whether that was meant; to switch it on again: caravan crossing BATCH --forward-again --move WHO",
                },
                Verdict.Keep
            );
        var act = await record.IntendAsync(CrossingAct.SwitchOn, "forwarding is switched on again, as a person asked", cancel);
        await VisitOldAsync(f => f.SwitchOffAsync(rules, cancel), cancel);
        var anew = (await PrepareAsync(cancel)).Rules;
        await record.KeepForwardingAsync(note with { Rules = anew }, cancel);
        await SwitchOnAsync(anew, cancel);
        await record.KeepForwardingAsync(note with { Rules = anew, PutBack = false }, cancel);
        await record.OutcomeAsync(act, "done, and read back", cancel);
        journal("forwarding was switched on again");
    }

    private async Task<CrossingState> UndoAsync(CrossingState state, CancellationToken cancel)
    {
        await SwitchOffAsync(cancel);
        await probes.RemoveAllAsync(cancel);
        journal("the crossing is undone");
        return state.Reach(CrossingStep.Gates, Now).Rest(null);
    }

    private async Task SwitchOffAsync(CancellationToken cancel)
    {
        if (await record.ForwardingAsync(cancel) is not { } note)
            return;
        if (note.Rules is { } rules)
        {
            var act = await record.IntendAsync(CrossingAct.SwitchOff, "our rule is removed, and what was there is put back", cancel);
            var differs = await VisitOldAsync(f => f.SwitchOffAsync(rules, cancel), cancel);
            await record.OutcomeAsync(act, differs ?? "done, and read back: it is as it was", cancel);
            journal(differs is null ? "forwarding is off, and the rules are as they were" : $"forwarding is off; {differs}");
        }
        else if (note is { OnAt: not null, SaidOff: false })
            throw ByHand(
                $"forwarding of {order.From.Account} to {order.ForwardTo} has to be switched off by hand at {order.From.Service.Name}",
                "Switch it off at the old service by hand, and say so: caravan crossing BATCH --forwarding-is off --move WHO"
            );
        await record.KeepForwardingAsync(null, cancel);
    }

    private async Task<CrossingState> EndAsync(CrossingState state, CancellationToken cancel)
    {
        if (order.Record is { OpenLeftBehind: > 0 } or { Undecided: > 0 })
            throw Fault(
                Cause.WaybillOpen,
                $"{order.Record.OpenLeftBehind} item(s) left behind and {order.Record.Undecided} difference(s) are not decided on"
            );
        await probes.RemoveAllAsync(cancel);
        if (order.ForwardingUntil is not null)
            await SwitchOffAsync(cancel);
        else if (await record.ForwardingAsync(cancel) is { OnAt: not null })
            journal("forwarding stays on for good, as the timetable has it: it is its owner's from now on");
        var act = await record.IntendAsync(CrossingAct.Forget, "what we know of the person's ways in is forgotten", cancel);
        var revoked = await order.RevokeAsync(cancel);
        await record.ForgetAsync(cancel);
        await record.OutcomeAsync(act, revoked, cancel);
        journal($"done: {revoked}");
        return state.Rest(null);
    }

    private FaultException ByHand(string what, string? help = null)
    {
        var fault = new Fault(Cause.ForwardingByHand, order.From.Account, what) { Service = order.From.Service.Name };
        return new FaultException(
            fault.Advised(order.From.Service.Help) is { Help: not null } advised ? advised : fault with { Help = help },
            Verdict.Keep
        );
    }

    private FaultException Fault(Cause cause, string what) => new(new Fault(cause, order.From.Account, what), Verdict.Keep);
}
