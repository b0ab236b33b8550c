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

    private static Task<Results<Ok<FolderPreview>, ProblemHttpResult>> ShowAsync(
        string batch,
        SurveyCache cache,
        CurrentPlan current,
        Database database,
        CancellationToken cancel,
        string? move = null
    ) => PreviewAsync(batch, move, null, cache, current, database, cancel);

    private static Task<Results<Ok<FolderPreview>, ProblemHttpResult>> TryAsync(
        string batch,
        FolderRulesRequest request,
        SurveyCache cache,
        CurrentPlan current,
        Database database,
        CancellationToken cancel,
        string? move = null
    ) => PreviewAsync(batch, move, request.Rules, cache, current, database, cancel);

    private static async Task<Results<Ok<FolderPreview>, ProblemHttpResult>> PreviewAsync(
        string batch,
        string? only,
        string? whatIf,
        SurveyCache cache,
        CurrentPlan current,
        Database database,
        CancellationToken cancel
    )
    {
        if (await cache.LoadAsync(batch, cancel) is not { } surveyed)
            return BatchApi.NoBatch(batch);
        var plan = surveyed.Plan;
        if (whatIf is not null)
        {
            var (changed, problem) = await WithRulesAsync(current, surveyed.Route.Name, whatIf, cancel);
            if (problem is not null)
                return problem;
            plan = changed!.Value.Plan;
        }
        if (only is not null)
        {
            var (ids, unknown) = await Selection.ResolveAsync(database, batch, [only], cancel);
            if (unknown is not null)
                return unknown;
            var move = surveyed.Moves.First(m => m.Move.Id == ids![0]);
            if (await cache.InventoryAsync(move.Move.Id, cancel) is not { } inventory)
                return Problems.NotFound(
                    $"Nobody has looked at {move.Move.FromAccount} yet.",
                    $"Look with: caravan survey {batch} --move {move.Move.FromAccount}"
                );
            var rules = (await cache.RulesAsync(plan, batch, cancel))(move.Move);
            var digest = SurveyDigest.Make(inventory, rules, surveyed.From, surveyed.To, []);
            return TypedResults.Ok(
                PreviewOf(
                    batch,
                    move.Move.FromAccount,
                    [(move, digest)],
                    [.. LandingsOf(inventory, rules, surveyed.To, await RenamedAsync(database, move.Move.Id, cancel))]
                )
            );
        }
        if (whatIf is null)
            return TypedResults.Ok(PreviewOf(batch, null, [.. surveyed.Whole.Select(m => (m, m.Digest!))], []));
        var rulesOf = await cache.RulesAsync(plan, batch, cancel);
        var tried = new List<(SurveyedMove, SurveyDigest)>();
        await foreach (var (move, inventory) in cache.InventoriesAsync(surveyed.Whole, cancel))
            tried.Add((move, SurveyDigest.Make(inventory, rulesOf(move.Move), surveyed.From, surveyed.To, [])));
        return TypedResults.Ok(PreviewOf(batch, null, tried, []));
    }

    private static FolderPreview PreviewOf(
        string batch,
        string? account,
        List<(SurveyedMove Move, SurveyDigest Digest)> people,
        List<LandingView> landings
    )
    {
        var (folders, landing) = (people.Sum(p => p.Digest.Folders), people.Sum(p => p.Digest.Landing));
        var rules = people
            .SelectMany(p => p.Digest.Rules)
            .GroupBy(r => (r.Rule, r.Leaves))
            .Select(g => new RuleUse(g.Key.Rule, g.Key.Leaves, g.Sum(r => r.Folders), g.Sum(r => r.Messages)))
            .OrderByDescending(r => r.Folders)
            .ToList();
        return new FolderPreview(
            batch,
            account,
            Summarise(folders, landing, rules),
            people.Count,
            folders,
            landing,
            folders - landing,
            rules,
            account is not null
                ? []
                :
                [
                    .. people.Select(p => new PersonPreview(
                        p.Move.Move.FromAccount,
                        p.Move.Move.Name,
                        p.Digest.Folders,
                        p.Digest.Landing,
                        p.Digest.Folders - p.Digest.Landing,
                        p.Digest.Changed,
                        p.Digest.Merged
                    )),
                ],
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
        return plan.Routes.Any(r => r.Name == route)
            ? TypedResults.Ok(
                new FolderRulesView(
                    route,
                    PlanText.FolderRulesOf(row!.Text, route),
                    [.. plan.Batches.Where(b => b.Route == route).Select(b => b.Name)]
                )
            )
            : Problems.NotFound($"There is no route '{route}'.", $"The plan has {string.Join(", ", plan.Routes.Select(r => r.Name))}");
    }

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
        if (plan.Routes.All(r => r.Name != route))
            return (
                null,
                Problems.NotFound($"There is no route '{route}'.", $"The plan has {string.Join(", ", plan.Routes.Select(r => r.Name))}")
            );
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
