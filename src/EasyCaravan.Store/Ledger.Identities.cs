using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Identities of messages that stand in several folders, and of messages on the to side that no entry claims.</summary>
internal sealed partial class Ledger
{
    private static readonly ManyRows s_keys = new("item_keys", ["folder_id", "number"], ["move_id", "low", "high"]);

    private static readonly ManyRows s_unclaimed = new("unclaimed_messages", ["folder_id", "number"], ["size", "low", "high", "certain"]);

    public Task RecordKeysAsync(long folder, IReadOnlyDictionary<uint, UInt128> keys, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await s_keys.WriteAsync(
                    db,
                    keys,
                    (k, row) => row.Add(folder).Add(k.Key).Add(Move).Add((long)(ulong)k.Value).Add((long)(ulong)(k.Value >> 64)),
                    cancel
                );
                return true;
            },
            cancel
        );

    public async Task<IReadOnlyDictionary<uint, UInt128>> KeysAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        await using var db = database.Read();
        var keys = new Dictionary<uint, UInt128>();
        foreach (var (first, last) in numbers.Ranges)
        {
            var (low, high) = ((long)first, (long)last);
            await foreach (
                var row in db
                    .ItemKeys.Where(k => k.FolderId == folder && k.Number >= low && k.Number <= high)
                    .AsAsyncEnumerable()
                    .WithCancellation(cancel)
            )
                keys[(uint)row.Number] = KeyOf(row.Low, row.High);
        }
        return keys;
    }

    public async Task<IReadOnlyList<KeyedEntry>> FindKeysAsync(IReadOnlyCollection<UInt128> keys, CancellationToken cancel)
    {
        await using var db = database.Read();
        var wanted = keys.ToHashSet();
        var found = new List<KeyedEntry>();
        foreach (var lows in wanted.Select(k => (long)(ulong)k).Chunk(KeysPerQuery))
        {
            var rows = await (
                from key in db.ItemKeys
                where key.MoveId == Move && lows.Contains(key.Low)
                join item in db.LedgerItems on new { key.FolderId, key.Number } equals new { item.FolderId, item.Number }
                join folder in db.LedgerFolders on key.FolderId equals folder.Id
                where !item.Gone
                select new
                {
                    key.Low,
                    key.High,
                    Item = item,
                    folder.To,
                }
            ).ToListAsync(cancel);
            foreach (var row in rows.Where(r => wanted.Contains(KeyOf(r.Low, r.High))))
            {
                var entry = new LedgerEntry(
                    (uint)row.Item.Number,
                    (uint?)row.Item.Landed,
                    row.Item.Outcome,
                    await flagSets.SetOfAsync(db, row.Item.Flags, cancel)
                )
                {
                    Size = new ByteCount(row.Item.Size),
                };
                found.Add(
                    new KeyedEntry(KeyOf(row.Low, row.High), row.Item.FolderId, row.To.Length == 0 ? null : FolderPath.Parse(row.To), entry)
                );
            }
        }
        return found;
    }

    public async Task<IReadOnlyList<UnclaimedMessage>> UnclaimedAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        var unclaimed = new List<UnclaimedMessage>();
        await foreach (var row in db.UnclaimedMessages.Where(s => s.FolderId == folder).AsAsyncEnumerable().WithCancellation(cancel))
            unclaimed.Add(
                new UnclaimedMessage(
                    (uint)row.Number,
                    new ByteCount(row.Size),
                    new Core.Carrying.Mail.Identity(KeyOf(row.Low, row.High), row.Certain)
                )
            );
        return unclaimed;
    }

    public async Task KeepUnclaimedAsync(long folder, IReadOnlyList<UnclaimedMessage> fresh, NumberSet gone, CancellationToken cancel)
    {
        if (fresh.Count == 0 && gone.Count == 0)
            return;
        await WriteAsync(
            async db =>
            {
                foreach (var (first, last) in gone.Ranges)
                {
                    var (low, high) = ((long)first, (long)last);
                    await db
                        .UnclaimedMessages.Where(s => s.FolderId == folder && s.Number >= low && s.Number <= high)
                        .ExecuteDeleteAsync(cancel);
                }
                await s_unclaimed.WriteAsync(
                    db,
                    fresh,
                    (s, row) =>
                        row.Add(folder)
                            .Add(s.Number)
                            .Add(s.Size.Count)
                            .Add((long)(ulong)s.Print.Print)
                            .Add((long)(ulong)(s.Print.Print >> 64))
                            .Add(s.Print.Certain),
                    cancel
                );
                return true;
            },
            cancel
        );
    }

    private static UInt128 KeyOf(long low, long high) => new((ulong)high, (ulong)low);
}
