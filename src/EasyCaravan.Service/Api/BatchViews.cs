using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>Batches as people see them: sums over their moves, counted by the database.</summary>
internal static class BatchViews
{
    public static async Task<List<BatchView>> LoadAsync(CaravanDb db, Plan plan, string? only, Core.Pacing.Fault? trouble, CancellationToken cancel)
    {
        var groups = await db.Moves.Where(m => only == null || m.Batch == only)
            .GroupBy(m => new { m.Batch, m.Stage, m.Condition, m.WaitsFor })
            .Select(g => new
            {
                g.Key.Batch, g.Key.Stage, g.Key.Condition, g.Key.WaitsFor, People = g.Count(), Until = g.Min(m => m.Until),
                Found = g.Sum(m => m.Found), Carried = g.Sum(m => m.Carried), Paired = g.Sum(m => m.Paired), Excluded = g.Sum(m => m.Excluded),
                Left = g.Sum(m => m.LeftBehind), Open = g.Sum(m => m.OpenLeftBehind), Undecided = g.Sum(m => m.Undecided), Octets = g.Sum(m => m.Octets),
            }).ToListAsync(cancel);
        // What running passes have added: there are never more of them than workers.
        var running = (await (from pass in db.Passes
                              where pass.EndedAt == null && pass.Kind != PassKind.Survey && pass.Kind != PassKind.Compare
                              join move in db.Moves on pass.MoveId equals move.Id
                              where move.Condition == ConditionKind.Running && (only == null || move.Batch == only)
                              select new { Pass = pass, Move = move }).ToListAsync(cancel))
            .ToLookup(r => r.Move.Batch, r => (Now: MoveViews.CountsOf(r.Move, r.Pass), Before: MoveViews.CountsOf(r.Move, null), r.Pass.Octets));
        var views = new List<BatchView>();
        foreach (var batch in plan.Batches.Where(b => only is null || b.Name == only))
        {
            var route = plan.Routes.First(r => r.Name == batch.Route);
            var own = groups.Where(g => g.Batch == batch.Name).ToList();
            long Sum(Func<Counts, long> which, long ended) => ended + running[batch.Name].Sum(r => which(r.Now) - which(r.Before));
            var counts = new Counts(
                Sum(c => c.Found, own.Sum(g => g.Found)), Sum(c => c.Carried, own.Sum(g => g.Carried)), Sum(c => c.Paired, own.Sum(g => g.Paired)),
                Sum(c => c.Excluded, own.Sum(g => g.Excluded)), Sum(c => c.LeftBehind, own.Sum(g => g.Left)));
            var doing = Doing([.. own.Select(g => (g.Stage, g.Condition, g.WaitsFor, g.People, MoveStates.ToInstant(g.Until)))], batch.Timetable);
            if (trouble is not null) doing = $"nothing can go on: {trouble.What} ({doing})";
            views.Add(new BatchView(
                batch.Name, batch.Route, route.From, route.To, own.Sum(g => g.People),
                own.GroupBy(g => Word(g.Stage)).ToDictionary(g => g.Key, g => g.Sum(s => s.People)),
                own.GroupBy(g => Word(g.Condition)).ToDictionary(g => g.Key, g => g.Sum(s => s.People)),
                doing, counts, own.Sum(g => g.Octets) + running[batch.Name].Sum(r => r.Octets), own.Sum(g => g.Open), own.Sum(g => g.Undecided), batch.Timetable is { } timetable ? Describe(timetable) : null));
        }
        return views;
    }

    public static string Word<T>(T value) where T : struct, Enum => System.Text.Json.JsonNamingPolicy.KebabCaseLower.ConvertName(value.ToString());

    private static string Doing(List<(Stage Stage, ConditionKind Condition, Wait? Wait, int People, Instant? Until)> groups, Timetable? timetable)
    {
        if (groups.Count == 0) return "nobody is in this batch";
        var parts = new List<string>();
        int Count(Func<(Stage Stage, ConditionKind Condition, Wait? Wait, int People, Instant? Until), bool> which) => groups.Where(which).Sum(g => g.People);
        if (Count(g => g.Condition is ConditionKind.Running) is > 0 and var running) parts.Add($"{running} running");
        if (Count(g => g.Condition is ConditionKind.Queued) is > 0 and var queued) parts.Add($"{queued} queued for a free worker");
        if (Count(g => g.Wait is Wait.Window) is > 0 and var shut) parts.Add($"{shut} waiting until the window opens{At(groups.Where(g => g.Wait is Wait.Window).Min(g => g.Until), timetable)}");
        if (Count(g => g.Wait is Wait.Service) is > 0 and var resting) parts.Add($"{resting} waiting for a service in trouble");
        if (Count(g => g.Wait is Wait.Retry) is > 0 and var again) parts.Add($"{again} trying again soon");
        if (Count(g => g.Condition is ConditionKind.NeedsYou) is > 0 and var needs) parts.Add($"{needs} need{(needs == 1 ? "s" : "")} you");
        if (Count(g => g.Condition is ConditionKind.Held) is > 0 and var held) parts.Add($"{held} held");
        if (Count(g => g.Condition is ConditionKind.Idle && g.Stage is Stage.InStep) is > 0 and var inStep) parts.Add($"{inStep} in step");
        if (Count(g => g.Stage is Stage.Listed && g.Condition is ConditionKind.Idle) is > 0 and var listed) parts.Add($"{listed} not started");
        if (Count(g => g.Stage is Stage.Withdrawn) is > 0 and var withdrawn) parts.Add($"{withdrawn} withdrawn");
        return string.Join(", ", parts);
    }

    private static string At(Instant? at, Timetable? timetable) =>
        at is { } instant && timetable is not null ? instant.InZone(timetable.Zone).ToString(" (ddd HH:mm, z)", System.Globalization.CultureInfo.InvariantCulture) : "";

    public static string Describe(Timetable timetable)
    {
        var windows = timetable.Windows.IsEmpty
            ? "at all hours"
            : string.Join("; ", timetable.Windows.Select(w => $"{string.Join(' ', w.Days.Select(d => d.ToString()[..3]))} {w.From.ToString("HH:mm", null)}–{w.Until.ToString("HH:mm", null)}"));
        var rhythm = timetable.CatchUpEvery is { } every ? $", catching up every {(every.TotalHours >= 1 ? $"{every.TotalHours:0.#} h" : $"{every.TotalMinutes:0} min")}" : "";
        return $"{windows} ({timetable.Zone.Id}){rhythm}";
    }
}
