using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>What a move made on the to side, what was there before, and what became of it all when the move was taken back.</summary>
internal sealed partial class Ledger : ITakeBackRecord
{
    private static readonly ManyRows s_takenItems = new("take_back_items", ["folder_id", "page", "number"], ["state", "because"]);

    public Task<IReadOnlySet<MadePlace>> NoteMadeAsync(IReadOnlyCollection<MadePlace> places, CancellationToken cancel) =>
        WriteAsync<IReadOnlySet<MadePlace>>(
            async db =>
            {
                var noted = new HashSet<MadePlace>();
                foreach (var place in places)
                {
                    var added = await db.Database.ExecuteSqlAsync(
                        $"""
                        INSERT INTO made_places ("MoveId", "Kind", "As", "Place") VALUES ({Move}, {(int)kind}, {(int)
                            place.As}, {place.Place})
                        ON CONFLICT ("MoveId", "Kind", "As", "Place") DO NOTHING
                        """,
                        cancel
                    );
                    if (added > 0)
                        noted.Add(place);
                }
                return noted;
            },
            cancel
        );

    public Task ForgetMadeAsync(MadePlace place, CancellationToken cancel) =>
        WriteAsync(
            db =>
                db.MadePlaces.Where(p => p.MoveId == Move && p.Kind == kind && p.As == place.As && p.Place == place.Place)
                    .ExecuteDeleteAsync(cancel),
            cancel
        );

    public async Task<IReadOnlyList<MadePlace>> MadeAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db
            .MadePlaces.Where(p => p.MoveId == Move && p.Kind == kind)
            .OrderBy(p => p.Place)
            .Select(p => new MadePlace(p.Place, p.As))
            .ToListAsync(cancel);
    }

    public Task KeepOriginalsAsync(long folder, IReadOnlyDictionary<uint, ReadOnlyMemory<byte>> originals, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var numbers = originals.Keys.Select(n => (long)n).ToList();
                var known = await db
                    .ItemOriginals.Where(o => o.FolderId == folder && numbers.Contains(o.Number))
                    .Select(o => o.Number)
                    .ToListAsync(cancel);
                db.ItemOriginals.AddRange(
                    originals
                        .Where(o => !known.Contains(o.Key))
                        .Select(o => new ItemOriginalRow
                        {
                            FolderId = folder,
                            Number = o.Key,
                            Octets = o.Value.ToArray(),
                        })
                );
                return await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    public async Task<IReadOnlyDictionary<uint, ReadOnlyMemory<byte>>> OriginalsAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db
            .ItemOriginals.Where(o => o.FolderId == folder)
            .ToDictionaryAsync(o => (uint)o.Number, o => (ReadOnlyMemory<byte>)o.Octets, cancel);
    }

    public async Task<TakeBackOrder?> OrderAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db
            .TakeBacks.Where(t => t.MoveId == Move)
            .Select(t => new TakeBackOrder(t.IsCheck, t.EndedAt != null))
            .FirstOrDefaultAsync(cancel);
    }

    public async Task<IReadOnlyDictionary<uint, TakenBack>> KnownAsync(long page, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await (
            from item in db.TakeBackItems
            join folder in db.TakeBackFolders on item.FolderId equals folder.Id
            where folder.MoveId == Move && folder.Kind == kind && item.Page == page
            select item
        ).ToDictionaryAsync(i => (uint)i.Number, i => i.State, cancel);
    }

    public async Task<IReadOnlyList<CarriedEntry>> CarriedAsync(long page, CancellationToken cancel)
    {
        await using var db = database.Read();
        var entries = new List<CarriedEntry>();
        await foreach (
            var row in db
                .LedgerItems.Where(i => i.FolderId == page && i.Outcome == Outcome.Carried)
                .OrderBy(i => i.Number)
                .AsAsyncEnumerable()
                .WithCancellation(cancel)
        )
            entries.Add(
                new CarriedEntry(
                    (uint)row.Number,
                    (uint?)row.Landed,
                    row.Gone,
                    await flagSets.SetOfAsync(db, row.Flags, cancel),
                    new ByteCount(row.Size)
                )
            );
        return entries;
    }

    public Task RecordAsync(string place, long page, IReadOnlyCollection<TakenItem> items, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var folder = (await FolderAsync(db, place, cancel)).Id;
                await s_takenItems.WriteAsync(
                    db,
                    items,
                    (item, row) => row.Add(folder).Add(page).Add(item.Number).Add((int)item.State).Add((long?)item.Because),
                    cancel
                );
                foreach (var item in items.Where(i => i.Title is not null))
                    await db
                        .TakeBackItems.Where(i => i.FolderId == folder && i.Page == page && i.Number == item.Number)
                        .ExecuteUpdateAsync(set => set.SetProperty(i => i.Title, item.Title), cancel);
                return true;
            },
            cancel
        );

    public Task RecordFolderAsync(string place, TakenFolder state, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var folder = await FolderAsync(db, place, cancel);
                // Of a take-back that goes on after a kill, the folder may be gone by its own hand.
                if (folder.State is not TakenFolder.Removed)
                    folder.State = state;
                return await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    private async Task<TakeBackFolderRow> FolderAsync(CaravanDb db, string place, CancellationToken cancel)
    {
        var folder = await db
            .TakeBackFolders.AsTracking()
            .FirstOrDefaultAsync(f => f.MoveId == Move && f.Kind == kind && f.Place == place, cancel);
        if (folder is not null)
            return folder;
        db.TakeBackFolders.Add(
            folder = new TakeBackFolderRow
            {
                MoveId = Move,
                Kind = kind,
                Place = place,
            }
        );
        await db.SaveChangesAsync(cancel);
        return folder;
    }

    /// <summary>
    /// All is done. After more than a dry run the ledger of the move is empty, as before its first pass: what stayed on the to side stands
    /// in the report, and is found there by its identity should the move ever start again.
    /// </summary>
    public Task EndTakeBackAsync(bool isCheck, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await db.TakeBacks.Where(t => t.MoveId == Move).ExecuteUpdateAsync(set => set.SetProperty(t => t.EndedAt, Now), cancel);
                if (!isCheck)
                    await TakeBacks.ForgetLedgerAsync(db, Move, cancel);
                return true;
            },
            cancel
        );
}
