using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>The entries of a page: what became of each message, and where it landed.</summary>
internal sealed partial class Ledger
{
    private static readonly ManyRows s_items = new("ledger_items", ["folder_id", "number"], ["landed", "outcome", "gone", "flags", "size"]);

    /// <summary>Keys in one query.</summary>
    private const int KeysPerQuery = 500;

    /// <summary>Up to this many ranges of numbers, each is queried by itself.</summary>
    private const int MostRanges = 50;

    public async Task<NumberSet> SettledAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        var numbers = new NumberSet();
        await foreach (var number in database.Queries.Settled(db, folder).WithCancellation(cancel))
            numbers.Add((uint)number);
        return numbers;
    }

    public async Task<Claimed> ClaimedAsync(FolderPath to, uint epoch, CancellationToken cancel)
    {
        await using var db = database.Read();
        var claimed = new Claimed(new NumberSet(), new NumberSet());
        await foreach (var item in database.Queries.Landed(db, Move, kind, to.ToString(), epoch).WithCancellation(cancel))
            (item.Gone ? claimed.Gone : claimed.Live).Add((uint)item.Number);
        return claimed;
    }

    public async Task<IReadOnlyList<LandedEntry>> LandedAsync(FolderPath to, uint epoch, CancellationToken cancel)
    {
        await using var db = database.Read();
        var place = to.ToString();
        return await (
            from item in db.LedgerItems
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            where folder.MoveId == Move && folder.Kind == kind && folder.To == place && folder.ToEpoch == (long)epoch && item.Landed != null
            select new LandedEntry(
                item.FolderId,
                (uint)item.Number,
                (uint)item.Landed!.Value,
                item.Outcome,
                item.Gone,
                new ByteCount(item.Size)
            )
        ).ToListAsync(cancel);
    }

    public async Task<IReadOnlyList<LedgerEntry>> FindAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        await using var db = database.Read();
        var entries = new List<LedgerEntry>();
        // Numbers that lie scattered over the folder are found faster by one query over their whole range than by one query each.
        var ranges = numbers.Ranges.Count > MostRanges ? [(numbers.Ranges[0].First, numbers.Ranges[^1].Last)] : numbers.Ranges;
        foreach (var (first, last) in ranges)
        {
            var (low, high) = ((long)first, (long)last);
            await foreach (
                var row in db
                    .LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high && !i.Gone)
                    .AsAsyncEnumerable()
                    .WithCancellation(cancel)
            )
                if (numbers.Contains((uint)row.Number))
                    entries.Add(
                        new LedgerEntry((uint)row.Number, (uint?)row.Landed, row.Outcome, await flagSets.SetOfAsync(db, row.Flags, cancel))
                        {
                            Size = new ByteCount(row.Size),
                        }
                    );
        }
        return entries;
    }

    public Task RecordAsync(IReadOnlyList<PageEntries> pages, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await RecordAsync(db, pages, cancel);
                return true;
            },
            cancel
        );

    private async Task RecordAsync(CaravanDb db, IReadOnlyList<PageEntries> pages, CancellationToken cancel)
    {
        await InsertAsync(db, pages, cancel);
        // An item that was left behind earlier and is settled now needs no decision any more.
        var left = await database.Queries.FoldersLeft(db, Move).ToListAsync(cancel);
        foreach (var page in pages.Where(p => left.Contains(p.Folder)))
        {
            foreach (
                var some in page.Entries.Where(e => e.Outcome is not Outcome.LeftBehind).Select(e => (long)e.Number).Chunk(KeysPerQuery)
            )
                await db.LeftBehind.Where(i => i.FolderId == page.Folder && some.Contains(i.Number)).ExecuteDeleteAsync(cancel);
        }
    }

    public async Task MarkGoneAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        if (numbers.Count > 0)
            await WriteAsync(
                async db =>
                {
                    await MarkGoneAsync(db, folder, numbers, cancel);
                    return true;
                },
                cancel
            );
    }

    private static async Task MarkGoneAsync(CaravanDb db, long folder, NumberSet numbers, CancellationToken cancel)
    {
        foreach (var (first, last) in numbers.Ranges)
        {
            var (low, high) = ((long)first, (long)last);
            await db
                .LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high)
                .ExecuteUpdateAsync(set => set.SetProperty(i => i.Gone, true), cancel);
            await db.LeftBehind.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteDeleteAsync(cancel);
        }
    }

    public Task TransferAsync(long folder, NumberSet numbers, long to, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await MarkGoneAsync(db, folder, numbers, cancel);
                await InsertAsync(db, [new PageEntries(to, entries)], cancel);
                return true;
            },
            cancel
        );

    public Task ReopenAsync(long folder, NumberSet numbers, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                foreach (var (first, last) in numbers.Ranges)
                {
                    var (low, high) = ((long)first, (long)last);
                    await db.LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteDeleteAsync(cancel);
                    await db.LeftBehind.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteDeleteAsync(cancel);
                }
                await db.LedgerFolders.Where(f => f.Id == folder).ExecuteUpdateAsync(set => set.SetProperty(f => f.Reopened, true), cancel);
                return true;
            },
            cancel
        );

    private async Task InsertAsync(CaravanDb db, IReadOnlyList<PageEntries> pages, CancellationToken cancel)
    {
        var ids = new Dictionary<FlagSet, int>();
        foreach (var entry in pages.SelectMany(p => p.Entries))
            if (!ids.ContainsKey(entry.Flags))
                ids[entry.Flags] = await flagSets.IdOfAsync(db, entry.Flags, cancel);
        await s_items.WriteAsync(
            db,
            pages.SelectMany(p => p.Entries.Select(e => (p.Folder, Entry: e))),
            (e, row) =>
                row.Add(e.Folder)
                    .Add(e.Entry.Number)
                    .Add(e.Entry.Landed)
                    .Add((int)e.Entry.Outcome)
                    .Add(false)
                    .Add(ids[e.Entry.Flags])
                    .Add(e.Entry.Size.Count),
            cancel
        );
    }
}
