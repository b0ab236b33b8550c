using System.Text.Json;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>What applying a plan changed, or would change.</summary>
/// <param name="People">Whom.</param>
/// <param name="Settings">What else of the plan, in words.</param>
/// <param name="Errors">Why nothing was applied; none when it was.</param>
public sealed record PlanOutcome(IReadOnlyList<PersonChange> People, IReadOnlyList<string> Settings, IReadOnlyList<PlanError> Errors);

/// <summary>The plan that has to be in force for another to take its place.</summary>
/// <param name="Ids">One of these; null: any plan, but there has to be one.</param>
public sealed record ExpectedPlan(IReadOnlySet<long>? Ids)
{
    /// <param name="inForce">Null: no plan is in force.</param>
    public bool IsMetBy(long? inForce) => inForce is { } id && (Ids is null || Ids.Contains(id));
}

/// <summary>What applying a plan does, or would do, to one person.</summary>
public sealed record PersonChange(string Batch, string Account, string Change);

/// <summary>The plan in force, and applying a new one.</summary>
public sealed class Plans(Database database, Journal journal, ISecrets secrets, TimeProvider time)
{
    /// <summary>The plan as applied last, without its people; null before the first.</summary>
    public async Task<(Plan Plan, PlanRow Row)?> CurrentAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await CurrentAsync(db, cancel);
    }

    private static async Task<(Plan Plan, PlanRow Row)?> CurrentAsync(CaravanDb db, CancellationToken cancel)
    {
        var row = await db.Plans.AsNoTracking().OrderByDescending(p => p.Id).FirstOrDefaultAsync(cancel);
        if (row is null)
            return null;
        var (plan, errors) = PlanFile.Read(BundleOf(row, row.Text), withRosters: false, await Errands.ReadAsync(db, cancel));
        return plan is not null
            ? (plan, row)
            : throw new InvalidOperationException($"The applied plan is no longer understood: {errors[0]}");
    }

    /// <summary>The plan as it would be with another errand, which is the last of its batches; or what is wrong with that.</summary>
    /// <param name="textOf">Its piece of plan, by a name.</param>
    public async Task<(Plan? Plan, PlanError? Wrong)> TryErrandAsync(Func<string, string> textOf, CancellationToken cancel)
    {
        const string Trial = "errand";
        await using var db = database.Read();
        var row = await db.Plans.AsNoTracking().OrderByDescending(p => p.Id).FirstAsync(cancel);
        var errands = await Errands.ReadAsync(db, cancel);
        var (plan, errors) = PlanFile.Read(BundleOf(row, row.Text), withRosters: false, [.. errands, new Errand(Trial, textOf(Trial))]);
        return (plan, plan is null ? errors[0] : null);
    }

    /// <summary>An applied plan with the files that were kept with it, and this text.</summary>
    public static PlanBundle BundleOf(PlanRow row, string text) =>
        new(row.File, text, JsonSerializer.Deserialize<Dictionary<string, string>>(row.FilesJson)!);

    /// <summary>Puts the plan in force with a changed text, checked before; its people stay as they are.</summary>
    /// <param name="basis">The plan that was changed: if another one is in force by now, it would be lost.</param>
    /// <param name="what">For the journal.</param>
    /// <exception cref="StalePlanException">Another plan is in force by now.</exception>
    public Task RewriteAsync(PlanRow basis, string text, string what, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var before = await db.Plans.AsNoTracking().OrderByDescending(p => p.Id).FirstAsync(cancel);
                if (before.Id != basis.Id)
                    throw new StalePlanException();
                db.Plans.Add(
                    new PlanRow
                    {
                        File = before.File,
                        Text = text,
                        FilesJson = before.FilesJson,
                        Rosters = before.Rosters,
                        AppliedAt = time.GetUtcNow().ToUnixTimeMilliseconds(),
                        AppliedBy = who,
                    }
                );
                journal.Add(db, who, null, null, what);
            },
            cancel
        );

    /// <summary>Applies a checked plan: all of it, or nothing when there is a conflict.</summary>
    /// <param name="dryRun">Only says what would change.</param>
    /// <param name="expected">Which plan has to be in force; null: any, or none.</param>
    /// <exception cref="StalePlanException">None of the expected plans is in force.</exception>
    public Task<PlanOutcome> ApplyAsync(
        Plan plan,
        PlanBundle bundle,
        string who,
        bool dryRun,
        ExpectedPlan? expected,
        CancellationToken cancel
    )
    {
        // Whoever only asks shall keep nobody waiting, and wait for nobody.
        if (!dryRun)
            return database.WriteAsync(WorkAsync, cancel);
        return LookAsync();

        async Task<PlanOutcome> LookAsync()
        {
            await using var db = database.Read();
            await using var sight = await db.Database.BeginTransactionAsync(cancel);
            return await WorkAsync(db);
        }

        async Task<PlanOutcome> WorkAsync(CaravanDb db)
        {
            var before = await CurrentAsync(db, cancel);
            if (expected is not null && !expected.IsMetBy(before?.Row.Id))
                throw new StalePlanException();
            var errands = await Errands.ReadAsync(db, cancel);
            if (PlanFile.Read(bundle, withRosters: false, errands) is { Plan: null, Errors: var conflicts })
                return new PlanOutcome([], [], conflicts);
            var people = new PlanPeople(db, secrets, Instant.FromDateTimeOffset(time.GetUtcNow()));
            await people.CheckAsync(plan, bundle.Name, [.. errands.Select(e => e.Name)], cancel);
            if (people.Errors.Count > 0)
                return new PlanOutcome([], [], people.Errors);
            var known = RosterDigests.Open(before?.Row.Rosters, secrets);
            var digests = RosterDigests.Of(plan, bundle);
            foreach (var batch in plan.Batches.Where(b => known.GetValueOrDefault(b.Name) != digests[b.Name]))
                await people.SetAsync(batch, plan.Routes.First(r => r.Name == batch.Route).Carry, dryRun, cancel);
            await people.RemoveGoneAsync(dryRun, cancel);
            var changes = people.Changes;
            var now = Instant.FromDateTimeOffset(time.GetUtcNow());
            IReadOnlyList<string> settings =
            [
                .. PlanChanges.Between(before?.Row.Text, bundle.Text),
                .. PastStarts(before?.Plan, plan, now),
            ];
            if (dryRun)
                return new PlanOutcome(changes, settings, []);
            await ReopenExcludedAsync(db, before?.Plan, plan, cancel);
            await RescheduleAsync(db, before?.Plan, plan, cancel);
            await ChangeKindsAsync(db, before?.Plan, plan, cancel);
            var rosters = plan.Batches.Select(b => b.RosterFile).ToHashSet();
            db.Plans.Add(
                new PlanRow
                {
                    File = bundle.Name,
                    Text = bundle.Text,
                    FilesJson = JsonSerializer.Serialize(bundle.Files.Where(f => !rosters.Contains(f.Key)).ToDictionary()),
                    Rosters = RosterDigests.Seal(digests, secrets),
                    AppliedAt = time.GetUtcNow().ToUnixTimeMilliseconds(),
                    AppliedBy = who,
                }
            );
            journal.Add(db, who, null, null, $"applied the plan {bundle.Name}: {string.Join("; ", settings.Prepend(Summarise(changes)))}");
            if (changes.Any(c => c.Change == "gone"))
                database.MayHoldForgotten = true;
            return new PlanOutcome(changes, settings, []);
        }
    }

    /// <summary>A start that lies in the past starts nobody, which whoever wrote it has to know.</summary>
    private static IEnumerable<string> PastStarts(Plan? before, Plan plan, Instant now) =>
        from batch in plan.Batches
        where batch.Timetable?.StartsAt < now
        where before?.Batches.FirstOrDefault(b => b.Name == batch.Name)?.Timetable?.StartsAt != batch.Timetable!.StartsAt
        select $"batch {batch.Name}: its start lies in the past, so that it starts nobody by itself (caravan start {batch.Name})";

    public static string Summarise(IReadOnlyList<PersonChange> changes) =>
        changes.Count == 0 ? "no person changed" : string.Join(", ", changes.GroupBy(c => c.Change).Select(g => $"{g.Count()} {g.Key}"));

    /// <summary>When a route's mail rules changed, the messages that they had excluded are examined again.</summary>
    private static async Task ReopenExcludedAsync(CaravanDb db, Plan? before, Plan plan, CancellationToken cancel)
    {
        var routes = plan
            .Routes.Where(r => before?.Routes.FirstOrDefault(o => o.Name == r.Name) is { } old && old.Mail != r.Mail)
            .Select(r => r.Name)
            .ToHashSet();
        foreach (var batch in plan.Batches.Where(b => routes.Contains(b.Route)))
        {
            await Excluded.ReopenAsync(db, await db.Moves.Where(m => m.Batch == batch.Name).Select(m => m.Id).ToListAsync(cancel), cancel);
        }
    }

    /// <summary>
    /// Where a timetable changed, moves wait for other windows; a new rhythm counts from now. Priorities put moves elsewhere in line.
    /// </summary>
    private async Task RescheduleAsync(CaravanDb db, Plan? before, Plan plan, CancellationToken cancel)
    {
        var now = Instant.FromDateTimeOffset(time.GetUtcNow());
        foreach (var batch in plan.Batches)
        {
            var old = before?.Batches.FirstOrDefault(b => b.Name == batch.Name);
            if (old is not null && !Equals(old.Timetable, batch.Timetable))
            {
                var rows = await db
                    .Moves.AsTracking()
                    .Include(m => m.Legs)
                    .Include(m => m.Crossing)
                    .Where(m => m.Batch == batch.Name && m.Condition != ConditionKind.Running && m.Condition != ConditionKind.Held)
                    .ToListAsync(cancel);
                foreach (var row in rows)
                {
                    var state = MoveStates.StateOf(row);
                    if (state.Reschedule(old.Timetable, batch.Timetable, now) is var after && after != state)
                        MoveStates.Apply(row, after, now);
                }
                await db.SaveChangesAsync(cancel);
                db.ChangeTracker.Clear();
            }
            if (old?.Priority != batch.Priority)
                await Handicaps.SetAsync(db, batch, plan.RouteOf(batch).QueueOrder, cancel);
        }
    }

    /// <summary>When a route carries other kinds than before, legs are added to or removed from its moves.</summary>
    private async Task ChangeKindsAsync(CaravanDb db, Plan? before, Plan plan, CancellationToken cancel)
    {
        var now = Instant.FromDateTimeOffset(time.GetUtcNow());
        foreach (var batch in plan.Batches)
        {
            var carry = plan.Routes.First(r => r.Name == batch.Route).Carry;
            var routeBefore = before?.Batches.FirstOrDefault(b => b.Name == batch.Name)?.Route;
            if (before?.Routes.FirstOrDefault(r => r.Name == routeBefore) is not { } old || old.Carry.SequenceEqual(carry))
                continue;
            var rows = await db
                .Moves.AsTracking()
                .Include(m => m.Legs)
                .Include(m => m.Crossing)
                .Where(m => m.Batch == batch.Name)
                .ToListAsync(cancel);
            foreach (var row in rows)
                MoveStates.Apply(row, MoveStates.StateOf(row).Carry(carry, batch.Timetable, now), now);
            await db.SaveChangesAsync(cancel);
            foreach (var row in rows)
                await Totals.SumLegsAsync(db, row.Id, cancel);
        }
    }
}
