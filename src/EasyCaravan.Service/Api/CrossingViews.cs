using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>Crossings as the API shows them.</summary>
internal static class CrossingViews
{
    private const int MostProbes = 200;

    private const int MostActs = 500;

    public static async Task<BatchCrossingView> OfBatchAsync(CaravanDb db, Batch batch, CancellationToken cancel)
    {
        var row = await db.BatchCrossings.FirstOrDefaultAsync(c => c.Batch == batch.Name, cancel);
        var people = await db
            .Moves.Where(m => m.Batch == batch.Name && m.Stage != Stage.Withdrawn)
            .GroupBy(m => new
            {
                m.Stage,
                NeedsYou = m.Condition == ConditionKind.NeedsYou,
                Step = m.Crossing == null ? (CrossingStep?)null : m.Crossing.Step,
                Wave = m.Crossing == null ? null : m.Crossing.Wave,
                IsLooked = m.Crossing != null && m.Crossing.LookedAt != null,
            })
            .Select(g => new { g.Key, Count = g.Count() })
            .ToListAsync(cancel);
        var gates = await (
            from gate in db.CrossingGates
            join move in db.Moves on gate.MoveId equals move.Id
            where move.Batch == batch.Name && move.Stage != Stage.Withdrawn
            group gate by new
            {
                gate.Kind,
                gate.Colour,
                IsAccepted = gate.AcceptedAt != null,
            } into same
            select new { same.Key, Count = same.Count() }
        ).ToListAsync(cancel);
        int Gate(GateKind kind, GateColour colour, bool? accepted = null) =>
            gates
                .Where(g => g.Key.Kind == kind && g.Key.Colour == colour && (accepted is null || g.Key.IsAccepted == accepted))
                .Sum(g => g.Count);
        return new BatchCrossingView(
            batch.Name,
            row is null ? WavesWord.NotAsked : ContractWord.To<WavesWord>(row.State),
            row?.Because,
            batch.Timetable?.CutsOverAt?.ToDateTimeOffset(),
            batch.Crossing.Wave,
            batch.Crossing.StopAt,
            people.Sum(p => p.Count),
            people.Where(p => !p.Key.IsLooked).Sum(p => p.Count),
            people
                .Where(p => p.Key.Step is not null)
                .GroupBy(p => KebabWord.Of(p.Key.Step!.Value))
                .ToDictionary(g => g.Key, g => g.Sum(p => p.Count)),
            [
                .. Enum.GetValues<GateKind>()
                    .Select(k => new GateSum(
                        ContractWord.To<GateWord>(k),
                        Gate(k, GateColour.Green),
                        Gate(k, GateColour.Amber, accepted: false),
                        Gate(k, GateColour.Amber, accepted: true),
                        Gate(k, GateColour.Red)
                    )),
            ],
            [
                .. people
                    .Where(p => p.Key.Wave is not null)
                    .GroupBy(p => p.Key.Wave!.Value)
                    .OrderBy(g => g.Key)
                    .Select(g => new WaveView(
                        g.Key,
                        g.Sum(p => p.Count),
                        g.Where(p => p.Key.Stage is Stage.Settling or Stage.Done).Sum(p => p.Count),
                        g.Where(p => p.Key.NeedsYou && p.Key.Stage is not (Stage.Settling or Stage.Done)).Sum(p => p.Count)
                    )),
            ]
        );
    }

    public static async Task<List<CrossingView>> OfMovesAsync(
        CaravanDb db,
        CrossingPlan plan,
        IReadOnlyList<MoveRow> rows,
        Instant now,
        CancellationToken cancel
    )
    {
        var ids = rows.Select(r => r.Id).ToList();
        var gates = (await db.CrossingGates.Where(g => ids.Contains(g.MoveId)).ToListAsync(cancel)).ToLookup(g => g.MoveId);
        // The newest of each way; a year of daily probes is not read for it.
        var newest = db.Probes.Where(p => ids.Contains(p.MoveId)).GroupBy(p => new { p.MoveId, p.Way }).Select(g => g.Max(p => p.Id));
        var probes = (await db.Probes.Where(p => newest.Contains(p.Id)).ToListAsync(cancel)).ToLookup(p => p.MoveId);
        var confirmations = await db
            .Forwardings.Where(f => ids.Contains(f.MoveId) && f.Confirmation != null)
            .ToDictionaryAsync(f => f.MoveId, f => f.Confirmation, cancel);
        return [.. rows.Select(r => ViewOf(r, plan, gates[r.Id], probes[r.Id], confirmations.GetValueOrDefault(r.Id), now))];
    }

    private static CrossingView ViewOf(
        MoveRow row,
        CrossingPlan plan,
        IEnumerable<CrossingGateRow> gates,
        IEnumerable<ProbeRow> probes,
        ConfirmationState? confirmation,
        Instant now
    )
    {
        var (crossing, state) = (row.Crossing, MoveStates.StateOf(row));
        // A leg of the closing pass may be what needs somebody.
        var fault = crossing?.Fault?.ToFault() ?? (state.Stage is Stage.Crossing ? state.Condition.Fault : null);
        return new CrossingView(
            row.FromAccount,
            row.Name,
            row.ToAccount,
            plan.AddressOf(row.ForwardTo, row.ToAccount),
            ContractWord.To<MoveStage>(row.Stage),
            ContractWord.To<MoveCondition>(row.Condition),
            crossing is null ? null : ContractWord.To<CrossingGoalWord>(crossing.Goal),
            crossing is null ? null : ContractWord.To<CrossingStepWord>(crossing.Step),
            crossing?.Wave,
            MoveViews.Time(crossing?.Due),
            fault?.What,
            fault?.Remedy,
            MoveViews.Time(crossing?.LookedAt),
            MoveViews.Time(crossing?.BegunAt),
            MoveViews.Time(crossing?.SettledAt),
            [.. gates.OrderBy(g => g.Kind).Select(ViewOf)],
            [.. probes.OrderBy(p => p.Way).Select(ViewOf)],
            confirmation is { } word ? ContractWord.To<ConfirmationWord>(word) : null,
            state.Cross(isCheck: false, null, now) != state,
            state.Undo(null, now) != state,
            state.Finish(null, now) != state
        );
    }

    private static GateView ViewOf(CrossingGateRow gate)
    {
        var isAccepted = gate is { Colour: GateColour.Amber, AcceptedAt: not null };
        return new GateView(
            ContractWord.To<GateWord>(gate.Kind),
            ContractWord.To<GateColourWord>(gate.Colour),
            gate.Facts,
            gate.Remedy,
            isAccepted ? gate.AcceptedBy : null,
            isAccepted ? gate.AcceptedBecause : null,
            isAccepted ? MoveViews.Time(gate.AcceptedAt) : null
        );
    }

    public static ProbeView ViewOf(ProbeRow probe) =>
        new(
            ContractWord.To<ProbeWayWord>(probe.Way),
            probe.Sender,
            ContractWord.To<ProbeWord>(probe.State),
            MoveViews.Time(probe.PlannedAt)!.Value,
            MoveViews.Time(probe.SentAt),
            MoveViews.Time(probe.ArrivedAt),
            probe.Folder,
            MoveViews.Time(probe.KeptAt),
            MoveViews.Time(probe.RemovedAt),
            probe.Said
        );

    public static async Task<CrossingDetail> DetailAsync(
        CaravanDb db,
        Plan plan,
        Batch batch,
        MoveRow row,
        Instant now,
        CancellationToken cancel
    )
    {
        var view = (await OfMovesAsync(db, batch.Crossing, [row], now, cancel))[0];
        var forwarding = await db.Forwardings.FirstOrDefaultAsync(f => f.MoveId == row.Id, cancel);
        var probes = await db.Probes.Where(p => p.MoveId == row.Id).OrderByDescending(p => p.Id).Take(MostProbes).ToListAsync(cancel);
        var acts = await db.CrossingActs.Where(a => a.MoveId == row.Id).OrderByDescending(a => a.Id).Take(MostActs).ToListAsync(cancel);
        return new CrossingDetail(
            view,
            forwarding is null ? null : ViewOf(forwarding),
            view.LookedAt is null || row.Stage is Stage.Settling or Stage.Done
                ? []
                : [.. WouldDo(plan, batch, row, view.ForwardTo, forwarding)],
            probes.ConvertAll(ViewOf),
            acts.ConvertAll(ViewOf)
        );
    }

    public static CrossingActView ViewOf(CrossingActRow act) =>
        new(act.What, MoveViews.Time(act.BegunAt)!.Value, MoveViews.Time(act.EndedAt), act.Outcome);

    private static ForwardingView ViewOf(ForwardingRow row) =>
        new(
            ContractWord.To<ForwardingWayWord>(row.Way),
            MoveViews.Time(row.OnAt),
            row.Ours is null ? null : Encoding.UTF8.GetString(row.Ours),
            row.ActiveBefore,
            row.ActiveBefore is null ? null : Encoding.UTF8.GetString(row.Before!),
            row.Confirmation is { } state ? ContractWord.To<ConfirmationWord>(state) : null,
            row.ConfirmationCode
        );

    /// <summary>What would be done, in the order in which it would be.</summary>
    private static IEnumerable<string> WouldDo(Plan plan, Batch batch, MoveRow row, string forwardTo, ForwardingRow? forwarding)
    {
        var from = plan.Services.First(s => s.Name == plan.RouteOf(batch).From);
        if (forwarding is { Ours: not null })
        {
            yield return $"Put the script {Core.Formats.Sieve.ForwardingScript.Name} on {from.Name}, make it active, and read it back; "
                + (
                    forwarding.ActiveBefore is { } own
                        ? $"the script {own} of its owner stays as it is and goes on working"
                        : "no script was active"
                );
        }
        else if (forwarding is not null)
            yield return $"Ask a person to set forwarding of {row.FromAccount} to {forwardTo} at {from.Name} by hand";
        if (from.Confirmation is not null)
            yield return $"Watch {row.ToAccount} for the message by which {from.Name} wants the address confirmed";
        if (forwarding is not null)
        {
            var minutes = (int)batch.Crossing.ProbeWithin.TotalMinutes;
            yield return $"Send probes to {row.FromAccount}, await them at {row.ToAccount} for {minutes} minutes at most, and remove them "
                + "from both sides";
        }
        yield return "Run the closing pass, whatever the windows say";
        yield return batch.Crossing.Compares < 1
            ? $"Compare {batch.Crossing.Compares:0.##%} of the items on both sides"
            : "Compare all items on both sides";
        yield return batch.Timetable?.Aftercare?.ForwardingUntil is { } until
            ? $"Settle: carry stragglers, try forwarding every day, and switch it off on {until:uuuu-MM-dd}"
            : "Settle: carry stragglers, and try forwarding every day; it stays on for good";
    }
}
