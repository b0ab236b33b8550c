using System.Collections.Immutable;
using System.Globalization;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>
/// The people of a plan against those that the store holds. Works batch by batch, so that a plan of 50,000 people is never held as rows all
/// at once.
/// </summary>
internal sealed class PlanPeople(CaravanDb db, ISecrets secrets, Instant now)
{
    private readonly List<Known> _gone = [];

    public List<PersonChange> Changes { get; } = [];

    public List<PlanError> Errors { get; } = [];

    /// <summary>What has to be known of everybody to see whether the plan may be applied.</summary>
    private sealed record Known(long Id, string Batch, string FromAccount, string ToAccount, Stage Stage, bool IsRunning, bool HasCarried)
    {
        public bool HasBegun => Stage is not (Stage.Listed or Stage.Surveyed) && !IsOver;

        /// <summary>Nothing more is done for them; what was done stays on record.</summary>
        public bool IsOver => Stage is Stage.Withdrawn or Stage.Done;
    }

    /// <summary>Finds conflicts with the plan, before anything is changed.</summary>
    /// <param name="errands">Batches that are none of the plan's.</param>
    public async Task CheckAsync(Plan plan, string planFile, IReadOnlyList<string> errands, CancellationToken cancel)
    {
        var known = await db
            .Moves.AsNoTracking()
            .Where(m => !errands.Contains(m.Batch))
            .Select(m => new Known(m.Id, m.Batch, m.FromAccount, m.ToAccount, m.Stage, m.Condition == ConditionKind.Running, m.Carried > 0))
            .ToDictionaryAsync(m => (m.Batch, m.FromAccount.ToUpperInvariant()), cancel);
        foreach (var batch in plan.Batches)
        foreach (var person in batch.People)
        {
            // What was carried has to be taken back from where it is, not from where the roster says later.
            if (
                known.Remove((batch.Name, person.FromAccount.ToUpperInvariant()), out var move)
                && (move.HasBegun || move.HasCarried)
                && move.ToAccount != person.ToAccount
            )
                Errors.Add(
                    new PlanError(
                        batch.RosterFile,
                        person.Line,
                        $"{person.FromAccount} has begun to move to {move.ToAccount} and cannot now go to {person.ToAccount}",
                        $"keep {move.ToAccount}, or first run: caravan take-back {batch.Name} --move {person.FromAccount}"
                    )
                );
        }
        _gone.AddRange(known.Values.OrderBy(m => m.Id));
        // A person who has begun to move is never dropped by an edit of a file.
        foreach (var gone in _gone.Where(g => g.HasBegun || g.IsRunning))
            Errors.Add(
                new PlanError(
                    planFile,
                    1,
                    $"{gone.FromAccount} of batch {gone.Batch} has begun to move but is no longer in the plan",
                    gone.Stage is Stage.Crossing or Stage.Settling
                        ? $"keep the person, or first run: caravan crossing {gone.Batch} --undo (or --finish) --move {gone.FromAccount}"
                        : $"keep the person, or first run: caravan withdraw {gone.Batch} --move {gone.FromAccount}"
                )
            );
    }

    /// <summary>Adds and changes the people of one batch.</summary>
    public async Task SetAsync(Batch batch, ImmutableArray<Kind> carry, bool dryRun, CancellationToken cancel)
    {
        var existing = await db
            .Moves.AsNoTracking()
            .Where(m => m.Batch == batch.Name)
            .ToDictionaryAsync(m => m.FromAccount.ToUpperInvariant(), cancel);
        var rows = batch.People.Select(p => existing.GetValueOrDefault(p.FromAccount.ToUpperInvariant())).ToArray();
        // Sealing and opening secrets takes most of the time, and each is by itself.
        var (changed, added) = (new bool[rows.Length], new MoveRow?[rows.Length]);
        Parallel.For(0, rows.Length, i =>
        {
            if (rows[i] is { } row)
                changed[i] = Differs(row, batch.People[i]);
            else if (!dryRun)
                added[i] = Seal(
                    new MoveRow
                    {
                        Batch = batch.Name,
                        FromAccount = batch.People[i].FromAccount,
                        Name = "",
                        ToAccount = "",
                        FromLogin = "",
                        ToLogin = "",
                    },
                    batch.People[i]
                );
        });
        for (var i = 0; i < rows.Length; i++)
            if (rows[i] is null || changed[i])
                Changes.Add(new PersonChange(batch.Name, batch.People[i].FromAccount, rows[i] is null ? "added" : "changed"));
        if (dryRun)
            return;
        await NewMoves.InsertAsync(db, batch.Name, [.. added.OfType<MoveRow>()], carry, now, cancel);
        var people = Enumerable.Range(0, rows.Length).Where(i => changed[i]).ToDictionary(i => rows[i]!.Id, i => batch.People[i]);
        foreach (var ids in people.Keys.Chunk(500))
        foreach (var row in await db.Moves.AsTracking().Where(m => ids.Contains(m.Id)).ToListAsync(cancel))
            Seal(row, people[row.Id]);
        await db.SaveChangesAsync(cancel);
        db.ChangeTracker.Clear();
    }

    /// <summary>
    /// People who are in no roster any more and never began to move go, with what a survey found; what was written in the journal stays.
    /// </summary>
    public async Task RemoveGoneAsync(bool dryRun, CancellationToken cancel)
    {
        Changes.AddRange(_gone.Select(g => new PersonChange(g.Batch, g.FromAccount, "gone")));
        if (dryRun)
            return;
        await RemoveAsync(db, _gone.Where(g => !g.IsOver).Select(g => g.Id), cancel);
    }

    /// <summary>All people of a batch, with what the store knows of them beside the journal.</summary>
    public static async Task RemoveBatchAsync(CaravanDb db, string batch, CancellationToken cancel) =>
        await RemoveAsync(db, await db.Moves.Where(m => m.Batch == batch).Select(m => m.Id).ToListAsync(cancel), cancel);

    private static async Task RemoveAsync(CaravanDb db, IEnumerable<long> moves, CancellationToken cancel)
    {
        foreach (var ids in moves.Chunk(500))
        {
            await ForgottenSecrets.ForgetAsync(db, ids, cancel);
            var places = ids.Select(id => id.ToString(CultureInfo.InvariantCulture)).ToList();
            await db.Surveys.Where(s => ids.Contains(s.MoveId)).ExecuteDeleteAsync(cancel);
            await db.PassLegs.Where(l => ids.Contains(l.MoveId)).ExecuteDeleteAsync(cancel);
            await db.Passes.Where(p => ids.Contains(p.MoveId)).ExecuteDeleteAsync(cancel);
            await TakeBacks.RemoveAsync(db, ids, cancel);
            await Crossings.RemoveAsync(db, ids, cancel);
            await db.MadePlaces.Where(p => ids.Contains(p.MoveId)).ExecuteDeleteAsync(cancel);
            await db.Comparisons.Where(c => ids.Contains(c.MoveId)).ExecuteDeleteAsync(cancel);
            await db.Decisions.Where(c => c.Scope == DecisionScope.Move && places.Contains(c.Place)).ExecuteDeleteAsync(cancel);
            await db.Legs.Where(l => ids.Contains(l.MoveId)).ExecuteDeleteAsync(cancel);
            await db.Moves.Where(m => ids.Contains(m.Id)).ExecuteDeleteAsync(cancel);
        }
    }

    private bool Differs(MoveRow row, RosterPerson person) =>
        (row.Name, row.ToAccount, row.Note, row.ToUnder, row.ToRoot, row.Language, row.Notify, row.ForwardTo)
            != (person.Name, person.ToAccount, person.Note, person.ToUnder, person.ToRoot, person.Language, person.Notify, person.ForwardTo)
        || !StaysLogin(row.FromLogin, row.FromLoginBefore, person.FromLogin)
        || !StaysLogin(row.ToLogin, row.ToLoginBefore, person.ToLogin)
        || (row.Stage is not (Stage.Done or Stage.Withdrawn) && SecretsDiffer(row, person));

    private bool SecretsDiffer(MoveRow row, RosterPerson person) =>
        (row.FromSecretReference, row.ToSecretReference) != (person.FromSecretReference?.ToString(), person.ToSecretReference?.ToString())
        || !StaysSecret(row.FromSecret, row.FromSecretBefore, person.FromSecret)
        || !StaysSecret(row.ToSecret, row.ToSecretBefore, person.ToSecret);

    /// <summary>The roster says what is in force, or still what a person replaced by something else here.</summary>
    private static bool StaysLogin(string login, string? before, string rosters) => login == rosters || before == rosters;

    private bool StaysSecret(string? sealedSecret, string? before, string? rosters) =>
        Holds(sealedSecret, rosters) || (before is not null && Holds(before, rosters));

    /// <summary>An empty secret keeps the one that is sealed: rosters are often stored without them afterwards.</summary>
    private bool Holds(string? sealedSecret, string? secret)
    {
        try
        {
            return secret is null || (sealedSecret is not null && secrets.Open(sealedSecret) == secret);
        }
        catch (FaultException)
        {
            return false;
        }
    }

    /// <summary>Puts what the roster says of a person into the row.</summary>
    private MoveRow Seal(MoveRow row, RosterPerson person)
    {
        (row.Name, row.ToAccount, row.Note) = (person.Name, person.ToAccount, person.Note);
        (row.Language, row.Notify, row.ForwardTo) = (person.Language, person.Notify, person.ForwardTo);
        if (!StaysLogin(row.FromLogin, row.FromLoginBefore, person.FromLogin))
            (row.FromLogin, row.FromLoginBefore) = (person.FromLogin, null);
        if (!StaysLogin(row.ToLogin, row.ToLoginBefore, person.ToLogin))
            (row.ToLogin, row.ToLoginBefore) = (person.ToLogin, null);
        (row.ToUnder, row.ToRoot) = (person.ToUnder, person.ToRoot);
        // What was forgotten when the move was done or withdrawn stays forgotten, also where the roster still has it.
        if (row.Stage is Stage.Done or Stage.Withdrawn)
            return row;
        (row.FromSecretReference, row.ToSecretReference) = (person.FromSecretReference?.ToString(), person.ToSecretReference?.ToString());
        if (!StaysSecret(row.FromSecret, row.FromSecretBefore, person.FromSecret))
            (row.FromSecret, row.FromSecretBefore) = (secrets.Seal(person.FromSecret!), null);
        if (!StaysSecret(row.ToSecret, row.ToSecretBefore, person.ToSecret))
            (row.ToSecret, row.ToSecretBefore) = (secrets.Seal(person.ToSecret!), null);
        return row;
    }
}
