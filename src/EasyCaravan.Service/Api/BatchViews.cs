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
    public static async Task<List<BatchView>> LoadAsync(
        CaravanDb db,
        Plan plan,
        string? only,
        Core.Pacing.Fault? trouble,
        CancellationToken cancel
    ) => await LoadAsync(db, plan, only, await MoveGroup.LoadAsync(db, only, cancel), trouble, cancel);

    /// <param name="groups">The moves of these batches, counted before.</param>
    public static async Task<List<BatchView>> LoadAsync(
        CaravanDb db,
        Plan plan,
        string? only,
        List<MoveGroup> groups,
        Core.Pacing.Fault? trouble,
        CancellationToken cancel
    )
    {
        var kinds = await KindsAsync(db, plan, only, cancel);
        // What running passes have added. There are never more of them than workers.
        var running = await RunningAsync(db, only, cancel);
        var views = new List<BatchView>();
        foreach (var batch in plan.Batches.Where(b => only is null || b.Name == only))
        {
            var route = plan.Routes.First(r => r.Name == batch.Route);
            var own = groups.Where(g => g.Batch == batch.Name).ToList();
            var sums = SumsOf(route.Carry, kinds[batch.Name].ToDictionary(k => k.Kind, k => k.Sums), [.. running[batch.Name]]);
            if (route.Carry is [var single])
            {
                var total = new Counts(
                    own.Sum(g => g.Found),
                    own.Sum(g => g.Carried),
                    own.Sum(g => g.Paired),
                    own.Sum(g => g.Excluded),
                    own.Sum(g => g.Left)
                );
                var kind = new KindSums(
                    MoveViews.WordOf(single),
                    total,
                    own.Sum(g => g.Open),
                    own.Sum(g => g.Undecided),
                    own.Sum(g => g.Octets)
                );
                sums = SumsOf(route.Carry, new() { [single] = kind }, [.. running[batch.Name]]);
            }
            var doing = Doing(
                [.. own.Select(g => (g.Stage, g.Condition, g.WaitsFor, g.People, MoveStates.ToInstant(g.Until)))],
                batch.Timetable
            );
            if (trouble is not null)
                doing = $"nothing can go on: {trouble.What} ({doing})";
            views.Add(
                new BatchView(
                    batch.Name,
                    batch.Route,
                    route.From,
                    route.To,
                    own.Sum(g => g.People),
                    own.GroupBy(g => KebabWord.Of(g.Stage)).ToDictionary(g => g.Key, g => g.Sum(s => s.People)),
                    own.GroupBy(g => KebabWord.Of(g.Condition)).ToDictionary(g => g.Key, g => g.Sum(s => s.People)),
                    doing,
                    MoveViews.Sum(sums.Select(k => k.Counts)),
                    sums.Sum(k => k.Octets),
                    sums.Sum(k => k.OpenLeftBehind),
                    sums.Sum(k => k.Undecided),
                    sums,
                    batch.Timetable is { } timetable ? TimetableWords.Describe(timetable) : null
                )
            );
        }
        return views;
    }

    /// <summary>The sums by kind of batches that carry several. For one kind those of the moves are the same.</summary>
    private static async Task<ILookup<string, (Kind Kind, KindSums Sums)>> KindsAsync(
        CaravanDb db,
        Plan plan,
        string? only,
        CancellationToken cancel
    )
    {
        var several = plan
            .Batches.Where(b => (only is null || b.Name == only) && plan.Routes.First(r => r.Name == b.Route).Carry.Length > 1)
            .Select(b => b.Name)
            .ToList();
        if (several.Count == 0)
            return Array.Empty<(Kind, KindSums)>().ToLookup(_ => "");
        var groups = await (
            from leg in db.Legs
            join move in db.Moves on leg.MoveId equals move.Id
            where several.Contains(move.Batch)
            group leg by new { move.Batch, leg.Kind } into g
            select new
            {
                g.Key,
                Found = g.Sum(l => l.Found),
                Carried = g.Sum(l => l.Carried),
                Paired = g.Sum(l => l.Paired),
                Excluded = g.Sum(l => l.Excluded),
                Left = g.Sum(l => l.LeftBehind),
                Open = g.Sum(l => l.OpenLeftBehind),
                Undecided = g.Sum(l => l.Undecided),
                Octets = g.Sum(l => l.Octets),
            }
        ).ToListAsync(cancel);
        return groups.ToLookup(
            g => g.Key.Batch,
            g =>
                (
                    g.Key.Kind,
                    new KindSums(
                        MoveViews.WordOf(g.Key.Kind),
                        new Counts(g.Found, g.Carried, g.Paired, g.Excluded, g.Left),
                        g.Open,
                        g.Undecided,
                        g.Octets
                    )
                )
        );
    }

    private static async Task<ILookup<string, (Kind Kind, Counts Added, long Octets)>> RunningAsync(
        CaravanDb db,
        string? only,
        CancellationToken cancel
    )
    {
        var moves = await db
            .Moves.Include(m => m.Legs)
            .Include(m => m.Crossing)
            .Where(m => m.Condition == ConditionKind.Running && (only == null || m.Batch == only))
            .ToListAsync(cancel);
        var ids = moves.Select(m => m.Id).ToList();
        var passes = await db
            .Passes.Include(p => p.Legs)
            .Where(p => ids.Contains(p.MoveId) && p.EndedAt == null)
            .ToDictionaryAsync(p => p.MoveId, cancel);
        var added =
            from move in moves
            from leg in move.Legs
            let running = MoveViews.RunningLegOf(passes.GetValueOrDefault(move.Id), leg.Kind)
            where running is not null
            let now = MoveViews.CountsOf(leg, running)
            let more = new Counts(
                now.Found - leg.Found,
                now.Carried - leg.Carried,
                now.Paired - leg.Paired,
                now.Excluded - leg.Excluded,
                now.LeftBehind - leg.LeftBehind
            )
            select (move.Batch, leg.Kind, Added: more, running.Octets);
        return added.ToLookup(a => a.Batch, a => (a.Kind, a.Added, a.Octets));
    }

    private static List<KindSums> SumsOf(
        IEnumerable<Kind> carry,
        Dictionary<Kind, KindSums> ended,
        List<(Kind Kind, Counts Added, long Octets)> running
    ) =>
        [
            .. carry.Select(kind =>
            {
                var sums = ended.GetValueOrDefault(kind) ?? new KindSums(MoveViews.WordOf(kind), new Counts(0, 0, 0, 0, 0), 0, 0, 0);
                var own = running.Where(r => r.Kind == kind).ToList();
                return sums with
                {
                    Counts = MoveViews.Sum(own.Select(r => r.Added).Prepend(sums.Counts)),
                    Octets = sums.Octets + own.Sum(r => r.Octets),
                };
            }),
        ];

    private static string Doing(
        List<(Stage Stage, ConditionKind Condition, Wait? Wait, int People, Instant? Until)> groups,
        Timetable? timetable
    )
    {
        if (groups.Count == 0)
            return "nobody is in this batch";
        var parts = new List<string>();
        int Count(Func<(Stage Stage, ConditionKind Condition, Wait? Wait, int People, Instant? Until), bool> which) =>
            groups.Where(which).Sum(g => g.People);
        if (Count(g => g.Condition is ConditionKind.Running) is > 0 and var running)
            parts.Add($"{running} running");
        if (Count(g => g.Condition is ConditionKind.Queued) is > 0 and var queued)
            parts.Add($"{queued} queued for a free worker");
        if (Count(g => g.Wait is Wait.Window) is > 0 and var shut)
            parts.Add($"{shut} waiting until the window opens{At(groups.Where(g => g.Wait is Wait.Window).Min(g => g.Until), timetable)}");
        if (Count(g => g.Wait is Wait.Service) is > 0 and var resting)
            parts.Add($"{resting} waiting for a service in trouble");
        if (Count(g => g.Wait is Wait.Retry) is > 0 and var again)
            parts.Add($"{again} trying again soon");
        if (Count(g => g.Condition is ConditionKind.NeedsYou) is > 0 and var needs)
            parts.Add($"{needs} need{(needs == 1 ? "s" : "")} you");
        if (Count(g => g.Condition is ConditionKind.Held) is > 0 and var held)
            parts.Add($"{held} held");
        if (Count(g => g.Condition is ConditionKind.Idle && g.Stage is Stage.InStep) is > 0 and var inStep)
            parts.Add($"{inStep} in step");
        if (Count(g => g.Stage is Stage.Listed && g.Condition is ConditionKind.Idle) is > 0 and var listed)
            parts.Add($"{listed} not started");
        if (Count(g => g.Stage is Stage.Surveyed && g.Condition is ConditionKind.Idle) is > 0 and var surveyed)
            parts.Add($"{surveyed} surveyed, not started");
        if (Count(g => g.Stage is Stage.Withdrawn) is > 0 and var withdrawn)
            parts.Add($"{withdrawn} withdrawn");
        return string.Join(", ", parts);
    }

    private static string At(Instant? at, Timetable? timetable) =>
        at is { } instant && timetable is not null
            ? instant.InZone(timetable.Zone).ToString(" (ddd HH:mm, z)", System.Globalization.CultureInfo.InvariantCulture)
            : "";
}
