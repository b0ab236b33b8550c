using System.Buffers.Binary;
using System.Text.Json;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <inheritdoc cref="ICrossingRecord"/>
internal sealed class CrossingRecord(Database database, MoveStore store, TimeProvider time, Claim claim) : ICrossingRecord
{
    private long Move => claim.Person.Id;

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    public Task ReachAsync(CrossingState reached, CancellationToken cancel) =>
        store.StepAsync(claim, state => state.AtStep(reached), cancel);

    public Task KeepGatesAsync(IReadOnlyList<Gate> gates, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var rows = await db.CrossingGates.AsTracking().Where(g => g.MoveId == Move).ToListAsync(cancel);
                db.CrossingGates.RemoveRange(rows.Where(r => gates.All(g => g.Kind != r.Kind)));
                foreach (var gate in gates)
                {
                    var row = rows.Find(r => r.Kind == gate.Kind);
                    if (row is null)
                        db.CrossingGates.Add(
                            row = new CrossingGateRow
                            {
                                MoveId = Move,
                                Kind = gate.Kind,
                                Facts = gate.Facts,
                            }
                        );
                    Put(row, gate, keeps: gate.Colour is GateColour.Amber);
                }
                await db.Crossings.Where(c => c.MoveId == Move).ExecuteUpdateAsync(set => set.SetProperty(c => c.LookedAt, Now), cancel);
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    /// <param name="keeps">What a person said of it stands.</param>
    private static void Put(CrossingGateRow row, Gate gate, bool keeps)
    {
        (row.Colour, row.Facts, row.Remedy) = (gate.Colour, gate.Facts, gate.Remedy);
        if (!keeps)
            (row.AcceptedAt, row.AcceptedBy, row.AcceptedBecause) = (null, null, null);
    }

    public Task ShowGateAsync(Gate gate, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var row = await db.CrossingGates.AsTracking().FirstOrDefaultAsync(g => g.MoveId == Move && g.Kind == gate.Kind, cancel);
                if (row is null)
                    db.CrossingGates.Add(
                        row = new CrossingGateRow
                        {
                            MoveId = Move,
                            Kind = gate.Kind,
                            Facts = gate.Facts,
                        }
                    );
                Put(row, gate, keeps: row.Facts == gate.Facts && gate.Colour is GateColour.Amber);
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    public async Task<IReadOnlySet<GateKind>> AcceptedAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return (
            await db.CrossingGates.Where(g => g.MoveId == Move && g.AcceptedAt != null).Select(g => g.Kind).ToListAsync(cancel)
        ).ToHashSet();
    }

    public async Task<ForwardingNote?> ForwardingAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db.Forwardings.FirstOrDefaultAsync(f => f.MoveId == Move, cancel) is { } row ? NoteOf(row) : null;
    }

    private static ForwardingNote NoteOf(ForwardingRow row) =>
        new(row.Way, row.Ours is null ? null : new ForwardingRecord(row.To!, row.ActiveBefore, row.Before!, row.Ours))
        {
            OnAt = MoveStates.ToInstant(row.OnAt),
            Before = ReadNumbers(row.NumbersBefore),
            After = ReadNumbers(row.NumbersAfter),
            SaidOn = row.SaidOn,
            SaidOff = row.SaidOff,
            PutBack = row.PutBack,
            Confirmation = row.Confirmation is { } state
                ? new Confirmation(state, MoveStates.ToInstant(row.ConfirmationAskedAt)!.Value, row.ConfirmationCode)
                : null,
        };

    private static string WriteNumbers(IReadOnlyDictionary<FolderPath, ItemKey> numbers) =>
        JsonSerializer.Serialize(numbers.Select(n => new FolderNumber(n.Key.ToString(), n.Value.Epoch, n.Value.Number)));

    /// <summary>As <see cref="ForwardingRow.NumbersBefore"/> has them.</summary>
    public static IReadOnlyDictionary<FolderPath, ItemKey> ReadNumbers(string? written) =>
        (written is null ? [] : JsonSerializer.Deserialize<List<FolderNumber>>(written)!).ToDictionary(
            n => FolderPath.Parse(n.Folder),
            n => new ItemKey(n.Epoch, n.Next)
        );

    private sealed record FolderNumber(string Folder, uint Epoch, uint Next);

    public Task KeepForwardingAsync(ForwardingNote? note, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                if (note is null)
                {
                    await db.Forwardings.Where(f => f.MoveId == Move).ExecuteDeleteAsync(cancel);
                    return;
                }
                var row = await db.Forwardings.AsTracking().FirstOrDefaultAsync(f => f.MoveId == Move, cancel);
                if (row is null)
                    db.Forwardings.Add(row = new ForwardingRow { MoveId = Move });
                (row.Way, row.To, row.Ours) = (note.Way, note.Rules?.To, note.Rules?.Ours.ToArray());
                (row.ActiveBefore, row.Before) = (note.Rules?.ActiveBefore, note.Rules?.Before.ToArray());
                (row.OnAt, row.SaidOn, row.SaidOff) = (note.OnAt?.ToUnixTimeMilliseconds(), note.SaidOn, note.SaidOff);
                row.PutBack = note.PutBack;
                (row.NumbersBefore, row.NumbersAfter) = (WriteNumbers(note.Before), WriteNumbers(note.After));
                (row.Confirmation, row.ConfirmationCode) = (note.Confirmation?.State, note.Confirmation?.Code);
                row.ConfirmationAskedAt = note.Confirmation?.AskedAt.ToUnixTimeMilliseconds();
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    public async Task<IReadOnlyList<Probe>> ProbesAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        return (await db.Probes.Where(p => p.MoveId == Move).OrderBy(p => p.Id).ToListAsync(cancel)).ConvertAll(ProbeOf);
    }

    private static Probe ProbeOf(ProbeRow row) =>
        new(
            row.Id,
            row.Way,
            row.MessageId,
            row.Sender,
            Instant.FromUnixTimeMilliseconds(row.PlannedAt),
            BinaryPrimitives.ReadUInt128LittleEndian(row.Digest)
        )
        {
            State = row.State,
            SentAt = MoveStates.ToInstant(row.SentAt),
            ArrivedAt = MoveStates.ToInstant(row.ArrivedAt),
            Folder = row.Folder,
            KeptAt = MoveStates.ToInstant(row.KeptAt),
            RemovedAt = MoveStates.ToInstant(row.RemovedAt),
            Said = row.Said,
        };

    public Task<Probe> AddProbeAsync(Probe probe, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var digest = new byte[16];
                BinaryPrimitives.WriteUInt128LittleEndian(digest, probe.Digest);
                var row = new ProbeRow
                {
                    MoveId = Move,
                    Way = probe.Way,
                    MessageId = probe.MessageId,
                    Sender = probe.Sender,
                    Digest = digest,
                    State = probe.State,
                    PlannedAt = probe.PlannedAt.ToUnixTimeMilliseconds(),
                };
                db.Probes.Add(row);
                await db.SaveChangesAsync(cancel);
                return ProbeOf(row);
            },
            cancel
        );

    public Task UpdateProbeAsync(Probe probe, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var row = await db.Probes.AsTracking().FirstAsync(p => p.Id == probe.Id && p.MoveId == Move, cancel);
                (row.State, row.Folder, row.Said) = (probe.State, probe.Folder, probe.Said);
                (row.SentAt, row.ArrivedAt) = (probe.SentAt?.ToUnixTimeMilliseconds(), probe.ArrivedAt?.ToUnixTimeMilliseconds());
                (row.KeptAt, row.RemovedAt) = (probe.KeptAt?.ToUnixTimeMilliseconds(), probe.RemovedAt?.ToUnixTimeMilliseconds());
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    public Task<long> IntendAsync(CrossingAct act, string what, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var row = new CrossingActRow
                {
                    MoveId = Move,
                    Act = act,
                    What = what,
                    BegunAt = Now,
                };
                db.CrossingActs.Add(row);
                await db.SaveChangesAsync(cancel);
                return row.Id;
            },
            cancel
        );

    public Task OutcomeAsync(long act, string outcome, CancellationToken cancel) =>
        WriteAsync(
            db =>
                db.CrossingActs.Where(a => a.Id == act && a.MoveId == Move)
                    .ExecuteUpdateAsync(set => set.SetProperty(a => a.EndedAt, Now).SetProperty(a => a.Outcome, outcome), cancel),
            cancel
        );

    public Task WantComparisonAsync(Instant since, double share, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var from = since.ToUnixTimeMilliseconds();
                if (await db.Comparisons.AnyAsync(c => c.MoveId == Move && c.AskedAt >= from, cancel))
                    return;
                await db.Comparisons.Where(c => c.MoveId == Move).ExecuteDeleteAsync(cancel);
                db.Comparisons.Add(
                    new ComparisonRow
                    {
                        MoveId = Move,
                        AskedAt = Now,
                        AskedBy = Journal.Service,
                        Share = share,
                    }
                );
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    public async Task ForgetAsync(CancellationToken cancel)
    {
        await WriteAsync(db => ForgottenSecrets.ForgetAsync(db, [Move], cancel), cancel);
        database.MayHoldForgotten = true;
    }

    private Task<T> WriteAsync<T>(Func<CaravanDb, Task<T>> work, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await MoveStore.ProveLeaseAsync(db, claim, Now, cancel);
                return await work(db);
            },
            cancel
        );

    private Task WriteAsync(Func<CaravanDb, Task> work, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await work(db);
                return true;
            },
            cancel
        );
}
