using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Ports;
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

    public async Task<Claim?> ClaimAsync(string owner, IReadOnlyCollection<string> except, CancellationToken cancel)
    {
        var now = Now;
        // A look without the write gate first: most of the time nothing is due.
        await using (var look = database.Read())
        {
            if (!await Due(look, now, except).AnyAsync(cancel)) return null;
        }
        return await database.WriteAsync(async db =>
        {
            var row = await Due(db, now, except).OrderBy(m => m.Rank).ThenBy(m => m.DueAt ?? 0).ThenBy(m => m.Id).AsTracking().FirstOrDefaultAsync(cancel);
            if (row is null) return null;
            // Between reading and writing another process may have been quicker: the fence decides.
            var fence = row.Fence;
            var taken = await db.Moves.Where(m => m.Id == row.Id && m.Fence == fence).ExecuteUpdateAsync(
                set => set.SetProperty(m => m.Fence, fence + 1).SetProperty(m => m.LeaseOwner, owner).SetProperty(m => m.LeaseUntil, now + (long)Lease.TotalMilliseconds), cancel);
            if (taken == 0) return null;
            await db.Entry(row).ReloadAsync(cancel);
            var state = MoveStates.StateOf(row).Run();
            MoveStates.Apply(row, state, Instant.FromUnixTimeMilliseconds(now));
            var lost = await db.Passes.Where(p => p.MoveId == row.Id && p.EndedAt == null).AsTracking().ToListAsync(cancel);
            foreach (var earlier in lost) (earlier.EndedAt, earlier.Stopped) = (now, true);
            var pass = new PassRow { MoveId = row.Id, Kind = state.Wanted!.Value, StartedAt = now };
            db.Passes.Add(pass);
            await db.SaveChangesAsync(cancel);
            return new Claim(MoveStates.PersonOf(row), state, owner, row.Fence, pass.Id);
        }, cancel);
    }

    private static IQueryable<MoveRow> Due(CaravanDb db, long now, IReadOnlyCollection<string> except) => db.Moves.Where(m => !except.Contains(m.Batch) &&
        ((m.DueAt <= now && (m.LeaseUntil == null || m.LeaseUntil < now)) || (m.Condition == ConditionKind.Running && m.LeaseUntil < now)));

    /// <summary>When the next move falls due; null when none will by itself.</summary>
    public async Task<Instant?> NextDueAsync(IReadOnlyCollection<string> except, CancellationToken cancel)
    {
        await using var db = database.Read();
        return MoveStates.ToInstant(await db.Moves.Where(m => m.DueAt != null && !except.Contains(m.Batch)).MinAsync(m => m.DueAt, cancel));
    }

    /// <summary>Whether a move could run and waits for a worker.</summary>
    public async Task<bool> AnyDueAsync(IReadOnlyCollection<string> except, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await Due(db, Now, except).AnyAsync(cancel);
    }

    /// <summary>Gives back the leases of an earlier life of this same owner, which was killed before it could.</summary>
    public Task ReleaseAsync(string owner, CancellationToken cancel) =>
        database.WriteAsync(db => db.Moves.Where(m => m.LeaseOwner == owner && m.LeaseUntil != null)
            .ExecuteUpdateAsync(set => set.SetProperty(m => m.LeaseUntil, 0L), cancel), cancel);

    public Task<bool> RenewAsync(Claim claim, Tally tally, CancellationToken cancel) =>
        database.WriteAsync(async db =>
        {
            var until = Now + (long)Lease.TotalMilliseconds;
            var held = await db.Moves.Where(m => m.Id == claim.Person.Id && m.Fence == claim.Fence && m.LeaseOwner == claim.Owner && m.Condition == ConditionKind.Running)
                .ExecuteUpdateAsync(set => set.SetProperty(m => m.LeaseUntil, until), cancel);
            if (held == 0) return false;
            await NoteAsync(db, claim, tally, cancel);
            return true;
        }, cancel);

    public Task EndAsync(Claim claim, Tally tally, PassEnd end, Func<MoveState, MoveState> next, CancellationToken cancel) =>
        database.WriteAsync(async db =>
        {
            var row = await db.Moves.AsTracking().FirstOrDefaultAsync(m => m.Id == claim.Person.Id && m.Fence == claim.Fence && m.LeaseOwner == claim.Owner, cancel);
            if (row is null) return;
            // Read again: a person may have held or withdrawn the move while the pass ended.
            var state = MoveStates.StateOf(row);
            MoveStates.Apply(row, state.Condition.Kind is ConditionKind.Running ? next(state) : state, Instant.FromUnixTimeMilliseconds(Now));
            (row.LeaseOwner, row.LeaseUntil) = (null, null);
            row.Octets += tally.Octets;
            await NoteAsync(db, claim, tally, cancel);
            var (now, fault) = (Now, end.Fault?.ToString());
            await db.Passes.Where(p => p.Id == claim.Pass).ExecuteUpdateAsync(
                set => set.SetProperty(p => p.EndedAt, now).SetProperty(p => p.Stopped, end.Stopped).SetProperty(p => p.Fault, fault).SetProperty(p => p.Folder, (string?)null), cancel);
        }, cancel);

    public ILedger LedgerOf(Claim claim) => new Ledger(database, _flagSets, time, claim);

    private static Task<int> NoteAsync(CaravanDb db, Claim claim, Tally tally, CancellationToken cancel)
    {
        var (expected, carried, paired, excluded, leftBehind) = (tally.Expected, tally.Carried, tally.Paired, tally.Excluded, tally.LeftBehind);
        var (octets, flags, looked, folder) = (tally.Octets, tally.FlagsChanged, tally.Looked, tally.Folder);
        var (moved, removed) = (tally.Moved, tally.Removed);
        return db.Passes.Where(p => p.Id == claim.Pass).ExecuteUpdateAsync(
            set => set.SetProperty(p => p.Expected, expected).SetProperty(p => p.Carried, carried).SetProperty(p => p.Paired, paired)
                .SetProperty(p => p.Excluded, excluded).SetProperty(p => p.LeftBehind, leftBehind).SetProperty(p => p.Octets, octets)
                .SetProperty(p => p.FlagsChanged, flags).SetProperty(p => p.Moved, moved).SetProperty(p => p.Removed, removed).SetProperty(p => p.Looked, looked).SetProperty(p => p.Folder, folder), cancel);
    }
}
