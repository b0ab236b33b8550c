using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>What people ask of the notes that tell of new addresses.</summary>
public sealed class Correspondences(Database database, Journal journal, TimeProvider time)
{
    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    /// <summary>Has it counted with whom these people exchange mail.</summary>
    public Task CountAsync(IReadOnlyCollection<long> moves, Instant since, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                foreach (var (move, row) in await RowsAsync(db, moves, cancel))
                {
                    var own = row;
                    if (own is null)
                        db.Correspondences.Add(own = new CorrespondenceRow { MoveId = move.Id });
                    (own.Since, own.AskedAt, own.CountedAt) = (since.ToUnixTimeMilliseconds(), Now, null);
                    Note(db, move, who, "asked with whom mail is exchanged");
                }
                await db.SaveChangesAsync(cancel);
                return true;
            },
            cancel
        );

    /// <summary>
    /// Wants a note to those with whom both have written, who are no colleagues, and who got none yet.
    /// </summary>
    /// <param name="leave">Addresses that get none, in lower case.</param>
    /// <returns>How many people get one.</returns>
    public Task<int> WantNoteAsync(
        IReadOnlyCollection<long> moves,
        NoteWay way,
        IReadOnlyCollection<string> leave,
        string? because,
        string who,
        CancellationToken cancel
    ) =>
        database.WriteAsync(
            async db =>
            {
                var sum = 0;
                foreach (var (move, row) in await RowsAsync(db, moves, cancel))
                {
                    if (row is not { CountedAt: not null })
                        continue;
                    var wanted = await db
                        .Correspondents.Where(c =>
                            c.MoveId == move.Id
                            && c.Received > 0
                            && c.Sent > 0
                            && !c.IsColleague
                            && !leave.Contains(c.Address)
                            && (c.Note == null || c.Note == NoteState.Wanted || (c.Note == NoteState.Drafted && way == NoteWay.Send))
                        )
                        .ExecuteUpdateAsync(set => set.SetProperty(c => c.Note, NoteState.Wanted), cancel);
                    if (wanted == 0)
                        continue;
                    (row.Note, row.NoteAskedAt, row.NoteAskedBy, row.NoteBecause) = (way, Now, who, because);
                    Note(
                        db,
                        move,
                        who,
                        way is NoteWay.Draft
                            ? $"asked for a draft of a note to {wanted} people that the address has changed"
                            : $"has a note sent in the person's name to {wanted} people that the address has changed: {because}"
                    );
                    sum += wanted;
                }
                await db.SaveChangesAsync(cancel);
                return sum;
            },
            cancel
        );

    /// <summary>Nobody who was not written to yet is.</summary>
    public Task<int> DropNoteAsync(IReadOnlyCollection<long> moves, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var sum = 0;
                foreach (var (move, _) in await RowsAsync(db, moves, cancel))
                {
                    var dropped = await db
                        .Correspondents.Where(c => c.MoveId == move.Id && c.Note == NoteState.Wanted)
                        .ExecuteUpdateAsync(set => set.SetProperty(c => c.Note, (NoteState?)null), cancel);
                    if (dropped > 0)
                        Note(db, move, who, $"wants no note to the {dropped} people who were not written to yet");
                    sum += dropped;
                }
                await db.SaveChangesAsync(cancel);
                return sum;
            },
            cancel
        );

    private void Note(CaravanDb db, MoveRow move, string who, string sentence) =>
        journal.Add(db, who, move.Batch, new MoveRowName(move.Id, move.FromAccount), sentence);

    private static async Task<List<(MoveRow Move, CorrespondenceRow? Row)>> RowsAsync(
        CaravanDb db,
        IReadOnlyCollection<long> moves,
        CancellationToken cancel
    )
    {
        var rows = await db.Correspondences.AsTracking().Where(c => moves.Contains(c.MoveId)).ToDictionaryAsync(c => c.MoveId, cancel);
        var own = await db.Moves.Where(m => moves.Contains(m.Id)).OrderBy(m => m.Id).ToListAsync(cancel);
        return own.ConvertAll(m => (m, rows.GetValueOrDefault(m.Id)));
    }
}
