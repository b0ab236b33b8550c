using System.Collections.Concurrent;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.ManageSieve;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Live;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>Runs one claimed move: opens its secrets, runs the pass, keeps the lease alive, and puts down how it ended.</summary>
internal sealed class MoveWorker(
    MoveStore store, Surveys surveys, Journal journal, CurrentPlan plan, IMailAccounts accounts, AccountAccess access, Allowances allowances, ServiceCare care, AccessTokens tokens, Database database, LiveHub live, CaravanOptions options, TimeProvider time,
    ILogger<MoveWorker> log)
{
    private static readonly TimeSpan s_heartbeat = TimeSpan.FromSeconds(1);

    /// <summary>Folders of one move that are carried side by side, where the services bear it.</summary>
    private const int Lanes = 2;

    /// <summary>Of moves whose passes end again and again.</summary>
    private readonly ConcurrentDictionary<long, Suspects> _suspects = [];

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
        if (claim.State.Wanted is not PassKind.Survey && timetable?.ClosesAt(Now) is { } closes) stop.CancelAfter((closes - Now).ToTimeSpan());
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
            var road = await RoadOfAsync(person, cancel);
            return new PassEnd(claim.State.Wanted is PassKind.Survey ? await SurveyAsync(claim, road, tally, cancel) : await CarryAsync(claim, road, tally, notes, cancel), false);
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
            // What failed on the way in was heard there.
            if (!e.Fault.AtTheDoor) care.Hear(e.Fault);
            var (current, _) = await plan.GetAsync(CancellationToken.None);
            // Each service's own remedies, for what that service said.
            return new PassEnd(e.Fault.Advised(current?.Services.FirstOrDefault(s => s.Name == e.Fault.Service)?.Help ?? []), false);
        }
        catch (Exception e)
        {
            log.LogError(e, "{Batch}/{Account}: a pass ended unexpectedly", person.Batch, person.FromAccount);
            return new PassEnd(new Fault(Cause.Unexpected, person.FromAccount, $"the pass ended unexpectedly ({e.GetType().Name})"), false);
        }
    }

    /// <summary>Between which services a person moves, and by which rules.</summary>
    private sealed record Road(Core.Planning.Service From, Core.Planning.Service To, CarryRules Rules);

    private async Task<Road> RoadOfAsync(MovePerson person, CancellationToken cancel)
    {
        var (current, _) = await plan.GetAsync(cancel);
        var route = current!.Routes.First(r => r.Name == current.Batches.First(b => b.Name == person.Batch).Route);
        await using var db = database.Read();
        var move = await db.Moves.FirstAsync(m => m.Id == person.Id, cancel);
        return new Road(current.Services.First(s => s.Name == route.From), current.Services.First(s => s.Name == route.To), await Choices.RulesOfAsync(db, current, move, cancel));
    }

    private async Task<Fault?> CarryAsync(Claim claim, Road road, Tally tally, ConcurrentQueue<string> notes, CancellationToken cancel)
    {
        var order = new PassOrder(
            claim.State.Wanted!.Value,
            new Side(road.From, await access.FromAsync(claim.Person, road.From, cancel)),
            new Side(road.To, await access.ToAsync(claim.Person, road.To, road.Rules.Root, cancel)),
            road.Rules,
            Math.Min(Lanes, Math.Min(road.From.Limits.PerAccount, road.To.Limits.PerAccount)))
        {
            Allowance = await allowances.OfAsync(claim.Person, road.From, road.To, cancel),
            Suspects = claim.State.IsSuspicious ? _suspects.GetOrAdd(claim.Person.Id, _ => new Suspects()) : null,
            Pace = care.PacesOf(road.From, claim.Person.FromAccount, road.To, claim.Person.ToAccount),
        };
        if (order.Kind is PassKind.Compare)
        {
            await new Comparison(accounts, store.LedgerOf(claim), order, tally, notes.Enqueue).RunAsync(cancel);
            return null;
        }
        await new Pass(accounts, store.LedgerOf(claim), order, tally, notes.Enqueue).RunAsync(cancel);
        _suspects.TryRemove(claim.Person.Id, out _);
        return null;
    }

    /// <summary>Looks at both sides and keeps what was found. A closed door is kept too, and is the survey's fault: a person has to open it.</summary>
    private async Task<Fault?> SurveyAsync(Claim claim, Road road, Tally tally, CancellationToken cancel)
    {
        var order = new SurveyOrder(
            await SideAsync(road.From, () => access.FromAsync(claim.Person, road.From, cancel)),
            await SideAsync(road.To, () => access.ToAsync(claim.Person, road.To, road.Rules.Root, cancel)),
            road.Rules,
            road.From.Rules is null ? null : (who, c) => ManageSieveRules.ReadForwardsAsync(road.From, who, tokens, null, c));
        var inventory = await new Survey(accounts, order, tally, time).TakeAsync(cancel);
        await surveys.SaveAsync(claim, inventory, cancel);
        return inventory.FromFault ?? inventory.ToFault;
    }

    private static async Task<SurveySide> SideAsync(Core.Planning.Service service, Func<Task<Credentials>> credentials)
    {
        try
        {
            return new SurveySide(service, await credentials(), null);
        }
        catch (FaultException e) when (e.Fault.Turn is not Turn.Wait)
        {
            return new SurveySide(service, null, e.Fault);
        }
    }

    /// <summary>Keeps the lease, tells progress, and stops the pass when a person held the move or another worker has it.</summary>
    private async Task BeatAsync(Claim claim, Tally tally, ConcurrentQueue<string> notes, CancellationTokenSource stop)
    {
        var began = time.GetTimestamp();
        try
        {
            while (true)
            {
                await Task.Delay(s_heartbeat, time, stop.Token);
                if (!await store.RenewAsync(claim, tally, stop.Token)) await stop.CancelAsync();
                else if (time.GetElapsedTime(began) > options.Turn && await OthersWaitAsync(stop.Token)) await stop.CancelAsync();
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

    /// <summary>Somebody else could run if this one gave way: nobody waits for days behind a few large mailboxes.</summary>
    private async Task<bool> OthersWaitAsync(CancellationToken cancel) =>
        (await plan.GetAsync(cancel)).Plan is { } current && await store.AnyDueAsync(care.Resting(current).Batches, cancel);

    private async Task EndAsync(Claim claim, Tally tally, ConcurrentQueue<string> notes, PassEnd end, Timetable? timetable)
    {
        var person = claim.Person;
        try
        {
            await store.EndAsync(claim, tally, end, state => end switch
            {
                { Fault: { Turn: Turn.Wait, Service: { } service } fault } when FaultRules.IsOfService(fault) && care.PauseOf(service) is { } pause => state.Pause(fault, pause.Until),
                { Fault: { } fault } => state.Fail(fault, tally.Progressed || (claim.State.Wanted is PassKind.Compare && tally.Looked > 0), Random.Shared.NextDouble(), timetable, Now),
                { Stopped: true } => state.Interrupt(timetable, Now),
                _ => state.Complete(timetable, Now),
            }, CancellationToken.None);
            await WriteNotesAsync(claim, notes);
            await journal.WriteAsync(Journal.Service, person.Batch, new MoveRowName(person.Id, person.FromAccount), await DescribeAsync(claim, tally, end), CancellationToken.None);
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

    private async Task<string> DescribeAsync(Claim claim, Tally tally, PassEnd end)
    {
        var text = Describe(claim, tally, end);
        if (claim.State.Wanted is not PassKind.First || end is not { Fault: null, Stopped: false }) return text;
        // A first pass that was broken off and went on tells what it carried in all, not just what was left to do.
        await using var db = database.Read();
        var row = await db.Moves.FirstAsync(m => m.Id == claim.Person.Id);
        return $"{text}; in all {row.Carried} carried ({ByteCount.Write(row.Octets)}), {row.Paired} paired, {row.Excluded} excluded, {row.LeftBehind} left behind of {row.Found} found";
    }

    private static string Describe(Claim claim, Tally tally, PassEnd end)
    {
        var pass = claim.State.Wanted switch { PassKind.First => "first pass", PassKind.Survey => "survey", PassKind.Compare => "comparison", _ => "catch-up pass" };
        var did = new List<string>();
        if (tally.Looked > 0) did.Add($"{tally.Looked} messages seen");
        if (tally.Carried > 0) did.Add($"{tally.Carried} carried ({ByteCount.Write(tally.Octets)})");
        if (tally.Paired > 0) did.Add($"{tally.Paired} paired");
        if (tally.Excluded > 0) did.Add($"{tally.Excluded} excluded");
        if (tally.LeftBehind > 0) did.Add($"{tally.LeftBehind} left behind");
        if (tally.Moved > 0) did.Add($"{tally.Moved} moved");
        if (tally.Removed > 0) did.Add($"{tally.Removed} deleted");
        if (tally.FlagsChanged > 0) did.Add($"{tally.FlagsChanged} with changed flags");
        if (tally.Differences > 0) did.Add($"{tally.Differences} differ between the sides");
        var sum = did.Count == 0 ? claim.State.Wanted is PassKind.Survey or PassKind.Compare ? "no message seen" : "nothing new" : string.Join(", ", did);
        return end switch
        {
            { Fault: { } fault } => $"{pass} stopped by a fault after {sum}: {fault}",
            { Stopped: true } => $"{pass} stopped after {sum}; it goes on from there",
            _ => $"{pass} ended: {sum}",
        };
    }
}
