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
    )
    {
        var query =
            from item in db.LeftBehind
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            where move.Batch == batch && (includeAccepted || item.State != LeftBehindState.Accepted)
            orderby item.Id
            select new
            {
                item,
                folder.From,
                move.Id,
                move.FromAccount,
            };
        if (moves is not null)
            query = query.Where(r => moves.Contains(r.Id));
        return
        [
            .. (await query.ToListAsync(cancel)).Select(r => new LeftBehindView(
                r.item.Id,
                batch,
                r.FromAccount,
                r.From,
                r.item.Subject,
                r.item.Sender,
                DateTimeOffset.Parse(r.item.Received, CultureInfo.InvariantCulture),
                r.item.Size,
                r.item.Messages,
                Problems.Of(new Fault(r.item.Cause, r.item.Whom, r.item.What, r.item.Code) { Help = r.item.Help }),
                KebabWord.Of(r.item.State),
                r.item.AcceptedBy
            )),
        ];
    }

    private static async Task<Results<Ok<List<LeftBehindView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CancellationToken cancel,
        string? move = null,
        bool accepted = false
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        await using var db = database.Read();
        return TypedResults.Ok(await LoadAsync(db, batch, only, accepted, cancel));
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
            live.Touch(batch, move);
        return TypedResults.Ok(new LeftBehindDecided(items, touched.Count));
    }
}
