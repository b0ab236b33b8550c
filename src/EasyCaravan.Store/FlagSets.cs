using System.Collections.Concurrent;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Sets of flags by a small number: a mailbox has thousands of messages and a handful of sets.</summary>
internal sealed class FlagSets
{
    private readonly ConcurrentDictionary<string, int> _ids = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<int, FlagSet> _sets = new();

    /// <summary>Within the write transaction that uses the number.</summary>
    public async Task<int> IdOfAsync(CaravanDb db, FlagSet flags, CancellationToken cancel)
    {
        if (_ids.TryGetValue(flags.Written, out var known))
            return known;
        var row = await db.FlagSets.FirstOrDefaultAsync(s => s.Written == flags.Written, cancel);
        if (row is null)
        {
            row = new FlagSetRow { Written = flags.Written };
            db.FlagSets.Add(row);
            await db.SaveChangesAsync(cancel);
            // Not cached yet: if this transaction is rolled back, the number may be given to another set.
            return row.Id;
        }
        return _ids[flags.Written] = row.Id;
    }

    public async Task<FlagSet> SetOfAsync(CaravanDb db, int id, CancellationToken cancel)
    {
        if (_sets.TryGetValue(id, out var known))
            return known;
        var row = await db.FlagSets.FirstAsync(s => s.Id == id, cancel);
        return _sets[id] = FlagSet.Parse(row.Written);
    }
}
