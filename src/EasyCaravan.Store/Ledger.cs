using System.Data.Common;
using System.Globalization;
using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Storage;

namespace EasyCaravan.Store;

/// <summary>The ledger of one claimed move. Every write first proves that the lease still holds, in the same transaction.</summary>
internal sealed class Ledger(Database database, FlagSets flagSets, TimeProvider time, Claim claim) : ILedger
{
    /// <summary>Rows in one statement: six parameters each, well below every provider's limit.</summary>
    private const int RowsPerStatement = 200;

    private static readonly string s_fullInsert = InsertFor(RowsPerStatement);

    private long Move => claim.Person.Id;

    public async Task<IReadOnlyList<LedgerFolder>> FoldersAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return [.. (await db.LedgerFolders.Where(f => f.MoveId == Move).ToListAsync(cancel)).Select(Pages.PageOf)];
    }

    public Task<LedgerFolder> OpenFolderAsync(FolderPath from, FolderPath? to, uint? fromEpoch, uint? toEpoch, uint toBaseNext, CancellationToken cancel) =>
        WriteAsync(async db =>
        {
            var (fromName, toName) = (from.ToString(), to?.ToString() ?? "");
            var row = await db.LedgerFolders.AsTracking().FirstOrDefaultAsync(f => f.MoveId == Move && f.From == fromName && f.To == toName, cancel);
            if (row is null)
            {
                row = new LedgerFolderRow { MoveId = Move, From = fromName, To = toName, FromEpoch = fromEpoch, ToEpoch = toEpoch, ToBaseNext = toBaseNext };
                db.LedgerFolders.Add(row);
                await db.SaveChangesAsync(cancel);
            }
            return Pages.PageOf(row);
        }, cancel);

    public Task ForgetEntriesAsync(long folder, uint? fromEpoch, uint? toEpoch, CancellationToken cancel) =>
        WriteAsync(async db =>
        {
            await db.LedgerItems.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
            await db.LeftBehind.Where(i => i.FolderId == folder).ExecuteDeleteAsync(cancel);
            var row = await db.LedgerFolders.AsTracking().FirstAsync(f => f.Id == folder, cancel);
            (row.FromEpoch, row.ToEpoch, row.ToBaseNext, row.CursorNext, row.CursorMark, row.CursorCount) = (fromEpoch, toEpoch, 0, null, null, null);
            return true;
        }, cancel);

    public async Task<NumberSet> SettledAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await NumbersAsync(db.LedgerItems.Where(i => i.FolderId == folder && !i.Gone).OrderBy(i => i.Number).Select(i => i.Number), cancel);
    }

    public async Task<NumberSet> ClaimedAsync(FolderPath to, CancellationToken cancel)
    {
        await using var db = database.Read();
        var name = to.ToString();
        var folders = await db.LedgerFolders.Where(f => f.MoveId == Move && f.To == name).Select(f => f.Id).ToListAsync(cancel);
        return await NumbersAsync(db.LedgerItems.Where(i => folders.Contains(i.FolderId) && i.Landed != null).OrderBy(i => i.Landed).Select(i => i.Landed!.Value), cancel);
    }

    public async Task<IReadOnlyList<LedgerEntry>> FindAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        await using var db = database.Read();
        var entries = new List<LedgerEntry>();
        foreach (var (first, last) in numbers.Ranges)
        {
            var (low, high) = ((long)first, (long)last);
            await foreach (var row in db.LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high && !i.Gone).AsAsyncEnumerable().WithCancellation(cancel))
                entries.Add(new LedgerEntry((uint)row.Number, (uint?)row.Landed, row.Outcome, await flagSets.SetOfAsync(db, row.Flags, cancel)));
        }
        return entries;
    }

    public Task RecordAsync(long folder, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel) =>
        WriteAsync(async db =>
        {
            await InsertAsync(db, folder, entries, cancel);
            // What had been left behind and is now settled otherwise is no longer a person's concern.
            if (await db.LeftBehind.AnyAsync(i => i.FolderId == folder, cancel))
            {
                foreach (var some in entries.Where(e => e.Outcome is not Outcome.LeftBehind).Select(e => (long)e.Number).Chunk(RowsPerStatement))
                    await db.LeftBehind.Where(i => i.FolderId == folder && some.Contains(i.Number)).ExecuteDeleteAsync(cancel);
            }
            return true;
        }, cancel);

    public Task LeaveBehindAsync(long folder, IReadOnlyList<LeftBehindItem> items, CancellationToken cancel) =>
        WriteAsync(async db =>
        {
            await InsertAsync(db, folder, [.. items.Select(i => new LedgerEntry(i.Number, null, Outcome.LeftBehind, FlagSet.Empty))], cancel);
            foreach (var item in items)
            {
                var row = await db.LeftBehind.AsTracking().FirstOrDefaultAsync(i => i.FolderId == folder && i.Number == item.Number, cancel);
                if (row is null) db.LeftBehind.Add(row = new LeftBehindRow { FolderId = folder, Number = item.Number, Whom = "", What = "", Received = "", Subject = "", Sender = "" });
                (row.Cause, row.Whom, row.What, row.Code) = (item.Fault.Cause, item.Fault.Whom, item.Fault.What, item.Fault.Code);
                (row.Size, row.Received, row.Subject, row.Sender) = (item.Size, item.Received.ToString("O", CultureInfo.InvariantCulture), item.Subject, item.Sender);
                (row.State, row.AcceptedBy) = (LeftBehindState.Open, null);
            }
            return true;
        }, cancel);

    public async Task MarkGoneAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        if (numbers.Count == 0) return;
        await WriteAsync(async db =>
        {
            foreach (var (first, last) in numbers.Ranges)
            {
                var (low, high) = ((long)first, (long)last);
                await db.LedgerItems.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteUpdateAsync(set => set.SetProperty(i => i.Gone, true), cancel);
                await db.LeftBehind.Where(i => i.FolderId == folder && i.Number >= low && i.Number <= high).ExecuteDeleteAsync(cancel);
            }
            return true;
        }, cancel);
    }

    public Task<FolderCounts> CompleteAsync(long folder, FolderCursor cursor, long found, long missing, CancellationToken cancel) =>
        WriteAsync(async db =>
        {
            var sums = await db.LedgerItems.Where(i => i.FolderId == folder).GroupBy(i => new { i.Outcome, i.Gone })
                .Select(g => new { g.Key.Outcome, g.Key.Gone, Count = g.LongCount() }).ToListAsync(cancel);
            long Sum(Outcome outcome) => sums.Where(s => s.Outcome == outcome && !s.Gone).Sum(s => s.Count);
            var counts = new FolderCounts(
                found, Sum(Outcome.Carried), Sum(Outcome.Paired), Sum(Outcome.Excluded), Sum(Outcome.LeftBehind), sums.Where(s => s.Gone).Sum(s => s.Count), missing);
            var row = await db.LedgerFolders.AsTracking().FirstAsync(f => f.Id == folder, cancel);
            (row.CursorNext, row.CursorMark, row.CursorCount, row.Reopened) = (cursor.Next, (long?)cursor.Mark, cursor.Count, false);
            (row.Found, row.Carried, row.Paired, row.Excluded, row.LeftBehind, row.Gone, row.Missing) =
                (counts.Found, counts.Carried, counts.Paired, counts.Excluded, counts.LeftBehind, counts.Gone, counts.Missing);
            await db.SaveChangesAsync(cancel);
            await Totals.UpdateAsync(db, Move, cancel);
            return counts;
        }, cancel);

    private async Task InsertAsync(CaravanDb db, long folder, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel)
    {
        var ids = new Dictionary<FlagSet, int>();
        foreach (var some in entries.Chunk(RowsPerStatement))
        {
            await using var command = db.Database.GetDbConnection().CreateCommand();
            command.Transaction = db.Database.CurrentTransaction!.GetDbTransaction();
            command.CommandText = some.Length == RowsPerStatement ? s_fullInsert : InsertFor(some.Length);
            for (var i = 0; i < some.Length; i++)
            {
                var entry = some[i];
                if (!ids.TryGetValue(entry.Flags, out var flags)) ids[entry.Flags] = flags = await flagSets.IdOfAsync(db, entry.Flags, cancel);
                Add(command, $"n{i}", (long)entry.Number);
                Add(command, $"l{i}", entry.Landed is { } landed ? (long)landed : DBNull.Value);
                Add(command, $"o{i}", (int)entry.Outcome);
                Add(command, $"f{i}", flags);
            }
            Add(command, "folder", folder);
            await command.ExecuteNonQueryAsync(cancel);
        }
    }

    /// <summary>One statement for many rows; the same words serve SQLite and PostgreSQL.</summary>
    private static string InsertFor(int rows)
    {
        var sql = new StringBuilder("INSERT INTO ledger_items (folder_id, number, landed, outcome, gone, flags) VALUES ");
        for (var i = 0; i < rows; i++) sql.Append(CultureInfo.InvariantCulture, $"{(i > 0 ? "," : "")}(@folder,@n{i},@l{i},@o{i},FALSE,@f{i})");
        sql.Append(" ON CONFLICT (folder_id, number) DO UPDATE SET landed = excluded.landed, outcome = excluded.outcome, gone = excluded.gone, flags = excluded.flags");
        return sql.ToString();
    }

    private static void Add(DbCommand command, string name, object value)
    {
        var parameter = command.CreateParameter();
        (parameter.ParameterName, parameter.Value) = (name, value);
        command.Parameters.Add(parameter);
    }

    private static async Task<NumberSet> NumbersAsync(IQueryable<long> query, CancellationToken cancel)
    {
        var numbers = new NumberSet();
        await foreach (var number in query.AsAsyncEnumerable().WithCancellation(cancel)) numbers.Add((uint)number);
        return numbers;
    }

    private Task<T> WriteAsync<T>(Func<CaravanDb, Task<T>> work, CancellationToken cancel) =>
        database.WriteAsync(async db =>
        {
            var until = time.GetUtcNow().ToUnixTimeMilliseconds() + (long)MoveStore.Lease.TotalMilliseconds;
            var held = await db.Moves.Where(m => m.Id == Move && m.Fence == claim.Fence && m.LeaseOwner == claim.Owner)
                .ExecuteUpdateAsync(set => set.SetProperty(m => m.LeaseUntil, until), cancel);
            if (held == 0) throw new LeaseLostException();
            return await work(db);
        }, cancel);
}
