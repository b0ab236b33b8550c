using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>What came to the new account by itself.</summary>
internal sealed partial class Ledger
{
    public async Task<IReadOnlyDictionary<FolderPath, Membership>> LookedAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return (await db.ArrivalLooks.Where(l => l.MoveId == Move).ToListAsync(cancel)).ToDictionary(
            l => FolderPath.Parse(l.Place),
            l => new Membership((uint)l.Epoch, (uint)l.Next, (uint)l.Count)
        );
    }

    public async Task<IReadOnlyList<Arrival>> ArrivalsAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return (await db.Arrivals.Where(a => a.MoveId == Move).OrderBy(a => a.Id).ToListAsync(cancel)).ConvertAll(a => new Arrival(
            a.Id,
            FolderPath.Parse(a.Place),
            new ItemKey((uint)a.Epoch, (uint)a.Number),
            new ByteCount(a.Size),
            new Core.Carrying.Mail.Identity(KeyOf(a.Low, a.High), a.Certain),
            a.Gone,
            a.Matched
        ));
    }

    public Task RecordArrivalsAsync(
        IReadOnlyCollection<Arrival> arrivals,
        IReadOnlyDictionary<FolderPath, Membership> looked,
        CancellationToken cancel
    ) =>
        WriteAsync(
            async db =>
            {
                foreach (var arrival in arrivals)
                {
                    var row = new ArrivalRow
                    {
                        Id = arrival.Id,
                        MoveId = Move,
                        Place = arrival.Place.ToString(),
                        Epoch = arrival.Key.Epoch,
                        Number = arrival.Key.Number,
                        Size = arrival.Size.Count,
                        Low = (long)(ulong)arrival.Print.Print,
                        High = (long)(ulong)(arrival.Print.Print >> 64),
                        Certain = arrival.Print.Certain,
                        Gone = arrival.IsGone,
                        Matched = arrival.IsMatched,
                    };
                    if (arrival.Id == 0)
                        db.Arrivals.Add(row);
                    else
                        db.Arrivals.Update(row);
                }
                var known = await db.ArrivalLooks.AsTracking().Where(l => l.MoveId == Move).ToDictionaryAsync(l => l.Place, cancel);
                foreach (var (path, holds) in looked)
                {
                    var place = path.ToString();
                    if (!known.TryGetValue(place, out var row))
                        db.ArrivalLooks.Add(row = new ArrivalLookRow { MoveId = Move, Place = place });
                    (row.Epoch, row.Next, row.Count) = (holds.Epoch, holds.Next, holds.Count);
                }
                await db.SaveChangesAsync(cancel);
                return true;
            },
            cancel
        );

    public Task NoteLateMailAsync(IReadOnlyList<LateMail> mail, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                foreach (var one in mail)
                    await db.Database.ExecuteSqlAsync(
                        $"""
                        INSERT INTO late_mail ("FolderId", "Number", "MoveId", "At", "Sender")
                        VALUES ({one.Folder}, {(long)one.Number}, {Move}, {one.Received.ToUnixTimeMilliseconds()}, {one.Sender})
                        ON CONFLICT ("FolderId", "Number") DO NOTHING
                        """,
                        cancel
                    );
                return true;
            },
            cancel
        );

    public Task RecordMatchesAsync(IReadOnlyList<PageEntries> pages, IReadOnlyCollection<long> arrivals, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await RecordAsync(db, pages, cancel);
                await db
                    .Arrivals.Where(a => a.MoveId == Move && arrivals.Contains(a.Id))
                    .ExecuteUpdateAsync(set => set.SetProperty(a => a.Matched, true), cancel);
                return true;
            },
            cancel
        );
}
