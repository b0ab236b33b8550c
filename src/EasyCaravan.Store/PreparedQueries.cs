using System.Collections.Concurrent;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>How many items of a page have one outcome.</summary>
internal sealed record OutcomeSum(Outcome Outcome, bool Gone, long Count, long Octets);

/// <summary>The number under which an item stands on the to side.</summary>
internal sealed record LandedItem(long Number, bool Gone);

/// <summary>A move that could run, as it stood when it was read.</summary>
internal sealed record DueMove(long Id, string Batch, long Fence, bool IsLost);

/// <summary>How many moves of a batch run.</summary>
internal sealed record RunningMoves(string Batch, int Count);

/// <summary>
/// Queries that run for every pass, claim or heartbeat. They are compiled once, because translating them to SQL takes longer than running
/// them; and once for each database provider, because a compiled query belongs to the model of the first provider that ran it.
/// </summary>
internal sealed class PreparedQueries
{
    private static readonly ConcurrentDictionary<string, PreparedQueries> s_byProvider = new();

    private PreparedQueries() { }

    /// <param name="provider">The provider's name, as the context gives it.</param>
    public static PreparedQueries For(string provider) => s_byProvider.GetOrAdd(provider, _ => new PreparedQueries());

    public Func<CaravanDb, long, Kind, IAsyncEnumerable<LedgerFolderRow>> Pages { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long move, Kind kind) => db.LedgerFolders.AsNoTracking().Where(f => f.MoveId == move && f.Kind == kind)
        );

    public Func<CaravanDb, long, IAsyncEnumerable<OutcomeSum>> Sums { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long folder) =>
                db
                    .LedgerItems.Where(i => i.FolderId == folder)
                    .GroupBy(i => new { i.Outcome, i.Gone })
                    .Select(g => new OutcomeSum(g.Key.Outcome, g.Key.Gone, g.LongCount(), g.Sum(i => i.Size)))
        );

    public Func<CaravanDb, long, Kind, string, long, IAsyncEnumerable<LandedItem>> Landed { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long move, Kind kind, string to, long epoch) =>
                from item in db.LedgerItems
                join folder in db.LedgerFolders on item.FolderId equals folder.Id
                where folder.MoveId == move && folder.Kind == kind && folder.To == to && folder.ToEpoch == epoch && item.Landed != null
                orderby item.Landed
                select new LandedItem(item.Landed!.Value, item.Gone)
        );

    public Func<CaravanDb, long, IAsyncEnumerable<long>> Settled { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long folder) =>
                db.LedgerItems.Where(i => i.FolderId == folder && !i.Gone).OrderBy(i => i.Number).Select(i => i.Number)
        );

    public Func<CaravanDb, long, IAsyncEnumerable<long>> FoldersLeft { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long move) =>
                db.LedgerFolders.Where(f => f.MoveId == move && db.LeftBehind.Any(i => i.FolderId == f.Id)).Select(f => f.Id)
        );

    /// <summary>Whether a move became due that has no place in line yet.</summary>
    public Func<CaravanDb, long, CancellationToken, Task<bool>> IsAnyToLineUp { get; } =
        EF.CompileAsyncQuery((CaravanDb db, long now, CancellationToken cancel) => db.Moves.Any(m => m.Turn == null && m.DueAt <= now));

    public Func<CaravanDb, IAsyncEnumerable<RunningMoves>> Running { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db) =>
                db
                    .Moves.Where(m => m.Condition == ConditionKind.Running)
                    .GroupBy(m => m.Batch)
                    .Select(g => new RunningMoves(g.Key, g.Count()))
        );

    public Func<CaravanDb, IAsyncEnumerable<DrainRow>> Drains { get; } = EF.CompileAsyncQuery((CaravanDb db) => db.Drains.AsNoTracking());

    /// <summary>A running move whose worker was lost.</summary>
    public Func<CaravanDb, long, string[], long[], CancellationToken, Task<DueMove?>> Lost { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long now, string[] resting, long[] own, CancellationToken cancel) =>
                db
                    .Moves.Where(m =>
                        m.LeaseUntil < now && m.Condition == ConditionKind.Running && !resting.Contains(m.Batch) && !own.Contains(m.Id)
                    )
                    .OrderBy(m => m.LeaseUntil)
                    .Select(m => new DueMove(m.Id, m.Batch, m.Fence, true))
                    .FirstOrDefault()
        );

    /// <summary>The first in line.</summary>
    public Func<CaravanDb, long, string[], CancellationToken, Task<DueMove?>> Next { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long now, string[] closed, CancellationToken cancel) =>
                db
                    .Moves.Where(m => m.Turn != null && !closed.Contains(m.Batch) && (m.LeaseUntil == null || m.LeaseUntil < now))
                    .OrderBy(m => m.Turn)
                    .ThenBy(m => m.Id)
                    .Select(m => new DueMove(m.Id, m.Batch, m.Fence, false))
                    .FirstOrDefault()
        );

    public Func<CaravanDb, long, CancellationToken, Task<MoveRow?>> Row { get; } =
        EF.CompileAsyncQuery(
            (CaravanDb db, long move, CancellationToken cancel) =>
                db.Moves.AsTracking().Include(m => m.Legs).Include(m => m.Crossing).FirstOrDefault(m => m.Id == move)
        );
}
