using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Surveying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Where folders land: under the rules in force, and under others before they are put in force.</summary>
internal static class FolderApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/folders", ShowAsync).WithSummary("Where the folders of a batch, or of one person, land");
        api.MapPost("/batches/{batch}/folders", TryAsync).WithSummary("Where they would land under other folder rules; changes nothing");
        api.MapGet("/routes/{route}/folders", RulesAsync).WithSummary("The folder rules of a route");
        api.MapPut("/routes/{route}/folders", SetAsync)
            .WithSummary("Puts other folder rules in force: the plan's text is changed at this one place");
    }

    /// <summary>Which people a preview lists, and in which order.</summary>
    private sealed record Listing(string? Cursor, long Skip, int Limit, string? Search, string? Sort, bool Descending);

    private static Task<Results<Ok<FolderPreview>, ProblemHttpResult>> ShowAsync(
        string batch,
        SurveyCache cache,
        FolderTrials trials,
        CurrentPlan current,
        Database database,
        CancellationToken cancel,
        string? move = null,
        string? cursor = null,
        long skip = 0,
        int limit = Paging.Usual,
        string? search = null,
        [WordOf<PreviewOrder>] string? sort = null,
        bool descending = false
    ) =>
        move is null
            ? PreviewAsync(batch, null, new(cursor, skip, limit, search, sort, descending), cache, trials, current, cancel)
            : PreviewOneAsync(batch, move, null, cache, current, database, cancel);

    private static Task<Results<Ok<FolderPreview>, ProblemHttpResult>> TryAsync(
        string batch,
        FolderRulesRequest request,
        SurveyCache cache,
        FolderTrials trials,
        CurrentPlan current,
        Database database,
        CancellationToken cancel,
        string? move = null,
        string? cursor = null,
        long skip = 0,
        int limit = Paging.Usual,
        string? search = null,
        [WordOf<PreviewOrder>] string? sort = null,
        bool descending = false
    ) =>
        move is null
            ? PreviewAsync(batch, request.Rules, new(cursor, skip, limit, search, sort, descending), cache, trials, current, cancel)
            : PreviewOneAsync(batch, move, request.Rules, cache, current, database, cancel);

    private static async Task<Results<Ok<FolderPreview>, ProblemHttpResult>> PreviewAsync(
        string batch,
        string? whatIf,
        Listing listing,
        SurveyCache cache,
        FolderTrials trials,
        CurrentPlan current,
        CancellationToken cancel
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        if (MoveFilters.ReadOrder(listing.Sort, out PreviewOrder order) is { } noOrder)
            return noOrder;
        var (after, wrong) = Paging.ReadPlace(listing.Cursor);
        if (wrong is not null)
            return wrong;
        var (plan, problem) = await PlanWithAsync(current, surveyed, whatIf, cancel);
        if (problem is not null)
            return problem;
        var counts = whatIf is null
            ? [.. surveyed.Whole.Select(m => PreviewedPerson.Of(m.Move, m.Digest!))]
            : await trials.TryAsync(surveyed, plan!, whatIf, cancel);
        var people = counts.Select(c => c.Person).Where(p => Paging.Fits(listing.Search, p.Name, p.Account));
        var page = Paging.Window(
            [.. InOrder(people, order, listing.Descending)],
            after ?? Math.Max(0, listing.Skip),
            Paging.SizeOf(listing.Limit)
        );
        return TypedResults.Ok(PreviewOf(batch, null, counts, page, []));
    }

    private static async Task<Results<Ok<FolderPreview>, ProblemHttpResult>> PreviewOneAsync(
        string batch,
        string who,
        string? whatIf,
        SurveyCache cache,
        CurrentPlan current,
        Database database,
        CancellationToken cancel
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        var (plan, problem) = await PlanWithAsync(current, surveyed, whatIf, cancel);
        if (problem is not null)
            return problem;
        var (ids, unknown) = await Selection.ResolveAsync(database, batch, [who], cancel);
        if (unknown is not null)
            return unknown;
        var move = surveyed.Moves.First(m => m.Move.Id == ids![0]).Move;
        if (await cache.InventoryAsync(move.Id, cancel) is not { } inventory)
            return Problems.NotFound(
                $"Nobody has looked at {move.FromAccount} yet.",
                $"Look with: caravan survey {batch} --move {move.FromAccount}"
            );
        var rules = (await cache.RulesAsync(plan!, batch, cancel))(move);
        var digest = SurveyDigest.Make(inventory, rules, surveyed.From, surveyed.To, []);
        return TypedResults.Ok(
            PreviewOf(
                batch,
                move.FromAccount,
                [PreviewedPerson.Of(move, digest)],
                new Page<PersonPreview>([], null, 0),
                [.. LandingsOf(inventory, rules, surveyed.To, await RenamedAsync(database, move.Id, cancel))]
            )
        );
    }

    /// <summary>The plan in force, or with other folder rules.</summary>
    private static async Task<(Plan? Plan, ProblemHttpResult? Problem)> PlanWithAsync(
        CurrentPlan current,
        SurveyedBatch surveyed,
        string? rules,
        CancellationToken cancel
    )
    {
        if (rules is null)
            return (surveyed.Plan, null);
        var (changed, problem) = await WithRulesAsync(current, surveyed.Route.Name, rules, cancel);
        return (changed?.Plan, problem);
    }

    private static IEnumerable<PersonPreview> InOrder(IEnumerable<PersonPreview> people, PreviewOrder order, bool descending)
    {
        IEnumerable<PersonPreview> By<T>(Func<PersonPreview, T> key, IComparer<T>? comparer = null) =>
            descending ? people.OrderByDescending(key, comparer) : people.OrderBy(key, comparer);
        return order switch
        {
            PreviewOrder.Roster => descending ? people.Reverse() : people,
            PreviewOrder.Name => By(p => p.Name, StringComparer.InvariantCultureIgnoreCase),
            PreviewOrder.Account => By(p => p.Account, StringComparer.OrdinalIgnoreCase),
            PreviewOrder.Folders => By(p => p.Folders),
            PreviewOrder.Landing => By(p => p.Landing),
            PreviewOrder.LeftBehind => By(p => p.LeftBehind),
            PreviewOrder.Changed => By(p => p.Changed),
            PreviewOrder.Merged => By(p => p.Merged),
        };
    }

    private static FolderPreview PreviewOf(
        string batch,
        string? account,
        IReadOnlyList<PreviewedPerson> counts,
        Page<PersonPreview> people,
        IReadOnlyList<LandingView> landings
    )
    {
        var (folders, landing) = (counts.Sum(c => c.Person.Folders), counts.Sum(c => c.Person.Landing));
        var rules = counts
            .SelectMany(c => c.Rules)
            .GroupBy(r => (r.Rule, r.Leaves))
            .Select(g => new RuleUse(g.Key.Rule, g.Key.Leaves, g.Sum(r => r.Folders), g.Sum(r => r.Messages)))
            .OrderByDescending(r => r.Folders)
            .ToList();
        return new FolderPreview(
            batch,
            account,
            Summarise(folders, landing, rules),
            counts.Count,
            folders,
            landing,
            folders - landing,
            rules,
            people,
            landings
        );
    }

    /// <summary>Such as "14 of 15 folders land; 1 left out by rule 2 (Trash)".</summary>
    private static string Summarise(int folders, int landing, List<RuleUse> rules)
    {
        if (folders == 0)
            return "No folder is known yet";
        var left = rules.Where(r => r.Leaves).Select(r => $"{r.Folders} left out by {r.Rule}");
        return string.Join("; ", left.Prepend($"{landing} of {folders} folder{(folders == 1 ? "" : "s")} land{(folders == 1 ? "s" : "")}"));
    }

    /// <summary>Where the rules put a folder, and the name that its owner has given that place since.</summary>
    private static async Task<Dictionary<(string From, string To), string>> RenamedAsync(
        Database database,
        long move,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var rows = await db.LedgerFolders.Where(f => f.MoveId == move && f.RenamedFrom != null && f.To != null).ToListAsync(cancel);
        return rows.GroupBy(f => (f.From, f.RenamedFrom!)).ToDictionary(g => g.Key, g => g.Last().To!);
    }

    private static IEnumerable<LandingView> LandingsOf(
        Inventory inventory,
        CarryRules rules,
        Core.Planning.Service to,
        Dictionary<(string From, string To), string> renamed
    )
    {
        if (inventory.MapFor(rules, to.Names) is not { } map)
            yield break;
        var folders = inventory.From!.Folders.ToDictionary(f => f.Path);
        var carried = CarryVolumes.Of(inventory.From, map, rules.Mail);
        foreach (var landing in map.Landings)
        {
            var folder = folders[landing.From.Path.ToString()];
            var (messages, octets) = carried[folder.Path];
            var (place, note) = (landing.To?.ToString(), landing.Note);
            if (place is not null && renamed.TryGetValue((folder.Path, place), out var now))
                (place, note) = (now, $"its owner renamed '{place}' on the new side");
            yield return new LandingView(
                folder.Path,
                SurveyApi.UseWord(folder.Use),
                folder.Messages,
                messages,
                octets.Count,
                place,
                landing.Rule,
                note
            );
        }
    }

    private static async Task<Results<Ok<FolderRulesView>, ProblemHttpResult>> RulesAsync(
        string route,
        CurrentPlan current,
        CancellationToken cancel
    )
    {
        var (plan, row) = await current.GetAsync(cancel);
        if (plan is null)
            return PlanApi.NoPlan();
        return PlanText.FolderRulesOf(row!.Text, route) is { } rules
            ? TypedResults.Ok(new FolderRulesView(route, rules, [.. plan.Batches.Where(b => b.Route == route).Select(b => b.Name)]))
            : NoRoute(plan, route);
    }

    /// <summary>The plan has none of this name; or an errand has it, for which it was chosen once and for all.</summary>
    private static ProblemHttpResult NoRoute(Plan plan, string route) =>
        plan.Routes.Any(r => r.Name == route)
            ? Problems.Refused(
                $"'{route}' packs or unpacks, and has the rules that it was asked for with.",
                "Pack or unpack anew with other folders"
            )
            : Problems.NotFound($"There is no route '{route}'.", $"The plan has {string.Join(", ", plan.Routes.Select(r => r.Name))}");

    private static async Task<Results<Ok<FolderRulesView>, ProblemHttpResult>> SetAsync(
        string route,
        FolderRulesRequest request,
        CurrentPlan current,
        Plans plans,
        WorkSignal signal,
        Live.LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (_, row) = await current.GetAsync(cancel);
        var (changed, problem) = await WithRulesAsync(current, route, request.Rules, cancel);
        if (problem is not null)
            return problem;
        if (request.Before is { } before && PlanText.FolderRulesOf(row!.Text, route) != before)
            return Problems.Refused(
                $"Somebody else changed the rules of '{route}' meanwhile.",
                "Look at what is in force now, and make your change there"
            );
        await plans.RewriteAsync(
            row!,
            changed!.Value.Text,
            $"changed the folder rules of the route {route}",
            context.User.Identity!.Name!,
            cancel
        );
        current.Forget();
        signal.Raise();
        live.TouchPlan();
        return await RulesAsync(route, current, cancel);
    }

    /// <summary>The plan in force with other rules in one route, read and found sound.</summary>
    private static async Task<((string Text, Plan Plan)? Changed, ProblemHttpResult? Problem)> WithRulesAsync(
        CurrentPlan current,
        string route,
        string rules,
        CancellationToken cancel
    )
    {
        var (plan, row) = await current.GetAsync(cancel);
        if (plan is null)
            return (null, PlanApi.NoPlan());
        if (PlanText.FolderRulesOf(row!.Text, route) is null)
            return (null, NoRoute(plan, route));
        string text;
        try
        {
            text = PlanText.WithFolderRules(row!.Text, route, rules);
        }
        catch (FormatException e)
        {
            return (
                null,
                Problems.InvalidPlan([
                    new PlanProblem("folder rules", 1, e.Message, "a YAML list such as - {match: \"Projects/**\", to: \"Work/**\"}"),
                ])
            );
        }
        var (read, errors) = PlanFile.Read(Plans.BundleOf(row, text), withRosters: false);
        // The person sees only the rules, so line numbers count from the first line of the list.
        if (read is null)
            return (
                null,
                Problems.InvalidPlan([.. errors.Select(e => new PlanProblem("folder rules", LineInList(text, e.Line), e.What, e.Allowed))])
            );
        return ((text, read), null);
    }

    private static int LineInList(string text, int line)
    {
        var lines = text.Split('\n');
        for (var at = Math.Min(line, lines.Length) - 1; at >= 0; at--)
            if (lines[at].TrimStart().StartsWith("folders:", StringComparison.Ordinal))
                return Math.Max(1, line - at - 1);
        return 1;
    }
}
