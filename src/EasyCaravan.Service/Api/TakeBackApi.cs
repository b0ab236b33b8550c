using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Removes from the new side what a move put there.</summary>
internal static class TakeBackApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/batches/{batch}/take-back", AskAsync)
            .WithSummary("Has what one move put on the new side removed again, or looked at in a dry run; one that was broken off goes on");
        api.MapGet("/batches/{batch}/take-back", ShowAsync).WithSummary("The last take-back of a move, or its dry run, folder by folder");
        api.MapGet("/batches/{batch}/take-back/kept", KeptAsync).WithSummary("What stays on the new side, and why");
    }

    private static async Task<Results<Ok<TakeBackView>, ProblemHttpResult>> AskAsync(
        string batch,
        TakeBackRequest request,
        Database database,
        Moves moves,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (row, problem) = await FindAsync(database, batch, request.Move, cancel);
        if (row is null)
            return problem!;
        if (!request.IsCheck && !string.Equals(request.ToAccount, row.ToAccount, StringComparison.OrdinalIgnoreCase))
            return Problems.Invalid(
                $"'{request.ToAccount}' is not the account into which {row.FromAccount} moved.",
                "Write out the account of the new side from which everything is to be taken back; nothing was changed"
            );
        if (row.Stage is Stage.Listed or Stage.Surveyed)
            return await ViewAsync(database, row, cancel) is { IsCheck: false, EndedAt: not null } done
                ? TypedResults.Ok(done)
                : Problems.Refused($"Nothing of {row.FromAccount} was carried yet.", "There is nothing to take back");
        if (row.Stage is Stage.Done)
            return Problems.Refused(
                $"The move of {row.FromAccount} is done, and its ways in are forgotten.",
                "What is on the new side is its owner's; nothing was changed"
            );
        if (row.Crossing is { Step: not CrossingStep.Gates })
            return Problems.Refused(
                $"{row.FromAccount} crosses or has crossed: its mail is forwarded.",
                $"Undo the crossing first: caravan crossing {batch} --undo --move {row.FromAccount}"
            );
        var isUnderWay = row.Wanted?.TakesBack() == true && row.Condition is ConditionKind.Running or ConditionKind.Queued;
        if (row.Condition is ConditionKind.Running && !isUnderWay)
            return Problems.Refused(
                $"{row.FromAccount} is being copied at this moment.",
                $"Hold the move first: caravan hold {batch} --move {row.FromAccount}"
            );
        if (request.IsCheck && await IsHalfDoneAsync(database, row.Id, cancel))
            return Problems.Refused(
                $"The move of {row.FromAccount} is half taken back.",
                $"Let it come to its end: caravan take-back {batch} --move {row.FromAccount}"
            );
        if (!isUnderWay)
        {
            var asked = await moves.AskTakeBackAsync(
                batch,
                row.Id,
                request.IsCheck,
                context.User.Identity!.Name!,
                (s, _) => s.TakeBack(request.IsCheck),
                cancel
            );
            signal.Raise();
            foreach (var id in asked)
                live.Touch(id);
        }
        return TypedResults.Ok((await ViewAsync(database, row, cancel))!);
    }

    private static async Task<Results<Ok<TakeBackView>, ProblemHttpResult>> ShowAsync(
        string batch,
        string move,
        Database database,
        CancellationToken cancel
    )
    {
        var (row, problem) = await FindAsync(database, batch, move, cancel);
        if (row is null)
            return problem!;
        return await ViewAsync(database, row, cancel) is { } view ? TypedResults.Ok(view) : NeverAsked(batch, row);
    }

    private static async Task<Results<Ok<Page<TakeBackKept>>, ProblemHttpResult>> KeptAsync(
        string batch,
        string move,
        Database database,
        CancellationToken cancel,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var (skip, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        var (row, problem) = await FindAsync(database, batch, move, cancel);
        if (row is null)
            return problem!;
        await using var db = database.Read();
        if (!await db.TakeBacks.AnyAsync(t => t.MoveId == row.Id, cancel))
            return NeverAsked(batch, row);
        var query =
            from item in db.TakeBackItems
            join folder in db.TakeBackFolders on item.FolderId equals folder.Id
            where folder.MoveId == row.Id && item.State == TakenBack.Kept
            orderby folder.Id, item.Page, item.Number
            select new { item, folder };
        var (total, size) = (await query.CountAsync(cancel), Paging.SizeOf(limit));
        var rows = await query.Skip((int)(skip ?? 0)).Take(size).ToListAsync(cancel);
        return TypedResults.Ok(
            Paging.Placed(
                rows.ConvertAll(r => new TakeBackKept(
                    ContractWord.To<MoveKind>(r.folder.Kind),
                    r.folder.Place,
                    r.item.Title,
                    ContractWord.To<KeptWord>(r.item.Because!.Value),
                    WhyOf(r.item.Because.Value)
                )),
                skip ?? 0,
                total
            )
        );
    }

    private static ProblemHttpResult NeverAsked(string batch, MoveRow row) =>
        Problems.NotFound(
            $"Nobody has asked for the move of {row.FromAccount} to be taken back.",
            $"See what it would do: caravan take-back {batch} --move {row.FromAccount} --check"
        );

    private static async Task<(MoveRow? Row, ProblemHttpResult? Problem)> FindAsync(
        Database database,
        string batch,
        string who,
        CancellationToken cancel
    )
    {
        var (found, problem) = await Selection.ResolveAsync(database, batch, [who], cancel);
        if (found is not [var id])
            return (null, problem);
        await using var db = database.Read();
        return (await db.Moves.Include(m => m.Crossing).FirstAsync(m => m.Id == id, cancel), null);
    }

    private static async Task<bool> IsHalfDoneAsync(Database database, long move, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.TakeBacks.AnyAsync(t => t.MoveId == move && !t.IsCheck && t.EndedAt == null, cancel);
    }

    private static async Task<TakeBackView?> ViewAsync(Database database, MoveRow row, CancellationToken cancel)
    {
        await using var db = database.Read();
        if (await db.TakeBacks.FirstOrDefaultAsync(t => t.MoveId == row.Id, cancel) is not { } takeBack)
            return null;
        var folders = await db.TakeBackFolders.Where(f => f.MoveId == row.Id).OrderBy(f => f.Kind).ThenBy(f => f.Place).ToListAsync(cancel);
        var ids = folders.ConvertAll(f => f.Id);
        var sums = (
            await db
                .TakeBackItems.Where(i => ids.Contains(i.FolderId))
                .GroupBy(i => new { i.FolderId, i.State })
                .Select(g => new
                {
                    g.Key.FolderId,
                    g.Key.State,
                    Count = g.LongCount(),
                })
                .ToListAsync(cancel)
        ).ToLookup(s => s.FolderId);
        var views = folders.ConvertAll(f =>
        {
            long Of(TakenBack state) => sums[f.Id].Where(s => s.State == state).Sum(s => s.Count);
            return new TakeBackFolder(
                ContractWord.To<MoveKind>(f.Kind),
                f.Place,
                Of(TakenBack.Removed),
                Of(TakenBack.Restored),
                Of(TakenBack.Kept),
                Of(TakenBack.NotThere),
                ContractWord.To<TakenFolderWord>(f.State)
            );
        });
        return new TakeBackView(
            row.FromAccount,
            row.Name,
            takeBack.Account,
            MoveViews.Time(takeBack.AskedAt)!.Value,
            takeBack.AskedBy,
            takeBack.IsCheck,
            MoveViews.Time(takeBack.EndedAt),
            views.Sum(v => v.Removed),
            views.Sum(v => v.Restored),
            views.Sum(v => v.Kept),
            views.Sum(v => v.NotThere),
            views
        );
    }

    private static string WhyOf(KeptBecause because) =>
        because switch
        {
            KeptBecause.FlagsChanged => "somebody changed its flags on the new side",
            KeptBecause.Different => "it is not what was carried: somebody edited it, or the new side stored something else",
            KeptBecause.OriginalGone => "its original is no longer on the old side, so nothing proves what it is",
            KeptBecause.Unreadable => "one of the sides does not give it out",
            KeptBecause.PlaceUnknown => "the new side never told where it put it",
            KeptBecause.NotDeletable => "the new side cannot delete single items",
            KeptBecause.StillThere => "the new side did not delete it",
            KeptBecause.WouldSend => "to delete it would send a cancellation to others, which the new side cannot be kept from",
        };
}
