using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>What people ask of crossings, and the waves in which batches cross.</summary>
public sealed class Crossings(Database database, Journal journal, Moves moves, TimeProvider time)
{
    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    /// <summary>Says that amber gates are well. What a gate shows later, in another colour, was not accepted.</summary>
    /// <returns>The moves of which a gate was accepted.</returns>
    public Task<IReadOnlyList<long>> AcceptAsync(
        string batch,
        IReadOnlyCollection<long>? only,
        GateKind gate,
        string because,
        string who,
        CancellationToken cancel
    ) =>
        database.WriteAsync<IReadOnlyList<long>>(
            async db =>
            {
                var chosen = Moves.Chosen(db, batch, only);
                var rows = await (
                    from row in db.CrossingGates.AsTracking()
                    join move in chosen on row.MoveId equals move.Id
                    where row.Kind == gate && row.Colour == GateColour.Amber
                    select new { row, move.FromAccount }
                ).ToListAsync(cancel);
                foreach (var one in rows)
                {
                    (one.row.AcceptedBy, one.row.AcceptedBecause, one.row.AcceptedAt) = (who, because, Now);
                    journal.Add(
                        db,
                        who,
                        batch,
                        new MoveRowName(one.row.MoveId, one.FromAccount),
                        $"accepted the gate {KebabWord.Of(gate)} ({one.row.Facts}): {because}"
                    );
                }
                return [.. rows.Select(r => r.row.MoveId)];
            },
            cancel
        );

    /// <summary>What a person says of the forwarding of moves, or asks of it.</summary>
    /// <returns>The moves that it was said of.</returns>
    public Task<IReadOnlyList<long>> SayAsync(
        string batch,
        IReadOnlyCollection<long>? only,
        string who,
        string sentence,
        Func<ForwardingRow, bool> say,
        CancellationToken cancel
    ) =>
        database.WriteAsync<IReadOnlyList<long>>(
            async db =>
            {
                var chosen = Moves.Chosen(db, batch, only);
                var rows = await (
                    from row in db.Forwardings.AsTracking()
                    join move in chosen on row.MoveId equals move.Id
                    select new { row, move.FromAccount }
                ).ToListAsync(cancel);
                var said = rows.Where(r => say(r.row)).ToList();
                foreach (var one in said)
                    journal.Add(db, who, batch, new MoveRowName(one.row.MoveId, one.FromAccount), sentence);
                return [.. said.Select(r => r.row.MoveId)];
            },
            cancel
        );

    /// <summary>
    /// Has a whole batch cross in waves. One that was stopped goes on with its next wave; for each cutover of a timetable it is done once,
    /// whoever else tries it.
    /// </summary>
    /// <param name="cutover">Null: a person asks.</param>
    /// <returns>False: it was asked for before.</returns>
    public Task<bool> BeginAsync(string batch, Instant? cutover, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var row = await db.BatchCrossings.AsTracking().FirstOrDefaultAsync(c => c.Batch == batch, cancel);
                var at = cutover?.ToUnixTimeMilliseconds();
                if (row is { State: BatchCrossingState.Running } || (at is not null && row?.CutoverAt == at))
                    return false;
                // Asked for anew, it is for whoever went back, too. One that was stopped goes on without them.
                if (row is not { State: BatchCrossingState.Stopped })
                    await db
                        .Crossings.Where(c =>
                            c.Goal == CrossingGoal.Undo
                            && c.Step == CrossingStep.Gates
                            && db.Moves.Any(m => m.Id == c.MoveId && m.Batch == batch)
                        )
                        .ExecuteUpdateAsync(
                            set => set.SetProperty(c => c.Goal, CrossingGoal.Check).SetProperty(c => c.Wave, (int?)null),
                            cancel
                        );
                if (row is null)
                    db.BatchCrossings.Add(row = new BatchCrossingRow { Batch = batch, AskedBy = who });
                (row.AskedAt, row.AskedBy, row.CutoverAt, row.Because) = (Now, who, at ?? row.CutoverAt, null);
                row.State = BatchCrossingState.Running;
                journal.Add(
                    db,
                    who,
                    batch,
                    null,
                    cutover is null ? "asked for the crossing of the batch" : "the crossing of the batch begins, as the timetable says"
                );
                return true;
            },
            cancel
        );

    /// <summary>No further wave begins; who crosses now goes on.</summary>
    public Task<bool> StopAsync(string batch, string because, string who, CancellationToken cancel) =>
        database.WriteAsync(db => StopAsync(db, batch, because, who, cancel), cancel);

    /// <summary>A whole batch goes back: its waves are over, so that no further one begins.</summary>
    public Task<bool> EndAsync(string batch, string because, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var ended = await StopAsync(db, batch, because, who, cancel);
                await db
                    .BatchCrossings.Where(c => c.Batch == batch && c.State == BatchCrossingState.Stopped)
                    .ExecuteUpdateAsync(set => set.SetProperty(c => c.State, BatchCrossingState.Ended), cancel);
                return ended;
            },
            cancel
        );

    private async Task<bool> StopAsync(CaravanDb db, string batch, string because, string who, CancellationToken cancel)
    {
        var stopped = await db
            .BatchCrossings.Where(c => c.Batch == batch && c.State == BatchCrossingState.Running)
            .ExecuteUpdateAsync(
                set => set.SetProperty(c => c.State, BatchCrossingState.Stopped).SetProperty(c => c.Because, because),
                cancel
            );
        if (stopped > 0)
            journal.Add(db, who, batch, null, $"no further wave begins: {because}");
        return stopped > 0;
    }

    /// <summary>
    /// Looks how the present wave of a batch stands, and begins the next one where it is over: in one transaction, so that ten processes
    /// that look at once begin it once.
    /// </summary>
    /// <returns>Moves that begin to cross.</returns>
    public Task<IReadOnlyList<long>> GoOnAsync(Batch batch, CancellationToken cancel) =>
        database.WriteAsync<IReadOnlyList<long>>(
            async db =>
            {
                // Taken first, so that no other process decides on the same wave meanwhile.
                var taken = await db
                    .BatchCrossings.Where(c => c.Batch == batch.Name && c.State == BatchCrossingState.Running)
                    .ExecuteUpdateAsync(set => set.SetProperty(c => c.Wave, c => c.Wave), cancel);
                if (taken == 0)
                    return [];
                var row = await db.BatchCrossings.AsTracking().FirstAsync(c => c.Batch == batch.Name, cancel);
                if (row.Wave > 0)
                {
                    var wave = await StandingAsync(db, batch.Name, row.Wave, cancel);
                    if (wave.Wrong > 0 && wave.Wrong > batch.Crossing.StopAt * wave.People)
                    {
                        var because = $"{wave.Wrong} of {wave.People} people of wave {row.Wave} need somebody";
                        await StopAsync(db, batch.Name, because, Journal.Service, cancel);
                        return [];
                    }
                    if (wave.Open > 0)
                        return [];
                }
                var next = await db
                    .Moves.Where(m =>
                        m.Batch == batch.Name
                        && (m.Stage == Stage.InStep || m.Stage == Stage.Copying)
                        && m.Condition != ConditionKind.Held
                        && (
                            m.Crossing == null
                            || (m.Crossing.Goal != CrossingGoal.Undo && m.Crossing.Wave == null)
                            // Stopped at a gate by an earlier wave: looked at anew when somebody asks for the batch again.
                            || (
                                m.Crossing.Goal == CrossingGoal.Cross
                                && m.Crossing.Step == CrossingStep.Gates
                                && m.Condition == ConditionKind.NeedsYou
                                && m.Crossing.LookedAt < row.AskedAt
                            )
                        )
                    )
                    .OrderBy(m => m.Id)
                    .Take(batch.Crossing.Wave ?? int.MaxValue)
                    .Select(m => m.Id)
                    .ToListAsync(cancel);
                if (next.Count == 0)
                {
                    row.State = BatchCrossingState.Ended;
                    return [];
                }
                row.Wave++;
                var begun = await moves.StepAsync(
                    db,
                    batch.Name,
                    next,
                    row.AskedBy,
                    $"crosses, in wave {row.Wave}",
                    (move, now) => move.Cross(isCheck: false, batch.Timetable, now),
                    cancel
                );
                await db.SaveChangesAsync(cancel);
                await db
                    .Crossings.Where(c => next.Contains(c.MoveId))
                    .ExecuteUpdateAsync(set => set.SetProperty(c => c.Wave, row.Wave), cancel);
                return begun;
            },
            cancel
        );

    /// <summary>How many of a wave have gone wrong after the first change, and how many are on their way still.</summary>
    private static async Task<(int People, int Wrong, int Open)> StandingAsync(
        CaravanDb db,
        string batch,
        int wave,
        CancellationToken cancel
    )
    {
        var people = await db
            .Moves.Where(m => m.Batch == batch && m.Crossing!.Wave == wave)
            .Select(m => new
            {
                m.Stage,
                m.Condition,
                m.Crossing!.Goal,
                m.Crossing.Step,
                Needs = m.Condition == ConditionKind.NeedsYou,
            })
            .ToListAsync(cancel);
        // Whoever is stopped at a gate has not begun: nothing went wrong, and nobody waits for them.
        var wrong = people.Count(p =>
            p is { Goal: CrossingGoal.Cross, Needs: true } && p.Step is not CrossingStep.Gates && p.Stage is Stage.Crossing
        );
        var open = people.Count(p =>
            p is { Goal: CrossingGoal.Cross, Needs: false }
            && p.Condition is not ConditionKind.Held
            && p.Stage is not (Stage.Settling or Stage.Done or Stage.Withdrawn)
        );
        return (people.Count, wrong, open);
    }

    /// <summary>All that is kept of the crossings of these moves.</summary>
    internal static async Task RemoveAsync(CaravanDb db, IReadOnlyCollection<long> moves, CancellationToken cancel)
    {
        await db.Arrivals.Where(a => moves.Contains(a.MoveId)).ExecuteDeleteAsync(cancel);
        await db.LateMail.Where(m => moves.Contains(m.MoveId)).ExecuteDeleteAsync(cancel);
        await db.Correspondents.Where(c => moves.Contains(c.MoveId)).ExecuteDeleteAsync(cancel);
        await db.Correspondences.Where(c => moves.Contains(c.MoveId)).ExecuteDeleteAsync(cancel);
        await db.ArrivalLooks.Where(l => moves.Contains(l.MoveId)).ExecuteDeleteAsync(cancel);
        await db.Probes.Where(p => moves.Contains(p.MoveId)).ExecuteDeleteAsync(cancel);
        await db.Forwardings.Where(f => moves.Contains(f.MoveId)).ExecuteDeleteAsync(cancel);
        await db.CrossingActs.Where(a => moves.Contains(a.MoveId)).ExecuteDeleteAsync(cancel);
        await db.CrossingGates.Where(g => moves.Contains(g.MoveId)).ExecuteDeleteAsync(cancel);
        await db.Crossings.Where(c => moves.Contains(c.MoveId)).ExecuteDeleteAsync(cancel);
    }
}
