using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>Moves as people see them.</summary>
internal static class MoveViews
{
    public static async Task<List<MoveView>> LoadAsync(
        CaravanDb db,
        IQueryable<MoveRow> query,
        MoveSurroundings surroundings,
        CancellationToken cancel
    )
    {
        var rows = await query.Include(m => m.Legs).Include(m => m.Crossing).ToListAsync(cancel);
        var running = rows.Where(r => r.Condition is ConditionKind.Running).Select(r => r.Id).ToList();
        var passes =
            running.Count == 0
                ? []
                : await db
                    .Passes.Include(p => p.Legs)
                    .Where(p => running.Contains(p.MoveId) && p.EndedAt == null)
                    .ToDictionaryAsync(p => p.MoveId, cancel);
        return [.. rows.Select(r => ViewOf(r, passes.GetValueOrDefault(r.Id), surroundings))];
    }

    private static MoveView ViewOf(MoveRow row, PassRow? pass, MoveSurroundings surroundings)
    {
        var (condition, text, until, fault) = ConditionOf(row, surroundings);
        var legs = row.Legs.OrderBy(l => l.Position).Select(l => ViewOf(l, RunningLegOf(pass, l.Kind))).ToList();
        return new MoveView(
            row.Batch,
            row.FromAccount,
            row.ToAccount,
            row.Name,
            row.Note,
            ContractWord.To<MoveStage>(row.Stage),
            condition,
            text,
            until,
            fault is null ? null : Problems.Of(fault),
            Sum(legs.Select(l => l.Counts)),
            row.OpenLeftBehind,
            row.OpenLeftBehind > 0 && surroundings.ToleranceOf(row.Batch).Covers(row.OpenLeftBehind, row.Found),
            row.Undecided,
            row.Legs.TrueForAll(l => l.EndedAt is not null) ? Time(row.Legs.Min(l => l.EndedAt)) : null,
            legs.Sum(l => l.Octets),
            legs,
            pass is null || surroundings.Trouble is not null ? null : ProgressOf(pass, surroundings.Now.ToDateTimeOffset()),
            MoveActions.Possible(MoveStates.StateOf(row), surroundings.Now),
            Time(row.ChangedAt)!.Value
        );
    }

    private static (MoveCondition Condition, string Text, DateTimeOffset? Until, Fault? Fault) ConditionOf(
        MoveRow row,
        MoveSurroundings surroundings
    )
    {
        if (surroundings.Trouble is { } trouble && row.Condition is ConditionKind.Running or ConditionKind.Queued)
            return (MoveCondition.Waiting, $"cannot go on: {trouble.What}", null, trouble);
        var isWaiting = row.Condition is ConditionKind.Queued || row is { Condition: ConditionKind.Waiting, WaitsFor: Wait.Service };
        if (isWaiting && surroundings.Drained.GetValueOrDefault(row.Batch) is { } drained)
            return (
                MoveCondition.Waiting,
                drained == Drains.Everything ? "waits until the drain of all services ends" : $"waits until {drained} is no longer drained",
                null,
                null
            );
        if (isWaiting && surroundings.Resting.GetValueOrDefault(row.Batch) is { } pause)
            return (
                MoveCondition.Waiting,
                $"waits with all others for {pause.Fault.Service}: {pause.Fault.What}",
                pause.Until.ToDateTimeOffset(),
                pause.Fault
            );
        var fault = row.Fault?.ToFault();
        var text = row is { Condition: ConditionKind.Waiting, WaitsFor: Wait.Window }
            ? TimetableWords.WhyWaiting(surroundings.TimetableOf(row.Batch), surroundings.Now)
            : ConditionText(row, fault);
        return (ContractWord.To<MoveCondition>(row.Condition), text, Time(row.Until), fault);
    }

    private static LegView ViewOf(LegRow leg, PassLegRow? running)
    {
        var fault = leg.Fault?.ToFault();
        return new LegView(
            WordOf(leg.Kind),
            ContractWord.To<MoveStage>(leg.Stage),
            fault is null ? null : Problems.Of(fault),
            fault is not null && leg.WaitsFor is null,
            Time(leg.Due),
            leg.Attempts,
            Time(leg.EndedAt),
            CountsOf(leg, running),
            leg.OpenLeftBehind,
            leg.Undecided,
            leg.Octets + (running?.Octets ?? 0)
        );
    }

    public static MoveKind WordOf(Core.Planning.Kind kind) =>
        kind switch
        {
            Core.Planning.Kind.Mail => MoveKind.Mail,
            Core.Planning.Kind.Contacts => MoveKind.Contacts,
            Core.Planning.Kind.Calendars => MoveKind.Calendars,
        };

    /// <summary>What a running pass is adding to the sums of a kind; null where it adds nothing.</summary>
    public static PassLegRow? RunningLegOf(PassRow? pass, Core.Planning.Kind kind) =>
        pass is null || !pass.Kind.RunsLegs() ? null : pass.Legs.Find(l => l.Kind == kind && l.EndedAt is null);

    public static Counts Sum(IEnumerable<Counts> counts) =>
        counts.Aggregate(new Counts(0, 0, 0, 0, 0), (a, b) =>
            new Counts(a.Found + b.Found, a.Carried + b.Carried, a.Paired + b.Paired, a.Excluded + b.Excluded, a.LeftBehind + b.LeftBehind)
        );

    public static DateTimeOffset? Time(long? milliseconds) => milliseconds is { } ms ? DateTimeOffset.FromUnixTimeMilliseconds(ms) : null;

    /// <summary>A kind's sums as its last pass left them, and what a running one has added since.</summary>
    public static Counts CountsOf(LegRow leg, PassLegRow? running)
    {
        if (running is null)
            return new Counts(leg.Found, leg.Carried, leg.Paired, leg.Excluded, leg.LeftBehind);
        var settled = leg.Carried + leg.Paired + leg.Excluded;
        var leftBefore = Math.Max(0, leg.LeftBehind - running.LeftBehind);
        return new Counts(
            Math.Max(leg.Found, settled + leftBefore + running.Expected),
            leg.Carried + running.Carried,
            leg.Paired + running.Paired,
            leg.Excluded + running.Excluded,
            leg.LeftBehind
        );
    }

    private static PassProgress ProgressOf(PassRow pass, DateTimeOffset now)
    {
        var started = Time(pass.StartedAt)!.Value;
        var seconds = Math.Max(0.001, (now - started).TotalSeconds);
        var settled = pass.Legs.Sum(l => !pass.Kind.RunsLegs() ? l.Looked : l.Carried + l.Paired + l.Excluded + l.LeftBehind);
        var (expected, rate) = (pass.Legs.Sum(l => l.Expected), settled / seconds);
        return new PassProgress(
            ContractWord.To<PassWord>(pass.Kind),
            started,
            expected,
            settled,
            pass.Legs.Sum(l => l.Octets),
            pass.Legs.Select(l => l.Folder).FirstOrDefault(f => f is not null),
            Math.Round(rate, 1),
            rate > 0 && seconds > 2 ? Math.Round(Math.Max(0, expected - settled) / rate) : null
        );
    }

    private static string ConditionText(MoveRow row, Fault? fault) =>
        row.Condition switch
        {
            ConditionKind.Idle when row.Stage is Stage.Listed => "not started",
            ConditionKind.Idle when row.Stage is Stage.Surveyed => "surveyed, not started",
            ConditionKind.Idle when row.Until is not null => "nothing to do until its next catch-up",
            ConditionKind.Idle when row.Stage is Stage.Withdrawn => "withdrawn",
            ConditionKind.Idle => "nothing to do until asked",
            ConditionKind.Queued => "queued, runs as soon as a worker is free",
            ConditionKind.Running => row.Wanted switch
            {
                PassKind.First => "first pass running",
                PassKind.Survey => "survey running",
                PassKind.Compare => "comparison running",
                PassKind.TakeBack => "being taken back",
                PassKind.TakeBackCheck => "dry run of a take-back running",
                PassKind.Crossing => "crossing",
                PassKind.Closing => "closing pass running",
                PassKind.Straggler => "straggler pass running",
                _ => "catch-up running",
            },
            ConditionKind.Waiting when row.WaitsFor is Wait.Service => $"waited for the service, goes on now: {fault?.What}",
            ConditionKind.Waiting =>
                $"tries again soon{(row is { Legs.Count: > 1, ConditionLeg: { } waiting } ? $", {KebabWord.Of(waiting)}" : "")}: "
                    + $"{fault?.What}",
            ConditionKind.Held => "held by a person",
            ConditionKind.NeedsYou => row is { Legs.Count: > 1, ConditionLeg: { } leg }
                ? $"{KebabWord.Of(leg)}: {fault?.What}; everything else goes on"
                : fault?.What ?? "needs a person",
        };
}
