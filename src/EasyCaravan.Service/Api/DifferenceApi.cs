using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Messages that are not on the new side as they are on the old, and what people decide about them.</summary>
internal static class DifferenceApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/differences", ListAsync)
            .WithSummary("What is missing, double or altered on the new side, message by message");
        api.MapPost("/batches/{batch}/differences", DecideAsync)
            .WithSummary("Accepts differences, has missing messages carried again, or second copies removed");
    }

    public static async Task<List<DifferenceView>> LoadAsync(
        CaravanDb db,
        string batch,
        IReadOnlyCollection<long>? moves,
        bool includeDecided,
        CancellationToken cancel
    ) =>
        [
            .. (await Rows(db, batch, moves, includeDecided).OrderBy(r => r.Difference.Id).ToListAsync(cancel)).Select(r =>
                ViewOf(r.Difference, batch, r.Account, r.From, r.To)
            ),
        ];

    private sealed class PlacedDifference
    {
        public required DifferenceRow Difference { get; init; }
        public required string From { get; init; }
        public required string To { get; init; }
        public required string Account { get; init; }
    }

    private static IQueryable<PlacedDifference> Rows(CaravanDb db, string batch, IReadOnlyCollection<long>? moves, bool includeDecided)
    {
        var query =
            from difference in db.Differences
            join folder in db.LedgerFolders on difference.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            where
                move.Batch == batch
                && (
                    includeDecided
                    || (
                        difference.State != DifferenceState.Accepted
                        && difference.Kind != DifferenceKind.Moved
                        && difference.Kind != DifferenceKind.Flags
                        && difference.Kind != DifferenceKind.Removed
                    )
                )
            select new
            {
                difference,
                folder,
                move,
            };
        if (moves is not null)
            query = query.Where(r => moves.Contains(r.move.Id));
        return query.Select(r => new PlacedDifference
        {
            Difference = r.difference,
            From = r.folder.From,
            To = r.folder.To,
            Account = r.move.FromAccount,
        });
    }

    private static DifferenceView ViewOf(DifferenceRow row, string batch, string account, string from, string to)
    {
        var choices =
            row.State is DifferenceState.Accepted ? [] : Enum.GetValues<DifferenceDecision>().Where(d => d.AppliesTo(row.Kind)).ToList();
        return new DifferenceView(
            row.Id,
            batch,
            account,
            from,
            to,
            ContractWord.To<DifferenceWord>(row.Kind),
            row.What,
            RemedyFor(row.Kind),
            row.Subject,
            row.Sender,
            row.Received is { } at ? DateTimeOffset.Parse(at, CultureInfo.InvariantCulture) : null,
            row.Size,
            Difference.NeedsDecision(row.Kind) ? ContractWord.To<DifferenceStateWord>(row.State) : DifferenceStateWord.Told,
            row.DecidedBy,
            DateTimeOffset.FromUnixTimeMilliseconds(row.SeenAt),
            [.. choices.Select(c => ContractWord.To<DifferenceChoice>(c))]
        );
    }

    public static string Summary(DifferenceKind kind, bool one) =>
        kind switch
        {
            DifferenceKind.Missing => one ? "is no longer on the new side" : "are no longer on the new side",
            DifferenceKind.Twice => one ? "stands twice on the new side" : "stand twice on the new side",
            DifferenceKind.Altered => one ? "is not the same on the new side" : "are not the same on the new side",
            DifferenceKind.Moved => "moved by the owner on the new side",
            DifferenceKind.Flags => "with flags that the owner changed on the new side",
            DifferenceKind.Removed => "deleted or moved by the owner on the new side",
        };

    public static string RemedyFor(DifferenceKind kind) =>
        kind switch
        {
            DifferenceKind.Missing => "Carry it again, or accept that it is not on the new side",
            DifferenceKind.Twice => "Remove the second copy, or accept that it stays",
            DifferenceKind.Altered => "Look at it on the new side, and accept it if its owner can live with it",
            DifferenceKind.Moved or DifferenceKind.Flags or DifferenceKind.Removed => "Nothing to do: its owner wanted it so",
        };

    private static async Task<Results<Ok<Page<DifferenceView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CancellationToken cancel,
        string? move = null,
        bool decided = false,
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
        var (query, size) = (Rows(db, batch, only, decided), Paging.SizeOf(limit));
        var total = await query.CountAsync(cancel);
        if (after is not null)
            query = query.Where(r => r.Difference.Id > after);
        var rows = await query.OrderBy(r => r.Difference.Id).Take(size + 1).ToListAsync(cancel);
        return TypedResults.Ok(
            Paging.Of(rows.ConvertAll(r => ViewOf(r.Difference, batch, r.Account, r.From, r.To)), size, v => v.Id, total)
        );
    }

    private static async Task<Results<Ok<DifferencesDecided>, ProblemHttpResult>> DecideAsync(
        string batch,
        DifferencesDecision decision,
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
        var choice = ContractWord.To<DifferenceDecision>(decision.Choice);
        DifferenceKind? kind = decision.Kind is { } word ? ContractWord.To<DifferenceKind>(word) : null;
        var (items, touched) = await moves.DecideDifferencesAsync(batch, only, decision.Items, kind, choice, who, cancel);
        if (choice is not DifferenceDecision.Accept && touched.Count > 0)
        {
            var timetable = await current.TimetableOfAsync(batch, cancel);
            await moves.StepAsync(batch, touched, who, "asked for a catch-up", (s, now) => s.RetryItems(timetable, now), cancel);
            signal.Raise();
        }
        foreach (var move in touched)
            live.Touch(move);
        return TypedResults.Ok(new DifferencesDecided(items, touched.Count));
    }
}
