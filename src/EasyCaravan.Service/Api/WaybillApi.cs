using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>The waybill: what was found, what became of it, and whether the sums close.</summary>
internal static class WaybillApi
{
    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/batches/{batch}/waybill", GetAsync).WithSummary("What was found and what became of it, per move and folder");

    private static async Task<Results<Ok<BatchWaybill>, ProblemHttpResult>> GetAsync(
        string batch,
        CurrentPlan current,
        Database database,
        TimeProvider time,
        CancellationToken cancel,
        string? move = null
    )
    {
        var (waybill, problem) = await LoadAsync(batch, move, current, database, time, cancel);
        return waybill is null ? problem! : TypedResults.Ok(waybill);
    }

    /// <param name="move">Only this one; null: all of the batch.</param>
    public static async Task<(BatchWaybill? Waybill, ProblemHttpResult? Problem)> LoadAsync(
        string batch,
        string? move,
        CurrentPlan current,
        Database database,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return (null, problem);
        var (plan, _) = await current.GetAsync(cancel);
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return (null, BatchApi.NoBatch(batch));
        var route = plan.Routes.First(r => r.Name == planned.Route);
        await using var db = database.Read();
        var rows = await db
            .Moves.Include(m => m.Legs)
            .Where(m => m.Batch == batch && (only == null || only.Contains(m.Id)))
            .OrderBy(m => m.Id)
            .ToListAsync(cancel);
        var ids = rows.Select(r => r.Id).ToList();
        var differences = (await DifferenceApi.LoadAsync(db, batch, ids, includeDecided: true, cancel)).ToLookup(d => d.Account);
        var comparisons = (await ComparisonApi.LoadAsync(db, batch, ids, cancel)).ToDictionary(c => c.Account);
        var left = (await LeftBehindApi.LoadAsync(db, batch, ids, includeAccepted: true, cancel)).ToLookup(i => i.Account);
        var foldersByMove = await BatchApi.FoldersAsync(db, ids, cancel);
        var complete = await CompleteAsync(db, ids, cancel);
        var shaped = await ShapedAsync(db, ids, cancel);
        var moves = new List<MoveWaybill>(rows.Count);
        foreach (var row in rows)
        {
            var folders = foldersByMove[row.Id].ToList();
            var closes = complete.Contains(row.Id) && folders.TrueForAll(f => f.Closes);
            moves.Add(
                new MoveWaybill(
                    row.FromAccount,
                    row.ToAccount,
                    row.Name,
                    ContractWord.To<MoveStage>(row.Stage),
                    MoveViews.Sum(folders.Select(f => f.Counts)),
                    KindsOf(route, folders, row.Legs),
                    folders.Sum(f => f.Gone),
                    folders.Sum(f => f.Missing),
                    folders.Sum(f => f.Twice),
                    folders.Sum(f => f.Altered),
                    folders.Sum(f => f.Undecided),
                    closes,
                    SentenceOf(row, closes, folders),
                    Sum(shaped[row.Id]),
                    folders,
                    [.. left[row.FromAccount]],
                    [.. differences[row.FromAccount]],
                    comparisons.GetValueOrDefault(row.FromAccount)
                )
            );
        }
        var waybill = new BatchWaybill(
            batch,
            route.From,
            route.To,
            time.GetUtcNow(),
            MoveViews.Sum(moves.Select(m => m.Total)),
            SumKinds(route, moves),
            moves.TrueForAll(m => m.Closes),
            SentenceOf(moves),
            Sum(moves.SelectMany(m => m.Shaped)),
            moves
        );
        return (waybill, null);
    }

    private static List<KindSums> KindsOf(Core.Planning.Route route, List<FolderView> folders, List<LegRow> legs) =>
        [
            .. route.Carry.Select(kind =>
            {
                var (own, leg) = (folders.Where(f => f.Kind == MoveViews.WordOf(kind)).ToList(), legs.Find(l => l.Kind == kind));
                return new KindSums(
                    MoveViews.WordOf(kind),
                    MoveViews.Sum(own.Select(f => f.Counts)),
                    leg?.OpenLeftBehind ?? 0,
                    own.Sum(f => f.Undecided),
                    own.Sum(f => f.Octets)
                );
            }),
        ];

    private static List<KindSums> SumKinds(Core.Planning.Route route, List<MoveWaybill> moves) =>
        [
            .. route.Carry.Select(kind =>
            {
                var own = moves.SelectMany(m => m.Kinds).Where(k => k.Kind == MoveViews.WordOf(kind)).ToList();
                return new KindSums(
                    MoveViews.WordOf(kind),
                    MoveViews.Sum(own.Select(k => k.Counts)),
                    own.Sum(k => k.OpenLeftBehind),
                    own.Sum(k => k.Undecided),
                    own.Sum(k => k.Octets)
                );
            }),
        ];

    /// <summary>One line for each change. An item that needed several counts with each.</summary>
    public static List<ShapedCount> Sum(IEnumerable<ShapedCount> counts) =>
        [
            .. counts
                .GroupBy(c => (c.Kind, c.Shaping))
                .OrderBy(g => g.Key)
                .Select(g => new ShapedCount(g.Key.Kind, g.Key.Shaping, g.Sum(c => c.Items))),
        ];

    /// <summary>What was changed about carried items, by move.</summary>
    public static async Task<ILookup<long, ShapedCount>> ShapedAsync(CaravanDb db, List<long> moves, CancellationToken cancel)
    {
        var rows = await (
            from item in db.CollectionItems
            where item.Shapings != ItemShapings.None
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            where moves.Contains(folder.MoveId)
            join entry in db.LedgerItems on new { item.FolderId, item.Number } equals new { entry.FolderId, entry.Number }
            where entry.Outcome == Outcome.Carried
            group item by new
            {
                folder.MoveId,
                folder.Kind,
                item.Shapings,
            } into same
            select new
            {
                same.Key.MoveId,
                same.Key.Kind,
                same.Key.Shapings,
                Items = same.LongCount(),
            }
        ).ToListAsync(cancel);
        return rows.SelectMany(r =>
                Enum.GetValues<ItemShapings>()
                    .Where(s => s is not ItemShapings.None && r.Shapings.HasFlag(s))
                    .Select(s => (r.MoveId, Count: new ShapedCount(MoveViews.WordOf(r.Kind), KebabWord.Of(s), r.Items)))
            )
            .ToLookup(r => r.MoveId, r => r.Count);
    }

    /// <summary>
    /// Moves of which the last pass of each kind was completed. Only a completed pass has seen all folders; folders that no pass has
    /// reached yet are not in the ledger.
    /// </summary>
    public static async Task<HashSet<long>> CompleteAsync(CaravanDb db, List<long> moves, CancellationToken cancel)
    {
        var carrying =
            from leg in db.PassLegs
            join pass in db.Passes on leg.PassId equals pass.Id
            where
                moves.Contains(leg.MoveId)
                && leg.EndedAt != null
                && (
                    pass.Kind == PassKind.First
                    || pass.Kind == PassKind.CatchUp
                    || pass.Kind == PassKind.Closing
                    || pass.Kind == PassKind.Straggler
                )
            group leg by new { leg.MoveId, leg.Kind } into same
            select new
            {
                same.Key.MoveId,
                same.Key.Kind,
                Last = same.Max(l => l.PassId),
            };
        var ended = await (
            from last in carrying
            join leg in db.PassLegs on new { PassId = last.Last, last.Kind } equals new { leg.PassId, leg.Kind }
            where !leg.Stopped && leg.Fault == null
            select new { last.MoveId, last.Kind }
        ).ToListAsync(cancel);
        var known = ended.Select(e => (e.MoveId, e.Kind)).ToHashSet();
        // One that was taken back has passes, and is as before its first.
        var begun = db.Moves.Where(m => moves.Contains(m.Id) && m.Stage != Stage.Listed && m.Stage != Stage.Surveyed).Select(m => m.Id);
        var legs = await db.Legs.Where(l => begun.Contains(l.MoveId)).Select(l => new { l.MoveId, l.Kind }).ToListAsync(cancel);
        return [.. legs.GroupBy(l => l.MoveId).Where(own => own.All(l => known.Contains((l.MoveId, l.Kind)))).Select(own => own.Key)];
    }

    /// <summary>Why one person's waybill does not close yet, the first thing to be done first.</summary>
    public static string SentenceOf(MoveRow row, bool closes, List<FolderView> folders)
    {
        if (closes)
            return "Everything is accounted for: found = carried + paired + excluded + left behind in every folder, and nothing is "
                + "undecided.";
        if (row.Stage is Stage.Listed or Stage.Surveyed)
            return "Nothing was carried yet: start the move.";
        if (row.Stage is Stage.Withdrawn)
            return "The move was withdrawn before it was complete.";
        if (row.Condition is ConditionKind.Running && row.Wanted?.RunsLegs() != false)
            return "Not complete yet: a pass is under way.";
        if (row.Condition is ConditionKind.Queued or ConditionKind.Waiting && row.Wanted?.RunsLegs() != false)
            return "Not complete yet: the next pass goes on by itself.";
        if (row.Condition is ConditionKind.Held)
            return "Not complete: the move is held. Resume it.";
        if (row.Condition is ConditionKind.NeedsYou)
            return row is { Legs.Count: > 1, ConditionLeg: { } leg }
                ? $"Not complete: {KebabWord.Of(leg)}: {row.Fault?.What}."
                : $"Not complete: {row.Fault?.What}.";
        if (folders.Sum(f => f.Undecided) is > 0 and var undecided)
        {
            var parts = new List<string>();
            if (folders.Sum(f => f.Missing) is > 0 and var missing)
                parts.Add($"{missing} missing on the new side");
            if (folders.Sum(f => f.Twice) is > 0 and var twice)
                parts.Add($"{twice} there twice");
            if (folders.Sum(f => f.Altered) is > 0 and var altered)
                parts.Add($"{altered} altered there");
            return $"Not complete: {undecided} item(s) wait for a decision ({string.Join(", ", parts)}). See the differences, and "
                + "decide.";
        }
        return "Not complete: the last pass did not come to its end. It goes on by itself, or after a catch-up.";
    }

    private static string SentenceOf(List<MoveWaybill> moves)
    {
        var open = moves.Where(m => !m.Closes).ToList();
        if (open.Count == 0)
            return "Everything is accounted for: found = carried + paired + excluded + left behind in every folder, and nothing is "
                + "undecided.";
        var undecided = open.Sum(m => m.Undecided);
        var waiting = undecided == 0 ? "" : $"; {undecided} item(s) wait for a decision";
        return $"Not complete for {open.Count} of {moves.Count} people{waiting}.";
    }
}
