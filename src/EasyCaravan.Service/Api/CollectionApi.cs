using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Where address books and calendars land, as the last survey and the rules in force have it.</summary>
internal static class CollectionApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/collections", ListAsync)
            .WithSummary("Where the address books and calendars of surveyed people land; a page holds so many people as the limit says");
        api.MapGet("/batches/{batch}/preview", PreviewAsync)
            .WithSummary(
                "What carrying would do with contacts and events: with all that stand in files, and elsewhere with those that the new side "
                    + "has already; a page holds so many people as the limit says"
            );
    }

    private static async Task<Results<Ok<Page<CollectionLandingView>>, ProblemHttpResult>> ListAsync(
        string batch,
        CurrentPlan current,
        Database database,
        CancellationToken cancel,
        string? move = null,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan?.Batches.Any(b => b.Name == batch) is not true)
            return BatchApi.NoBatch(batch);
        if (Paging.Read(cursor) is var (behind, problem) && problem is not null)
            return problem;
        var size = Paging.SizeOf(limit);
        await using var db = database.Read();
        var rows = await SurveyedAsync(db, batch, move, behind, size, cancel);
        var rulesOf = await Decisions.RulesAsync(db, plan, batch, cancel);
        var landings = rows.Take(size)
            .SelectMany(r =>
                Surveys
                    .InventoryOf(r.Survey)
                    .Kinds.SelectMany(kind => Draw(kind, rulesOf(r.Move)).Select(l => ViewOf(r.Move.Name, r.Move.FromAccount, kind, l)))
            )
            .ToList();
        return TypedResults.Ok(new Page<CollectionLandingView>(landings, NextOf(rows, size), null));
    }

    private static async Task<Results<Ok<Page<ItemForecastView>>, ProblemHttpResult>> PreviewAsync(
        string batch,
        CurrentPlan current,
        Database database,
        CancellationToken cancel,
        string? move = null,
        ItemForecastWord? only = null,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan?.Batches.Any(b => b.Name == batch) is not true)
            return BatchApi.NoBatch(batch);
        if (Paging.Read(cursor) is var (behind, problem) && problem is not null)
            return problem;
        var size = Paging.SizeOf(limit);
        await using var db = database.Read();
        var rows = await SurveyedAsync(db, batch, move, behind, size, cancel);
        var lines =
            from row in rows.Take(size)
            from kind in Surveys.ForecastsOf(row.Survey).OrderBy(k => k.Key)
            from line in kind.Value
            let forecast = ContractWord.To<ItemForecastWord>(line.Forecast)
            where only is null || forecast == only
            select new ItemForecastView(
                row.Move.Name,
                row.Move.FromAccount,
                MoveViews.WordOf(kind.Key),
                line.Collection,
                line.Place,
                line.Title,
                line.Whom,
                forecast,
                line.Why
            );
        return TypedResults.Ok(new Page<ItemForecastView>([.. lines], NextOf(rows, size), null));
    }

    private sealed record Surveyed(MoveRow Move, SurveyRow Survey);

    private static Task<List<Surveyed>> SurveyedAsync(
        CaravanDb db,
        string batch,
        string? move,
        long? behind,
        int size,
        CancellationToken cancel
    ) =>
        (
            from own in db.Moves
            join survey in db.Surveys on own.Id equals survey.MoveId
            where own.Batch == batch && own.Id > (behind ?? 0) && (move == null || own.FromAccount == move || own.Name == move)
            orderby own.Id
            select new Surveyed(own, survey)
        )
            .Take(size + 1)
            .ToListAsync(cancel);

    private static string? NextOf(List<Surveyed> rows, int size) =>
        rows.Count > size ? rows[size - 1].Move.Id.ToString(System.Globalization.CultureInfo.InvariantCulture) : null;

    private static IReadOnlyList<CollectionLanding> Draw(KindInventory kind, CarryRules rules) =>
        CollectionMap.Draw(
            kind.Kind is Kind.Contacts ? rules.Contacts : rules.Calendars,
            [.. kind.From.Select(c => c.State)],
            [.. kind.To.Select(c => c.State)],
            new Dictionary<Href, Href>()
        );

    private static CollectionLandingView ViewOf(string name, string account, KindInventory kind, CollectionLanding landing)
    {
        var inventory = kind.From.First(c => new Href(c.Path) == landing.From.Href);
        return new(
            name,
            account,
            MoveViews.WordOf(kind.Kind),
            landing.From.Title,
            KebabWord.Of(landing.From.Standing),
            inventory.Items,
            landing.Title,
            landing is { To: null, Title: not null },
            landing.Why,
            inventory.Forecast is { } f && landing.Title is not null
                ? new ForecastCountsView(f.New, f.Same, f.Merge, f.Unclear, f.Unreadable)
                : null
        );
    }
}
