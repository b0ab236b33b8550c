using System.Collections.Concurrent;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>Runs one claimed move: opens its secrets, runs the pass, keeps the lease alive, and puts down how it ended.</summary>
internal sealed class MoveWorker(
    MoveStore store, Journal journal, CurrentPlan plan, IMailAccounts accounts, ISecrets secrets, LiveHub live, TimeProvider time, ILogger<MoveWorker> log)
{
    private static readonly TimeSpan s_heartbeat = TimeSpan.FromSeconds(1);

    /// <summary>Folders of one move that are carried side by side, where the services bear it.</summary>
    private const int Lanes = 2;

    /// <summary>Never throws: whatever happens to a pass is written down with its move, or, where the store fails, in the log.</summary>
    public async Task RunAsync(Claim claim, CancellationToken stopping)
    {
        try
        {
            await RunClaimedAsync(claim, stopping);
        }
        catch (Exception e)
        {
            log.LogError(e, "{Batch}/{Account}: the pass could not be run; it is taken up again when its lease ends", claim.Person.Batch, claim.Person.FromAccount);
        }
    }

    private async Task RunClaimedAsync(Claim claim, CancellationToken stopping)
    {
        var person = claim.Person;
        var tally = new Tally();
        var notes = new ConcurrentQueue<string>();
        live.Touch(person.Batch, person.Id);
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(stopping);
        var timetable = await plan.TimetableOfAsync(person.Batch, CancellationToken.None);
        if (timetable?.ClosesAt(Now) is { } closes) stop.CancelAfter((closes - Now).ToTimeSpan());
        var heart = BeatAsync(claim, tally, notes, stop);
        var end = await PassAsync(claim, tally, notes, stop.Token);
        await stop.CancelAsync();
        await heart;
        await EndAsync(claim, tally, notes, end, timetable);
        live.Touch(person.Batch, person.Id);
    }

    private Instant Now => Instant.FromDateTimeOffset(time.GetUtcNow());

    private async Task<PassEnd> PassAsync(Claim claim, Tally tally, ConcurrentQueue<string> notes, CancellationToken cancel)
    {
        var person = claim.Person;
        try
        {
            var order = await OrderAsync(claim, cancel);
            await new Pass(accounts, store.LedgerOf(claim), order, tally, notes.Enqueue).RunAsync(cancel);
            return new PassEnd(null, false);
        }
        catch (OperationCanceledException)
        {
            return new PassEnd(null, true);
        }
        catch (LeaseLostException)
        {
            log.LogWarning("{Batch}/{Account}: another worker took the move over", person.Batch, person.FromAccount);
            return new PassEnd(null, true);
        }
        catch (FaultException e)
        {
            log.LogInformation("{Batch}/{Account}: {Fault}", person.Batch, person.FromAccount, e.Fault);
            return new PassEnd(e.Fault, false);
        }
        catch (Exception e)
        {
            log.LogError(e, "{Batch}/{Account}: a pass ended unexpectedly", person.Batch, person.FromAccount);
            return new PassEnd(new Fault(Cause.Unexpected, person.FromAccount, $"the pass ended unexpectedly ({e.GetType().Name})"), false);
        }
    }

    private async Task<PassOrder> OrderAsync(Claim claim, CancellationToken cancel)
    {
        var person = claim.Person;
        var (current, _) = await plan.GetAsync(cancel);
        var route = current!.Routes.First(r => r.Name == current.Batches.First(b => b.Name == person.Batch).Route);
        var from = current.Services.First(s => s.Name == route.From);
        var to = current.Services.First(s => s.Name == route.To);
        return new PassOrder(
            claim.State.Wanted!.Value,
            new Side(from, new Credentials(person.FromAccount, person.FromLogin, Open(person.FromSecretSealed, person.FromAccount, from))),
            new Side(to, new Credentials(person.ToAccount, person.ToLogin, Open(person.ToSecretSealed, person.ToAccount, to))),
            route,
            Math.Min(Lanes, Math.Min(from.Limits.PerAccount, to.Limits.PerAccount)));
    }

    private string Open(string? sealedSecret, string account, Core.Planning.Service service)
    {
        if (sealedSecret is null) throw new FaultException(new Fault(Cause.SecretMissing, account, $"no password is known for {service.Name}"), Verdict.Keep);
        try
        {
            return secrets.Open(sealedSecret);
        }
        catch (FaultException e)
        {
            throw new FaultException(e.Fault with { Whom = account }, e.Verdict, e);
        }
    }

    /// <summary>Keeps the lease, tells progress, and stops the pass when a person held the move or another worker has it.</summary>
    private async Task BeatAsync(Claim claim, Tally tally, ConcurrentQueue<string> notes, CancellationTokenSource stop)
    {
        try
        {
            while (true)
            {
                await Task.Delay(s_heartbeat, time, stop.Token);
                if (!await store.RenewAsync(claim, tally, stop.Token)) await stop.CancelAsync();
                await WriteNotesAsync(claim, notes);
                live.Touch(claim.Person.Batch, claim.Person.Id);
            }
        }
        catch (OperationCanceledException)
        {
            // The pass ended.
        }
        catch (Exception e)
        {
            // Without a lease nothing may be carried on: the pass stops and the move is taken up again later.
            log.LogError(e, "{Batch}/{Account}: the lease cannot be renewed", claim.Person.Batch, claim.Person.FromAccount);
            await stop.CancelAsync();
        }
    }

    private async Task EndAsync(Claim claim, Tally tally, ConcurrentQueue<string> notes, PassEnd end, Timetable? timetable)
    {
        var person = claim.Person;
        try
        {
            await store.EndAsync(claim, tally, end, state => end switch
            {
                { Fault: { } fault } => state.Fail(fault, progressed: tally.Settled > 0, Random.Shared.NextDouble(), Now),
                { Stopped: true } => state.Interrupt(timetable, Now),
                _ => state.Complete(timetable, Now),
            }, CancellationToken.None);
            await WriteNotesAsync(claim, notes);
            await journal.WriteAsync(Journal.Service, person.Batch, new MoveRowName(person.Id, person.FromAccount), Describe(claim, tally, end), CancellationToken.None);
        }
        catch (Exception e)
        {
            // The lease runs out by itself; then the move goes on from its ledger.
            log.LogError(e, "{Batch}/{Account}: the end of a pass cannot be written", person.Batch, person.FromAccount);
        }
    }

    private async Task WriteNotesAsync(Claim claim, ConcurrentQueue<string> notes)
    {
        while (notes.TryDequeue(out var note))
            await journal.WriteAsync(Journal.Service, claim.Person.Batch, new MoveRowName(claim.Person.Id, claim.Person.FromAccount), note, CancellationToken.None);
    }

    private static string Describe(Claim claim, Tally tally, PassEnd end)
    {
        var pass = claim.State.Wanted is PassKind.First ? "first pass" : "catch-up pass";
        var did = new List<string>();
        if (tally.Carried > 0) did.Add($"{tally.Carried} carried ({ByteCount.Write(tally.Octets)})");
        if (tally.Paired > 0) did.Add($"{tally.Paired} paired");
        if (tally.Excluded > 0) did.Add($"{tally.Excluded} excluded");
        if (tally.LeftBehind > 0) did.Add($"{tally.LeftBehind} left behind");
        if (tally.FlagsChanged > 0) did.Add($"{tally.FlagsChanged} with changed flags");
        var sum = did.Count == 0 ? "nothing new" : string.Join(", ", did);
        return end switch
        {
            { Fault: { } fault } => $"{pass} stopped by a fault after {sum}: {fault}",
            { Stopped: true } => $"{pass} stopped after {sum}; it goes on from there",
            _ => $"{pass} ended: {sum}",
        };
    }
}
