using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>The proof.</summary>
internal static class WaybillApi
{
    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/batches/{batch}/waybill", GetAsync).WithSummary("What was found and what became of it, per move and folder");

    private static async Task<Results<Ok<BatchWaybill>, ProblemHttpResult>> GetAsync(
        string batch, CurrentPlan current, Database database, TimeProvider time, CancellationToken cancel, string? move = null)
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null) return problem;
        var (plan, _) = await current.GetAsync(cancel);
        if (plan?.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned) return BatchApi.NoBatch(batch);
        var route = plan.Routes.First(r => r.Name == planned.Route);
        await using var db = database.Read();
        var rows = await db.Moves.Where(m => m.Batch == batch && (only == null || only.Contains(m.Id))).OrderBy(m => m.Id).ToListAsync(cancel);
        var ids = rows.Select(r => r.Id).ToList();
        var left = (await LeftBehindApi.LoadAsync(db, batch, ids, includeAccepted: true, cancel)).ToLookup(i => i.Account);
        var foldersByMove = await BatchApi.FoldersAsync(db, ids, cancel);
        // Folders to which no pass has come yet stand nowhere: only one that came to its end has seen them all.
        var last = db.Passes.Where(p => ids.Contains(p.MoveId) && p.Kind != PassKind.Survey && p.EndedAt != null).GroupBy(p => p.MoveId).Select(g => g.Max(p => p.Id));
        var seen = (await db.Passes.Where(p => last.Contains(p.Id) && !p.Stopped && p.Fault == null).Select(p => p.MoveId).ToListAsync(cancel)).ToHashSet();
        var moves = new List<MoveWaybill>(rows.Count);
        foreach (var row in rows)
        {
            var folders = foldersByMove[row.Id].ToList();
            moves.Add(new MoveWaybill(
                row.FromAccount, row.ToAccount, row.Name, Enum.Parse<MoveStage>(row.Stage.ToString()), Sum(folders.Select(f => f.Counts)),
                folders.Sum(f => f.Gone), folders.Sum(f => f.Missing), seen.Contains(row.Id) && folders.TrueForAll(f => f.Closes), folders, [.. left[row.FromAccount]]));
        }
        return TypedResults.Ok(new BatchWaybill(batch, route.From, route.To, time.GetUtcNow(), Sum(moves.Select(m => m.Total)), moves.All(m => m.Closes), moves));
    }

    private static Counts Sum(IEnumerable<Counts> counts) => counts.Aggregate(new Counts(0, 0, 0, 0, 0), (a, b) => new Counts(
        a.Found + b.Found, a.Carried + b.Carried, a.Paired + b.Paired, a.Excluded + b.Excluded, a.LeftBehind + b.LeftBehind));
}
