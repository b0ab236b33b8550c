using EasyCaravan.Core.Carrying;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>
/// The moves of one batch that stand at the same place, counted and summed by the database. There are a few dozen of these in a batch,
/// whether it has five people or 50,000.
/// </summary>
/// <param name="Until">The earliest instant, in milliseconds, at which one of them goes on by itself; null: none does.</param>
/// <param name="GoOn">How many of them go on by themselves.</param>
internal sealed record MoveGroup(
    string Batch,
    Stage Stage,
    ConditionKind Condition,
    Wait? WaitsFor,
    int People,
    long? Until,
    int GoOn,
    long Found,
    long Carried,
    long Paired,
    long Excluded,
    long Left,
    long Open,
    long Undecided,
    long Octets
)
{
    /// <param name="only">The one batch that is asked for; null: all of them.</param>
    public static Task<List<MoveGroup>> LoadAsync(CaravanDb db, string? only, CancellationToken cancel) =>
        db
            .Moves.Where(m => only == null || m.Batch == only)
            .GroupBy(m => new
            {
                m.Batch,
                m.Stage,
                m.Condition,
                m.WaitsFor,
            })
            .Select(g => new MoveGroup(
                g.Key.Batch,
                g.Key.Stage,
                g.Key.Condition,
                g.Key.WaitsFor,
                g.Count(),
                g.Min(m => m.Until),
                g.Count(m => m.Until != null),
                g.Sum(m => m.Found),
                g.Sum(m => m.Carried),
                g.Sum(m => m.Paired),
                g.Sum(m => m.Excluded),
                g.Sum(m => m.LeftBehind),
                g.Sum(m => m.OpenLeftBehind),
                g.Sum(m => m.Undecided),
                g.Sum(m => m.Octets)
            ))
            .ToListAsync(cancel);
}
