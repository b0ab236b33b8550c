using System.Globalization;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <inheritdoc cref="ICorrespondenceRecord"/>
internal sealed class CorrespondenceRecord(Database database, TimeProvider time, Claim claim) : ICorrespondenceRecord
{
    private long Move => claim.Person.Id;

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    public async Task<Instant?> WantedSinceAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return MoveStates.ToInstant(
            await db
                .Correspondences.Where(c => c.MoveId == Move && c.CountedAt == null)
                .Select(c => (long?)c.Since)
                .FirstOrDefaultAsync(cancel)
        );
    }

    public Task KeepAsync(IReadOnlyList<Correspondent> people, long messages, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var known = await db.Correspondents.AsTracking().Where(c => c.MoveId == Move).ToDictionaryAsync(c => c.Address, cancel);
                var colleagues = await ColleaguesAsync(db, people, cancel);
                foreach (var person in people)
                {
                    if (!known.Remove(person.Address, out var row))
                        db.Correspondents.Add(
                            row = new CorrespondentRow
                            {
                                MoveId = Move,
                                Address = person.Address,
                                Name = "",
                            }
                        );
                    (row.Name, row.Received, row.Sent) = (person.Name, person.Received, person.Sent);
                    (row.LastAt, row.IsColleague) = (person.LastAt.ToUnixTimeMilliseconds(), colleagues.Contains(person.Address));
                }
                // Who was written to stays known, so that nobody is written to twice.
                db.Correspondents.RemoveRange(known.Values.Where(r => r.Note is null));
                await db
                    .Correspondences.Where(c => c.MoveId == Move)
                    .ExecuteUpdateAsync(set => set.SetProperty(c => c.CountedAt, Now).SetProperty(c => c.Messages, messages), cancel);
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    private static async Task<HashSet<string>> ColleaguesAsync(CaravanDb db, IReadOnlyList<Correspondent> people, CancellationToken cancel)
    {
        var found = new HashSet<string>();
        foreach (var some in people.Select(p => p.Address).Chunk(100))
        {
            var rows = await db
                .Moves.Where(m => some.Contains(m.FromAccount.ToLower()) || some.Contains(m.ToAccount.ToLower()))
                .Select(m => new { m.FromAccount, m.ToAccount })
                .ToListAsync(cancel);
            found.UnionWith(rows.SelectMany(r => new[] { r.FromAccount.ToLowerInvariant(), r.ToAccount.ToLowerInvariant() }));
        }
        return found;
    }

    public async Task<NoteWanted?> NoteAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        var asked = await db.Correspondences.FirstOrDefaultAsync(c => c.MoveId == Move && c.Note != null, cancel);
        if (asked is null)
            return null;
        var people = await db
            .Correspondents.Where(c => c.MoveId == Move && c.Note == NoteState.Wanted)
            .OrderBy(c => c.Id)
            .Select(c => new NoteTo(c.Id, c.Address, c.Name))
            .ToListAsync(cancel);
        return new NoteWanted(asked.Note!.Value, asked.NoteAskedAt!.Value.ToString(CultureInfo.InvariantCulture), people);
    }

    public Task NoteIsAsync(long correspondent, NoteState state, string? said, CancellationToken cancel) =>
        WriteAsync(
            db =>
                db.Correspondents.Where(c => c.Id == correspondent && c.MoveId == Move)
                    .ExecuteUpdateAsync(
                        set => set.SetProperty(c => c.Note, state).SetProperty(c => c.NoteAt, Now).SetProperty(c => c.NoteSaid, said),
                        cancel
                    ),
            cancel
        );

    private Task WriteAsync(Func<CaravanDb, Task> work, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await MoveStore.ProveLeaseAsync(db, claim, Now, cancel);
                await work(db);
                return true;
            },
            cancel
        );
}
