using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Items that could not be carried, and what people decide about them.</summary>
internal static class LeftBehindApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/left-behind", ListAsync).WithSummary("What could not be carried, why, and what to do");
        api.MapPost("/batches/{batch}/left-behind", DecideAsync).WithSummary("Accepts that items stay behind, or has them tried again");
    }

    public static async Task<List<LeftBehindView>> LoadAsync(
        CaravanDb db,
        string batch,
        IReadOnlyCollection<long>? moves,
        bool includeAccepted,
        CancellationToken cancel
    ) => [.. (await Rows(db, batch, moves, includeAccepted).OrderBy(r => r.Item.Id).ToListAsync(cancel)).Select(r => ViewOf(batch, r))];

    private sealed class PlacedItem
    {
        public required LeftBehindRow Item { get; init; }
        public required string From { get; init; }
        public required string Account { get; init; }
    }

    private static IQueryable<PlacedItem> Rows(CaravanDb db, string batch, IReadOnlyCollection<long>? moves, bool includeAccepted)
    {
        var query =
            from item in db.LeftBehind
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            where move.Batch == batch && (includeAccepted || item.State != LeftBehindState.Accepted)
            select new
            {
                item,
                folder,
                move,
            };
        if (moves is not null)
            query = query.Where(r => moves.Contains(r.move.Id));
        return query.Select(r => new PlacedItem
        {
            Item = r.item,
            From = r.folder.From,
            Account = r.move.FromAccount,
        });
    }

    private static LeftBehindView ViewOf(string batch, PlacedItem placed)
    {
        var item = placed.Item;
        return new LeftBehindView(
            item.Id,
            batch,
            placed.Account,
            placed.From,
            item.Subject,
            item.Sender,
            DateTimeOffset.Parse(item.Received, CultureInfo.InvariantCulture),
            item.Size,
            item.Messages,
            Problems.Of(new Fault(item.Cause, item.Whom, item.What, item.Code) { Help = item.Help }),
            ContractWord.To<LeftBehindWord>(item.State),
            item.AcceptedBy
        );
    }

    private static async Task<Results<Ok<Page<LeftBehindView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CancellationToken cancel,
        string? move = null,
        bool accepted = false,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var (after, wrong) = Paging.Read(cursor);
        if (wrong is not null)
            return wrong;
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        await using var db = database.Read();
        var (query, size) = (Rows(db, batch, only, accepted), Paging.SizeOf(limit));
        var total = await query.CountAsync(cancel);
        if (after is not null)
            query = query.Where(r => r.Item.Id > after);
        var rows = await query.OrderBy(r => r.Item.Id).Take(size + 1).ToListAsync(cancel);
        return TypedResults.Ok(Paging.Of(rows.ConvertAll(r => ViewOf(batch, r)), size, v => v.Id, total));
    }

    private static async Task<Results<Ok<LeftBehindDecided>, ProblemHttpResult>> DecideAsync(
        string batch,
        LeftBehindDecision decision,
        Database database,
        Moves moves,
        CurrentPlan current,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, decision.Moves, cancel);
        if (problem is not null)
            return problem;
        var who = context.User.Identity!.Name!;
        var (items, touched) = await moves.DecideLeftBehindAsync(batch, only, decision.Items, decision.Accept, who, cancel);
        if (!decision.Accept && touched.Count > 0)
        {
            var timetable = await current.TimetableOfAsync(batch, cancel);
            await moves.StepAsync(
                batch,
                touched,
                who,
                "asked for a pass to try again what was left behind",
                (s, now) => s.RetryItems(timetable, now),
                cancel
            );
            signal.Raise();
        }
        foreach (var move in touched)
            live.Touch(move);
        return TypedResults.Ok(new LeftBehindDecided(items, touched.Count));
    }
}
