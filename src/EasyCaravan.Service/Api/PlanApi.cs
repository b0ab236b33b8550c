using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Hosting;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;
using Microsoft.Net.Http.Headers;

namespace EasyCaravan.Service.Api;

/// <summary>Checking, applying and showing the plan.</summary>
internal static class PlanApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/plan/check", Check)
            .WithMetadata(new RequestSizeLimitAttribute(BodyLimits.Plan))
            .WithSummary("Checks a plan and its rosters without changing anything");
        api.MapPost("/plan/apply", ApplyAsync)
            .WithMetadata(new RequestSizeLimitAttribute(BodyLimits.Plan))
            .WithSummary("Puts a plan in force: all of it, or nothing. With If-Match only in place of a known one");
        api.MapGet("/plan", ShowAsync).WithSummary("The plan in force, with an ETag for If-Match");
        api.MapGet("/plan/schema", Schema).WithSummary("The JSON Schema of plan files");
    }

    private static ContentHttpResult Schema() => TypedResults.Text(PlanFile.Schema, "application/schema+json");

    private static PlanCheck Check(PlanSubmission submission)
    {
        var (plan, errors) = PlanFile.Read(BundleOf(submission));
        return new PlanCheck(
            plan is not null,
            ProblemsOf(errors),
            plan is null ? [] : [.. plan.Batches.Select(b => BatchOf(plan, b, b.People.Length))]
        );
    }

    private static async Task<Results<Ok<PlanApplied>, ProblemHttpResult>> ApplyAsync(
        PlanSubmission submission,
        Plans plans,
        CurrentPlan current,
        Database database,
        Scheduling.TimetableChanges timetables,
        ServiceThrottle throttle,
        AccessTokens tokens,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel,
        [FromHeader(Name = "If-Match")] string? ifMatch = null,
        bool dryRun = false
    )
    {
        if (!TryReadExpected(ifMatch, out var expected))
            return Problems.Invalid($"'{ifMatch}' is no list of entity tags.", "Give the ETag that GET /api/v1/plan answered with");
        var bundle = BundleOf(submission);
        var (plan, errors) = PlanFile.Read(bundle);
        if (plan is null)
            return Problems.InvalidPlan(ProblemsOf(errors));
        var outcome = await plans.ApplyAsync(plan, bundle, context.User.Identity!.Name!, dryRun, expected, cancel);
        if (outcome.Errors.Count > 0)
            return Problems.InvalidPlan(ProblemsOf(outcome.Errors));
        // Told before, and asked for while the plan before it is still in force.
        var changes = dryRun ? await timetables.OfAsync(plan, cancel) : [];
        if (!dryRun)
        {
            current.Forget();
            throttle.Forget();
            if (outcome.People.Any(c => c.Change == "gone"))
                tokens.Forget();
            signal.Raise();
            live.TouchPlan();
        }
        await using var db = database.Read();
        return TypedResults.Ok(
            new PlanApplied(
                dryRun,
                [.. outcome.People.Select(c => new PlanChange(c.Batch, c.Account, c.Change))],
                outcome.Settings,
                changes,
                dryRun ? null : await NextAsync(db, cancel)
            )
        );
    }

    /// <summary>The command to run next: first to retry what was corrected, then to survey new people.</summary>
    private static async Task<string?> NextAsync(CaravanDb db, CancellationToken cancel)
    {
        var stopped = await db
            .Moves.Where(m => m.Condition == ConditionKind.NeedsYou)
            .GroupBy(m => m.Batch)
            .Select(g => new { Batch = g.Key, People = g.Count() })
            .OrderBy(g => g.Batch)
            .FirstOrDefaultAsync(cancel);
        if (stopped is not null)
            return $"Try again what needed you: caravan retry {stopped.Batch} ({stopped.People} "
                + $"{(stopped.People == 1 ? "person" : "people")})";
        var listed = await db.Moves.Where(m => m.Stage == Stage.Listed).OrderBy(m => m.Id).Select(m => m.Batch).FirstOrDefaultAsync(cancel);
        if (listed is not null)
            return $"Look before anything moves: caravan survey {listed} --wait";
        var started = await db
            .Moves.Where(m => m.Stage == Stage.InStep)
            .OrderBy(m => m.Id)
            .Select(m => m.Batch)
            .FirstOrDefaultAsync(cancel);
        return started is null ? null : $"Carry by the new rules: caravan catch-up {started}";
    }

    /// <summary>
    /// Which plan has to be in force, by If-Match (RFC 9110 §13.1.1); null without it. A tag that is not one of ours fits no plan. False
    /// when the header cannot be read.
    /// </summary>
    private static bool TryReadExpected(string? ifMatch, out ExpectedPlan? expected)
    {
        expected = null;
        if (ifMatch is null)
            return true;
        if (!EntityTagHeaderValue.TryParseStrictList([ifMatch], out var tags))
            return false;
        var isAny = tags.Any(t => t.Equals(EntityTagHeaderValue.Any));
        expected = new ExpectedPlan(isAny ? null : tags.Select(IdOf).OfType<long>().ToHashSet());
        return true;

        static long? IdOf(EntityTagHeaderValue tag) =>
            long.TryParse(tag.Tag.AsSpan().Trim('"'), NumberStyles.None, CultureInfo.InvariantCulture, out var id) ? id : null;
    }

    private static async Task<Results<Ok<PlanView>, ProblemHttpResult>> ShowAsync(
        CurrentPlan current,
        Database database,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (plan, row) = await current.GetAsync(cancel);
        if (plan is null)
            return NoPlan();
        context.Response.Headers.ETag = $"\"{row!.Id}\"";
        await using var db = database.Read();
        var people = await db.Moves.GroupBy(m => m.Batch).ToDictionaryAsync(g => g.Key, g => g.Count(), cancel);
        // Errands stand beside the plan, and not in it.
        var errands = await db.Errands.Select(e => e.Name).ToHashSetAsync(cancel);
        return TypedResults.Ok(
            new PlanView(
                row.File,
                row.Text,
                DateTimeOffset.FromUnixTimeMilliseconds(row.AppliedAt),
                row.AppliedBy,
                [.. plan.Batches.Where(b => !errands.Contains(b.Name)).Select(b => BatchOf(plan, b, people.GetValueOrDefault(b.Name)))]
            )
        );
    }

    public static ProblemHttpResult NoPlan() =>
        Problems.NotFound("No plan was applied yet.", "Write a plan file and run: caravan plan apply FILE");

    private static PlanBundle BundleOf(PlanSubmission submission) => new(submission.Name, submission.Text, submission.Files);

    private static List<PlanProblem> ProblemsOf(IEnumerable<PlanError> errors) =>
        [.. errors.Select(e => new PlanProblem(e.File, e.Line, e.What, e.Allowed))];

    private static PlanBatch BatchOf(Plan plan, Batch batch, int people)
    {
        var route = plan.Routes.First(r => r.Name == batch.Route);
        return new PlanBatch(
            batch.Name,
            route.Name,
            route.From,
            route.To,
            batch.RosterFile,
            batch.Timetable is { } timetable ? TimetableWords.Describe(timetable) : null,
            people
        );
    }
}
