using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>Moves and claims in the database.</summary>
public sealed class MoveStore(Database database, TimeProvider time) : IMoveStore
{
    /// <summary>How long a worker may be silent before another takes its move.</summary>
    public static readonly TimeSpan Lease = TimeSpan.FromSeconds(30);

    private readonly FlagSets _flagSets = new();

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    public async Task<Claim?> ClaimAsync(string owner, ScheduleRules rules, CancellationToken cancel)
    {
        // Reads first without the write gate, because most of the time nothing is due. A move that another process claims in the
        // meantime is not tried again.
        while (await NextAsync(rules, cancel) is { } next)
            if (await database.WriteAsync(db => TakeAsync(db, next, owner, rules, cancel), cancel) is { } claim)
                return claim;
        return null;
    }

    /// <param name="instead">The batch of a running move that is counted as if it did not run.</param>
    private async Task<DueMove?> NextAsync(ScheduleRules rules, CancellationToken cancel, string? instead = null)
    {
        var (now, queries) = (Now, database.Queries);
        await using var db = database.Read();
        if (await queries.Lost(db, now, [.. rules.Resting], [.. rules.Own], cancel) is { } lost)
            return lost;
        if (await queries.IsAnyToLineUp(db, now, cancel))
            await LineUpAsync(now, cancel);
        return await queries.Next(db, now, await ClosedAsync(db, rules, cancel, instead), cancel);
    }

    /// <summary>Gives every move that became due its place in line.</summary>
    private Task LineUpAsync(long now, CancellationToken cancel) =>
        database.WriteAsync(
            db =>
                db.Database.ExecuteSqlAsync(
                    $"""
                    UPDATE moves SET "Turn" = COALESCE("Since", "DueAt") + "Handicap" WHERE "Turn" IS NULL AND "DueAt" <= {now}
                    """,
                    cancel
                ),
            cancel
        );

    /// <summary>Batches of which nobody may begin now.</summary>
    private async Task<string[]> ClosedAsync(CaravanDb db, ScheduleRules rules, CancellationToken cancel, string? instead = null)
    {
        if (rules.Shares.Count == 0)
            return [.. rules.Resting];
        var running = new Dictionary<string, int>();
        await foreach (var batch in database.Queries.Running(db).WithCancellation(cancel))
            running[batch.Batch] = batch.Batch == instead ? batch.Count - 1 : batch.Count;
        return [.. Schedule.ClosedBatches(rules, running)];
    }

    /// <summary>
    /// Since the read, another process may have claimed the move or the last connection of its service, or a person may have held it: all
    /// is checked again.
    /// </summary>
    private async Task<Claim?> TakeAsync(CaravanDb db, DueMove next, string owner, ScheduleRules rules, CancellationToken cancel)
    {
        var now = Now;
        if (!next.IsLost && (await ClosedAsync(db, rules, cancel)).Contains(next.Batch))
            return null;
        var taken = await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE moves SET "Fence" = {next.Fence + 1}, "LeaseOwner" = {owner}, "LeaseUntil" = {now + (long)Lease.TotalMilliseconds}
            WHERE "Id" = {next.Id} AND "Fence" = {next.Fence} AND ("DueAt" <= {now} OR "Condition" = {(int)
                ConditionKind.Running}) AND ("LeaseUntil" IS NULL OR "LeaseUntil" < {now})
            """,
            cancel
        );
        if (taken == 0)
            return null;
        await CloseLostPassAsync(db, next.Id, now, cancel);
        var row = (await database.Queries.Row(db, next.Id, cancel))!;
        var begins = Instant.FromUnixTimeMilliseconds(now);
        var state = MoveStates.StateOf(row).Run(begins);
        MoveStates.Apply(row, state, begins);
        var isLook = !state.Wanted!.Value.RunsLegs();
        Kind[] legs = isLook ? [] : [.. state.Legs.Where(l => l.IsDue(begins)).Select(l => l.Kind)];
        var pass = new PassRow
        {
            MoveId = next.Id,
            Kind = state.Wanted!.Value,
            StartedAt = now,
        };
        // Surveys and comparisons read mail only.
        pass.Legs.AddRange((isLook ? [Kind.Mail] : legs).Select(k => new PassLegRow { Kind = k, MoveId = next.Id }));
        db.Passes.Add(pass);
        await db.SaveChangesAsync(cancel);
        return new Claim(MoveStates.PersonOf(row), state, legs, owner, row.Fence, pass.Id);
    }

    /// <summary>Counts what a lost worker had settled: it could not do so itself.</summary>
    private static async Task CloseLostPassAsync(CaravanDb db, long move, long now, CancellationToken cancel)
    {
        if (
            await db.Database.ExecuteSqlAsync(
                $"""UPDATE passes SET "EndedAt" = {now}, "Stopped" = {true} WHERE "MoveId" = {move} AND "EndedAt" IS NULL""",
                cancel
            ) == 0
        )
            return;
        var kinds = await db.PassLegs.Where(l => l.MoveId == move && l.EndedAt == null).Select(l => l.Kind).ToListAsync(cancel);
        await db.Database.ExecuteSqlAsync(
            $"""UPDATE pass_legs SET "EndedAt" = {now}, "Stopped" = {true} WHERE "MoveId" = {move} AND "EndedAt" IS NULL""",
            cancel
        );
        foreach (var kind in kinds.Distinct())
            await Totals.RecountAsync(db, move, kind, 0, cancel);
    }

    /// <summary>When the next move falls due that may begin; null when none will by itself.</summary>
    public async Task<Instant?> NextDueAsync(ScheduleRules rules, CancellationToken cancel)
    {
        await using var db = database.Read();
        var closed = await ClosedAsync(db, rules, cancel);
        if (await db.Moves.AnyAsync(m => m.Turn != null && !closed.Contains(m.Batch), cancel))
            return Instant.FromUnixTimeMilliseconds(Now);
        return MoveStates.ToInstant(
            await db
                .Moves.Where(m => m.Turn == null && m.DueAt != null && !closed.Contains(m.Batch))
                .OrderBy(m => m.DueAt)
                .Select(m => m.DueAt)
                .FirstOrDefaultAsync(cancel)
        );
    }

    /// <summary>Whether another move could run and waits for a worker or a connection.</summary>
    /// <param name="instead">The batch of a running move that would make room.</param>
    public async Task<bool> AnyDueAsync(ScheduleRules rules, string? instead, CancellationToken cancel) =>
        await NextAsync(rules, cancel, instead) is not null;

    /// <summary>Makes every move due that waits for a service in trouble.</summary>
    public Task ResumeServiceAsync(string service, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var now = Now;
                var waiting = db.Legs.Where(l => l.WaitsFor == Wait.Service && l.Fault!.Service == service);
                await db
                    .Moves.Where(m =>
                        (m.Condition == ConditionKind.Waiting || m.Condition == ConditionKind.NeedsYou)
                        && m.DueAt != null
                        && ((m.WaitsFor == Wait.Service && m.Fault!.Service == service) || waiting.Any(l => l.MoveId == m.Id))
                    )
                    .ExecuteUpdateAsync(set => set.SetProperty(m => m.DueAt, now).SetProperty(m => m.Since, now), cancel);
                await waiting.ExecuteUpdateAsync(set => set.SetProperty(l => l.Due, now), cancel);
            },
            cancel
        );

    /// <summary>Gives back the leases of an earlier life of this same owner, which was killed before it could.</summary>
    public Task ReleaseAsync(string owner, CancellationToken cancel) =>
        database.WriteAsync(
            db =>
                db.Moves.Where(m => m.LeaseOwner == owner && m.LeaseUntil != null)
                    .ExecuteUpdateAsync(set => set.SetProperty(m => m.LeaseUntil, 0L), cancel),
            cancel
        );

    /// <summary>Proves within a transaction that the lease still holds, and renews it.</summary>
    /// <exception cref="LeaseLostException">Another worker has the move.</exception>
    internal static async Task ProveLeaseAsync(CaravanDb db, Claim claim, long now, CancellationToken cancel)
    {
        var until = now + (long)Lease.TotalMilliseconds;
        var held = await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE moves SET "LeaseUntil" = {until}
            WHERE "Id" = {claim.Person.Id} AND "Fence" = {claim.Fence} AND "LeaseOwner" = {claim.Owner}
            """,
            cancel
        );
        if (held == 0)
            throw new LeaseLostException();
    }

    public Task<bool> RenewAsync(Claim claim, IReadOnlyCollection<Tally> tallies, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var held = await db.Database.ExecuteSqlAsync(
                    $"""
                    UPDATE moves SET "LeaseUntil" = {Now + (long)Lease.TotalMilliseconds}
                    WHERE "Id" = {claim.Person.Id} AND "Fence" = {claim.Fence} AND "LeaseOwner" = {claim.Owner} AND "Condition" = {(int)
                        ConditionKind.Running}
                    """,
                    cancel
                );
                if (held == 0)
                    return false;
                foreach (var tally in tallies)
                    await NoteAsync(db, claim, tally, cancel);
                return true;
            },
            cancel
        );

    public Task PutBackAsync(Claim claim, Func<MoveState, MoveState> next, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                if (await StepAsync(db, claim, next, givesBack: true, cancel) is not null)
                    await RemovePassAsync(db, claim, cancel);
            },
            cancel
        );

    private static async Task RemovePassAsync(CaravanDb db, Claim claim, CancellationToken cancel)
    {
        await db.PassLegs.Where(l => l.PassId == claim.Pass).ExecuteDeleteAsync(cancel);
        await db.Passes.Where(p => p.Id == claim.Pass).ExecuteDeleteAsync(cancel);
    }

    public Task EndAsync(
        Claim claim,
        IReadOnlyCollection<Tally> tallies,
        PassEnd end,
        Func<MoveState, MoveState> next,
        CancellationToken cancel
    ) =>
        database.WriteAsync(
            async db =>
            {
                if (await StepAsync(db, claim, next, givesBack: true, cancel) is not { } row)
                    return;
                // What a crossing does stands with its acts; most of its passes only look whether something has come.
                if (claim.State.Wanted is PassKind.Crossing)
                {
                    await RemovePassAsync(db, claim, cancel);
                    return;
                }
                await db.Database.ExecuteSqlAsync(
                    $"""
                    UPDATE passes SET "EndedAt" = {Now}, "Stopped" = {end.Stopped}, "Fault" = {end.Fault?.ToString()}
                    WHERE "Id" = {claim.Pass}
                    """,
                    cancel
                );
                var isLook = claim.State.Wanted?.RunsLegs() == false;
                foreach (var tally in tallies)
                {
                    var ended = end.Legs.FirstOrDefault(l => l.Kind == tally.Kind);
                    var (stopped, fault) = isLook ? (end.Stopped, end.Fault) : (ended is null, ended?.Fault);
                    var leg = isLook ? null : row.Legs.Find(l => l.Kind == tally.Kind);
                    await EndLegAsync(db, claim, tally, stopped, fault, leg, cancel);
                }
            },
            cancel
        );

    public Task EndLegAsync(Claim claim, Tally tally, LegEnd end, Func<MoveState, MoveState> next, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                if (await StepAsync(db, claim, next, givesBack: false, cancel) is not { } row)
                    throw new LeaseLostException();
                await EndLegAsync(db, claim, tally, false, end.Fault, row.Legs.Find(l => l.Kind == tally.Kind), cancel);
            },
            cancel
        );

    /// <summary>Writes the move's next state; null where the lease was lost, and nothing is written.</summary>
    /// <param name="givesBack">Takes the lease off the move.</param>
    private async Task<MoveRow?> StepAsync(
        CaravanDb db,
        Claim claim,
        Func<MoveState, MoveState> next,
        bool givesBack,
        CancellationToken cancel
    )
    {
        var row = await database.Queries.Row(db, claim.Person.Id, cancel);
        if (row is null || row.Fence != claim.Fence || row.LeaseOwner != claim.Owner)
            return null;
        // Read again: a person may have held or withdrawn the move meanwhile.
        MoveStates.Apply(row, next(MoveStates.StateOf(row)), Instant.FromUnixTimeMilliseconds(Now));
        if (givesBack)
            (row.LeaseOwner, row.LeaseUntil) = (null, null);
        await db.SaveChangesAsync(cancel);
        return row;
    }

    /// <param name="leg">Null for a survey or comparison, which settle nothing.</param>
    private async Task EndLegAsync(
        CaravanDb db,
        Claim claim,
        Tally tally,
        bool stopped,
        Core.Pacing.Fault? fault,
        LegRow? leg,
        CancellationToken cancel
    )
    {
        await NoteAsync(db, claim, tally, cancel);
        await db.Database.ExecuteSqlAsync(
            $"""
            UPDATE pass_legs SET "EndedAt" = {Now}, "Stopped" = {stopped}, "Fault" = {fault?.ToString()}, "Folder" = NULL
            WHERE "PassId" = {claim.Pass} AND "Kind" = {(int)tally.Kind}
            """,
            cancel
        );
        if (leg is null)
            return;
        var settledBefore = leg.Carried + leg.Paired + leg.Excluded + Math.Max(0, leg.LeftBehind - tally.LeftBehind);
        if (!stopped && fault is null)
            await Totals.UpdateAsync(db, leg.MoveId, leg.Kind, cancel);
        else if (tally.Settled > 0)
            await Totals.RecountAsync(db, leg.MoveId, leg.Kind, settledBefore + tally.Expected, cancel);
    }

    /// <summary>
    /// Runs the queries of a pass once, for a move that does not exist. Translating them takes longer than running them; done while the
    /// service starts, it does not delay the first pass.
    /// </summary>
    public async Task PrepareAsync(CancellationToken cancel)
    {
        var nobody = new Claim(
            new MovePerson(0, "", "", "", "", "", "", null, null, null, null, null, null),
            MoveState.New(),
            [],
            "",
            -1,
            0
        );
        var ledger = new Ledger(database, _flagSets, time, nobody, Kind.Mail);
        // With a share, so that what runs over a service is counted, too.
        var rules = new ScheduleRules([], [new ServiceShare("", 1, [""])]);
        await NextAsync(rules, cancel);
        await NextDueAsync(rules, cancel);
        await ledger.PrepareAsync(cancel);
        await using var db = database.Read();
        await database.Queries.Row(db, 0, cancel);
        await Handicaps.SetAsync(db, new Batch("", "", "", [], null), QueueOrder.AsListed, cancel);
    }

    public ILedger LedgerOf(Claim claim, Kind kind) => new Ledger(database, _flagSets, time, claim, kind);

    /// <summary>The same ledger, for what is taken back of the move.</summary>
    public ITakeBackRecord TakeBackOf(Claim claim, Kind kind) => new Ledger(database, _flagSets, time, claim, kind);

    /// <summary>The crossing of a claimed move came to another state, while its pass goes on.</summary>
    /// <exception cref="LeaseLostException">Another worker has the move: nothing is written.</exception>
    internal Task StepAsync(Claim claim, Func<MoveState, MoveState> next, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                if (await StepAsync(db, claim, next, givesBack: false, cancel) is null)
                    throw new LeaseLostException();
            },
            cancel
        );

    /// <summary>Since when the old address of a move forwards, and from which numbers on; null: it does not.</summary>
    public async Task<ForwardedMail?> ForwardedAsync(long move, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Forwardings.FirstOrDefaultAsync(f => f.MoveId == move && f.OnAt != null, cancel) is { } row
            ? new ForwardedMail(
                DateTimeOffset.FromUnixTimeMilliseconds(row.OnAt!.Value),
                CrossingRecord.ReadNumbers(row.NumbersBefore),
                CrossingRecord.ReadNumbers(row.NumbersAfter)
            )
            : null;
    }

    public ICrossingRecord CrossingOf(Claim claim) => new CrossingRecord(database, this, time, claim);

    public ICorrespondenceRecord CorrespondenceOf(Claim claim) => new CorrespondenceRecord(database, time, claim);

    /// <summary>A take-back, or a dry run of it, has done all there was to do.</summary>
    public Task EndTakeBackAsync(Claim claim, bool isCheck, CancellationToken cancel) =>
        new Ledger(database, _flagSets, time, claim, Kind.Mail).EndTakeBackAsync(isCheck, cancel);

    /// <summary>The same ledger, for what it keeps of address books and calendars.</summary>
    public ICollectionLedger CollectionsOf(Claim claim, Kind kind) => new Ledger(database, _flagSets, time, claim, kind);

    private static Task<int> NoteAsync(CaravanDb db, Claim claim, Tally tally, CancellationToken cancel) =>
        db.Database.ExecuteSqlAsync(
            $"""
            UPDATE pass_legs SET "Expected" = {tally.Expected}, "Carried" = {tally.Carried}, "Paired" = {tally.Paired},
            "Excluded" = {tally.Excluded},
            "LeftBehind" = {tally.LeftBehind},
            "Octets" = {tally.Octets.Count}, "FlagsChanged" = {tally.FlagsChanged}, "Moved" = {tally.Moved},
            "Removed" = {tally.Removed}, "Updated" = {tally.Updated},
            "Looked" = {tally.Looked}, "Differences" = {tally.Differences}, "Folder" = {tally.Folder}
            WHERE "PassId" = {claim.Pass} AND "Kind" = {(int)tally.Kind}
            """,
            cancel
        );
}
