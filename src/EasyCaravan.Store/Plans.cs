using System.Text.Json;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>What applying a plan does, or would do, to one person.</summary>
public sealed record PersonChange(string Batch, string Account, string Change);

/// <summary>The plan in force, and how a new one takes its place.</summary>
public sealed class Plans(Database database, Journal journal, ISecrets secrets, TimeProvider time)
{
    /// <summary>The plan as applied last, without its people; null before the first.</summary>
    public async Task<(Plan Plan, PlanRow Row)?> CurrentAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        var row = await db.Plans.OrderByDescending(p => p.Id).FirstOrDefaultAsync(cancel);
        if (row is null)
            return null;
        var (plan, errors) = PlanFile.Read(BundleOf(row, row.Text), withRosters: false);
        return plan is not null
            ? (plan, row)
            : throw new InvalidOperationException($"The applied plan is no longer understood: {errors[0]}");
    }

    /// <summary>An applied plan with the files that were kept with it, and this text.</summary>
    public static PlanBundle BundleOf(PlanRow row, string text) =>
        new(row.File, text, JsonSerializer.Deserialize<Dictionary<string, string>>(row.FilesJson)!);

    /// <summary>Puts the plan in force with a changed text, checked before; its people stay as they are.</summary>
    /// <param name="what">For the journal.</param>
    public Task RewriteAsync(string text, string what, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var before = await db.Plans.OrderByDescending(p => p.Id).FirstAsync(cancel);
                db.Plans.Add(
                    new PlanRow
                    {
                        File = before.File,
                        Text = text,
                        FilesJson = before.FilesJson,
                        AppliedAt = time.GetUtcNow().ToUnixTimeMilliseconds(),
                        AppliedBy = who,
                    }
                );
                journal.Add(db, who, null, null, what);
            },
            cancel
        );

    /// <summary>Puts a checked plan in force, all of it or, when anything speaks against it, nothing.</summary>
    /// <param name="dryRun">Only says what would change.</param>
    public Task<(IReadOnlyList<PersonChange> Changes, IReadOnlyList<PlanError> Errors)> ApplyAsync(
        Plan plan,
        PlanBundle bundle,
        string who,
        bool dryRun,
        CancellationToken cancel
    ) =>
        database.WriteAsync<(IReadOnlyList<PersonChange>, IReadOnlyList<PlanError>)>(
            async db =>
            {
                var before = await CurrentAsync(cancel);
                var existing = (await db.Moves.AsTracking().ToListAsync(cancel)).ToDictionary(m =>
                    (m.Batch, m.FromAccount.ToUpperInvariant())
                );
                var changes = new List<PersonChange>();
                var errors = new List<PlanError>();
                foreach (var batch in plan.Batches)
                {
                    var carry = plan.Routes.First(r => r.Name == batch.Route).Carry;
                    foreach (var person in batch.People)
                    {
                        existing.Remove((batch.Name, person.FromAccount.ToUpperInvariant()), out var row);
                        if (Set(db, batch, person, row, carry, errors) is { } change)
                            changes.Add(new PersonChange(batch.Name, person.FromAccount, change));
                    }
                }
                foreach (var gone in existing.Values)
                {
                    // A person who has begun to move is never dropped by an edit of a file.
                    if (gone.Stage is not (Stage.Listed or Stage.Surveyed or Stage.Withdrawn) || gone.Condition is ConditionKind.Running)
                    {
                        errors.Add(
                            new PlanError(
                                bundle.Name,
                                1,
                                $"{gone.FromAccount} of batch {gone.Batch} has begun to move but is no longer in the plan",
                                $"keep the person, or first run: caravan withdraw {gone.Batch} --move {gone.FromAccount}"
                            )
                        );
                        continue;
                    }
                    changes.Add(new PersonChange(gone.Batch, gone.FromAccount, "gone"));
                    if (!dryRun && gone.Stage is not Stage.Withdrawn)
                        await RemoveAsync(db, gone, cancel);
                }
                if (errors.Count > 0 || dryRun)
                {
                    db.ChangeTracker.Clear();
                    return (changes, errors);
                }
                await db.SaveChangesAsync(cancel);
                await ReopenExcludedAsync(db, before?.Plan, plan, cancel);
                Reschedule(db, before?.Plan, plan);
                await ChangeKindsAsync(db, before?.Plan, plan, cancel);
                var rosters = plan.Batches.Select(b => b.RosterFile).ToHashSet();
                db.Plans.Add(
                    new PlanRow
                    {
                        File = bundle.Name,
                        Text = bundle.Text,
                        FilesJson = JsonSerializer.Serialize(bundle.Files.Where(f => !rosters.Contains(f.Key)).ToDictionary()),
                        AppliedAt = time.GetUtcNow().ToUnixTimeMilliseconds(),
                        AppliedBy = who,
                    }
                );
                var settings = PlanChanges.Between(before?.Row.Text, bundle.Text);
                journal.Add(
                    db,
                    who,
                    null,
                    null,
                    $"applied the plan {bundle.Name}: {string.Join("; ", settings.Prepend(Summarise(changes)))}"
                );
                return (changes, errors);
            },
            cancel
        );

    /// <summary>Somebody who never began to move goes with what a survey found; what was written in the journal stays.</summary>
    private static async Task RemoveAsync(CaravanDb db, MoveRow move, CancellationToken cancel)
    {
        var id = move.Id.ToString(System.Globalization.CultureInfo.InvariantCulture);
        await db.Surveys.Where(s => s.MoveId == move.Id).ExecuteDeleteAsync(cancel);
        await db.PassLegs.Where(l => l.MoveId == move.Id).ExecuteDeleteAsync(cancel);
        await db.Passes.Where(p => p.MoveId == move.Id).ExecuteDeleteAsync(cancel);
        await db.Legs.Where(l => l.MoveId == move.Id).ExecuteDeleteAsync(cancel);
        await db.Comparisons.Where(c => c.MoveId == move.Id).ExecuteDeleteAsync(cancel);
        await db.Decisions.Where(c => c.Scope == DecisionScope.Move && c.Place == id).ExecuteDeleteAsync(cancel);
        db.Moves.Remove(move);
    }

    public static string Summarise(IReadOnlyList<PersonChange> changes) =>
        changes.Count == 0 ? "no person changed" : string.Join(", ", changes.GroupBy(c => c.Change).Select(g => $"{g.Count()} {g.Key}"));

    private string? Set(CaravanDb db, Batch batch, RosterPerson person, MoveRow? row, IEnumerable<Kind> carry, List<PlanError> errors)
    {
        if (row is null)
        {
            row = new MoveRow
            {
                Batch = batch.Name,
                Name = person.Name,
                FromAccount = person.FromAccount,
                ToAccount = person.ToAccount,
                FromLogin = person.FromLogin,
                ToLogin = person.ToLogin,
                Note = person.Note,
                FromSecretReference = person.FromSecretReference?.ToString(),
                ToSecretReference = person.ToSecretReference?.ToString(),
                ToUnder = person.ToUnder,
                ToRoot = person.ToRoot,
                FromSecret = person.FromSecret is { } f ? secrets.Seal(f) : null,
                ToSecret = person.ToSecret is { } t ? secrets.Seal(t) : null,
            };
            MoveStates.Apply(row, MoveState.New(carry), Instant.FromDateTimeOffset(time.GetUtcNow()));
            db.Moves.Add(row);
            return "added";
        }
        if (row.ToAccount != person.ToAccount && row.Stage is not (Stage.Listed or Stage.Surveyed or Stage.Withdrawn))
        {
            errors.Add(
                new PlanError(
                    batch.RosterFile,
                    person.Line,
                    $"{person.FromAccount} has begun to move to {row.ToAccount} and cannot now go to {person.ToAccount}",
                    $"keep {row.ToAccount}, or first run: caravan withdraw {batch.Name} --move {person.FromAccount}"
                )
            );
            return null;
        }
        var (fromReference, toReference) = (person.FromSecretReference?.ToString(), person.ToSecretReference?.ToString());
        var changed =
            (row.Name, row.ToAccount, row.FromLogin, row.ToLogin, row.Note, row.ToUnder, row.ToRoot)
                != (person.Name, person.ToAccount, person.FromLogin, person.ToLogin, person.Note, person.ToUnder, person.ToRoot)
            || (row.FromSecretReference, row.ToSecretReference) != (fromReference, toReference);
        (row.Name, row.ToAccount, row.FromLogin, row.ToLogin, row.Note) = (
            person.Name,
            person.ToAccount,
            person.FromLogin,
            person.ToLogin,
            person.Note
        );
        (row.FromSecretReference, row.ToSecretReference, row.ToUnder, row.ToRoot) = (
            fromReference,
            toReference,
            person.ToUnder,
            person.ToRoot
        );
        // An empty secret keeps the one that is sealed: rosters are often stored without them afterwards.
        if (person.FromSecret is { } from && !Holds(row.FromSecret, from))
            (row.FromSecret, changed) = (secrets.Seal(from), true);
        if (person.ToSecret is { } to && !Holds(row.ToSecret, to))
            (row.ToSecret, changed) = (secrets.Seal(to), true);
        return changed ? "changed" : null;
    }

    private bool Holds(string? sealedSecret, string secret)
    {
        try
        {
            return sealedSecret is not null && secrets.Open(sealedSecret) == secret;
        }
        catch (Core.Pacing.FaultException)
        {
            return false;
        }
    }

    /// <summary>Where a route's mail rules changed, what they had left out is looked at again.</summary>
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

    /// <summary>Moves that wait for a window of the old timetable wait for one of the new; a new rhythm counts from now.</summary>
    private void Reschedule(CaravanDb db, Plan? before, Plan plan)
    {
        var now = Instant.FromDateTimeOffset(time.GetUtcNow());
        foreach (var batch in plan.Batches)
        {
            var newRhythm =
                before?.Batches.FirstOrDefault(b => b.Name == batch.Name)?.Timetable?.CatchUpEvery != batch.Timetable?.CatchUpEvery;
            var rows = db
                .Moves.AsTracking()
                .Include(m => m.Legs)
                .Where(m =>
                    m.Batch == batch.Name
                    && (
                        (m.Condition == ConditionKind.Waiting && m.WaitsFor == Wait.Window)
                        || (
                            newRhythm
                            && (m.Condition == ConditionKind.Idle || m.Condition == ConditionKind.NeedsYou)
                            && m.Legs.Any(l => l.Stage == Stage.InStep)
                        )
                    )
                );
            foreach (var row in rows.ToList())
                MoveStates.Apply(row, MoveStates.StateOf(row).Reschedule(batch.Timetable, now), now);
        }
    }

    /// <summary>Where a route carries other kinds than before, its moves get and lose legs.</summary>
    private async Task ChangeKindsAsync(CaravanDb db, Plan? before, Plan plan, CancellationToken cancel)
    {
        var now = Instant.FromDateTimeOffset(time.GetUtcNow());
        foreach (var batch in plan.Batches)
        {
            var carry = plan.Routes.First(r => r.Name == batch.Route).Carry;
            var routeBefore = before?.Batches.FirstOrDefault(b => b.Name == batch.Name)?.Route;
            if (before?.Routes.FirstOrDefault(r => r.Name == routeBefore) is not { } old || old.Carry.SequenceEqual(carry))
                continue;
            var rows = await db.Moves.AsTracking().Include(m => m.Legs).Where(m => m.Batch == batch.Name).ToListAsync(cancel);
            foreach (var row in rows)
                MoveStates.Apply(row, MoveStates.StateOf(row).Carry(carry, batch.Timetable, now), now);
            await db.SaveChangesAsync(cancel);
            foreach (var row in rows)
                await Totals.SumLegsAsync(db, row.Id, cancel);
        }
    }
}
