using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Moves as people see them.</summary>
internal static class MoveViews
{
    /// <param name="resting">Batches on whose services nobody is called now.</param>
    /// <param name="trouble">Why the store takes nothing now: nobody can go on, whatever the rows say.</param>
    public static async Task<List<MoveView>> LoadAsync(
        CaravanDb db, IQueryable<MoveRow> query, IReadOnlyDictionary<string, ServicePause> resting, Fault? trouble, DateTimeOffset now, CancellationToken cancel)
    {
        var rows = await query.ToListAsync(cancel);
        var running = rows.Where(r => r.Condition is ConditionKind.Running).Select(r => r.Id).ToList();
        var passes = running.Count == 0
            ? []
            : await db.Passes.Where(p => running.Contains(p.MoveId) && p.EndedAt == null).ToDictionaryAsync(p => p.MoveId, cancel);
        return [.. rows.Select(r => ViewOf(r, passes.GetValueOrDefault(r.Id), resting.GetValueOrDefault(r.Batch), trouble, now))];
    }

    private static MoveView ViewOf(MoveRow row, PassRow? pass, ServicePause? pause, Fault? trouble, DateTimeOffset now)
    {
        if (trouble is not null && row.Condition is ConditionKind.Running or ConditionKind.Queued)
        {
            return new MoveView(
                row.Batch, row.FromAccount, row.ToAccount, row.Name, row.Note, Enum.Parse<MoveStage>(row.Stage.ToString()), MoveCondition.Waiting, $"cannot go on: {trouble.What}", null, Problems.Of(trouble),
                CountsOf(row, pass), row.OpenLeftBehind, row.Undecided, row.Octets + (pass?.Octets ?? 0), null, Time(row.ChangedAt)!.Value);
        }
        var waits = pause is not null && (row.Condition is ConditionKind.Queued || row is { Condition: ConditionKind.Waiting, WaitsFor: Wait.Service });
        var fault = waits ? pause!.Fault : MoveStates.FaultOf(row);
        return new MoveView(
            row.Batch, row.FromAccount, row.ToAccount, row.Name, row.Note,
            Enum.Parse<MoveStage>(row.Stage.ToString()), waits ? MoveCondition.Waiting : Enum.Parse<MoveCondition>(row.Condition.ToString()),
            waits ? $"waits with all others for {pause!.Fault.Service}: {pause.Fault.What}" : ConditionText(row, fault),
            waits ? pause!.Until.ToDateTimeOffset() : Time(row.Until), fault is null ? null : Problems.Of(fault),
            CountsOf(row, pass), row.OpenLeftBehind, row.Undecided, row.Octets + (pass?.Octets ?? 0), pass is null ? null : ProgressOf(pass, now), Time(row.ChangedAt)!.Value);
    }

    public static DateTimeOffset? Time(long? milliseconds) => milliseconds is { } ms ? DateTimeOffset.FromUnixTimeMilliseconds(ms) : null;

    public static string KindName(PassKind kind) => System.Text.Json.JsonNamingPolicy.KebabCaseLower.ConvertName(kind.ToString());

    /// <summary>The move's sums as its last pass left them, and what a running one has added since.</summary>
    public static Counts CountsOf(MoveRow row, PassRow? pass)
    {
        var settled = row.Carried + row.Paired + row.Excluded;
        if (pass is null or { Kind: PassKind.Survey or PassKind.Compare }) return new Counts(row.Found, row.Carried, row.Paired, row.Excluded, row.LeftBehind);
        var leftBefore = Math.Max(0, row.LeftBehind - pass.LeftBehind);
        return new Counts(
            Math.Max(row.Found, settled + leftBefore + pass.Expected), row.Carried + pass.Carried, row.Paired + pass.Paired, row.Excluded + pass.Excluded, row.LeftBehind);
    }

    private static PassProgress ProgressOf(PassRow pass, DateTimeOffset now)
    {
        var started = Time(pass.StartedAt)!.Value;
        var seconds = Math.Max(0.001, (now - started).TotalSeconds);
        var settled = pass.Kind is PassKind.Survey or PassKind.Compare ? pass.Looked : pass.Carried + pass.Paired + pass.Excluded + pass.LeftBehind;
        var rate = settled / seconds;
        return new PassProgress(
            KindName(pass.Kind), started, pass.Expected, settled, pass.Octets, pass.Folder, Math.Round(rate, 1),
            rate > 0 && seconds > 2 ? Math.Round(Math.Max(0, pass.Expected - settled) / rate) : null);
    }

    private static string ConditionText(MoveRow row, Fault? fault) => row.Condition switch
    {
        ConditionKind.Idle when row.Stage is Stage.Listed => "not started",
        ConditionKind.Idle when row.Stage is Stage.Surveyed => "surveyed, not started",
        ConditionKind.Idle when row.Until is not null => "nothing to do until its next catch-up",
        ConditionKind.Idle when row.Stage is Stage.Withdrawn => "withdrawn",
        ConditionKind.Idle => "nothing to do until asked",
        ConditionKind.Queued => "queued, runs as soon as a worker is free",
        ConditionKind.Running => row.Wanted switch { PassKind.First => "first pass running", PassKind.Survey => "survey running", PassKind.Compare => "comparison running", _ => "catch-up running" },
        ConditionKind.Waiting when row.WaitsFor is Wait.Window => "waits for its window",
        ConditionKind.Waiting when row.WaitsFor is Wait.Service => $"waited for the service, goes on now: {fault?.What}",
        ConditionKind.Waiting => $"tries again soon: {fault?.What}",
        ConditionKind.Held => "held by a person",
        ConditionKind.NeedsYou => fault?.What ?? "needs a person",
    };
}
