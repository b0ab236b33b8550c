using System.Collections.Concurrent;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>
/// Runs one claimed move: its legs in order, or a survey or comparison. Keeps the lease alive, and writes down how it ended.
/// </summary>
internal sealed class MoveWorker(
    MoveStore store,
    PassRunner runner,
    PassReport report,
    Journal journal,
    CurrentPlan plan,
    CurrentRules rules,
    ServiceThrottle throttle,
    LiveHub live,
    CaravanOptions options,
    TimeProvider time,
    ILogger<MoveWorker> log
)
{
    private static readonly Duration s_heartbeat = Duration.FromSeconds(1);

    private Instant Now => Instant.FromDateTimeOffset(time.GetUtcNow());

    /// <summary>Never throws: whatever happens to a pass is written down with its move, or, where the store fails, in the log.</summary>
    public async Task RunAsync(Claim claim, CancellationToken stopping)
    {
        try
        {
            await RunClaimedAsync(claim, stopping);
        }
        catch (Exception e)
        {
            log.LogError(
                e,
                "{Batch}/{Account}: the pass could not be run; it is taken up again when its lease ends",
                claim.Person.Batch,
                claim.Person.FromAccount
            );
        }
    }

    private async Task RunClaimedAsync(Claim claim, CancellationToken stopping)
    {
        var person = claim.Person;
        var timetable = await plan.TimetableOfAsync(person.Batch, CancellationToken.None);
        var isBound = claim.State.Wanted?.RunsAtAnyHour() != true;
        if (isBound && timetable?.IsOpen(Now) == false)
        {
            await store.PutBackAsync(claim, state => state.PutBack(timetable, Now), CancellationToken.None);
            live.Touch(person.Id);
            return;
        }
        var pass = new RunningPass(claim);
        live.Touch(person.Id);
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(stopping);
        var heart = BeatAsync(pass, isBound, stop);
        var end = await runner.RunAsync(pass, leg => EndLegAsync(pass, leg), stop.Token);
        await stop.CancelAsync();
        await heart;
        await EndAsync(pass, end);
        live.Touch(person.Id);
    }

    /// <summary>
    /// Keeps the lease, tells progress, and stops the pass when a person held the move, its window shut, or another worker has it.
    /// </summary>
    private async Task BeatAsync(RunningPass pass, bool isBound, CancellationTokenSource stop)
    {
        var (claim, began) = (pass.Claim, time.GetTimestamp());
        try
        {
            while (true)
            {
                await Task.Delay(await UntilNextBeatAsync(claim, isBound), time, stop.Token);
                // Asked anew each time: another plan may be in force by now, and the clock may have jumped.
                if (isBound && (await plan.TimetableOfAsync(claim.Person.Batch, stop.Token))?.IsOpen(Now) == false)
                    await stop.CancelAsync();
                else if (await rules.StopsAsync(claim.Person.Batch, stop.Token))
                    await stop.CancelAsync();
                else if (!await store.RenewAsync(claim, pass.Tallies, stop.Token))
                    await stop.CancelAsync();
                else if (time.GetElapsedTime(began) > options.TimeSlice && await OthersWaitAsync(claim, stop.Token))
                    await stop.CancelAsync();
                await WriteNotesAsync(pass);
                live.Touch(claim.Person.Id);
            }
        }
        catch (OperationCanceledException)
        {
            // The pass ended.
        }
        catch (Exception e)
        {
            // Without a lease no work is allowed: the pass stops, and the move is claimed again later.
            log.LogError(e, "{Batch}/{Account}: the lease cannot be renewed", claim.Person.Batch, claim.Person.FromAccount);
            await stop.CancelAsync();
        }
    }

    /// <summary>A beat falls on the moment at which the window shuts.</summary>
    private async Task<TimeSpan> UntilNextBeatAsync(Claim claim, bool isBound)
    {
        var closes = isBound ? (await plan.TimetableOfAsync(claim.Person.Batch, CancellationToken.None))?.ClosesAt(Now) : null;
        var left = closes - Now ?? s_heartbeat;
        return Duration.Max(Duration.Zero, Duration.Min(left, s_heartbeat)).ToTimeSpan();
    }

    /// <summary>Whether another move could run if this one paused, so that nobody waits for days behind a few large mailboxes.</summary>
    private async Task<bool> OthersWaitAsync(Claim claim, CancellationToken cancel) =>
        await store.AnyDueAsync((await rules.GetAsync(cancel)).Rules, instead: claim.Person.Batch, cancel);

    /// <summary>
    /// Other legs may take days. That this one ended is seen at once, and whoever takes the move up after a crash goes on with the others.
    /// </summary>
    private async Task EndLegAsync(RunningPass pass, LegEnd end)
    {
        var (tally, person) = (pass.Tallies.First(t => t.Kind == end.Kind), pass.Claim.Person);
        try
        {
            var timetable = await plan.TimetableOfAsync(person.Batch, CancellationToken.None);
            await store.EndLegAsync(
                pass.Claim,
                tally,
                end,
                state => state.EndLeg(end, ResumesAt, Random.Shared.NextDouble(), timetable, Now),
                CancellationToken.None
            );
            tally.Folder = null;
            pass.Ended.Add(end.Kind);
            await WriteNotesAsync(pass);
            await WriteAsync(person, await report.DescribeLegAsync(pass.Claim, tally, end));
        }
        catch (Exception e) when (e is not LeaseLostException)
        {
            // What could not be written down now is written with the end of the pass.
            log.LogError(e, "{Batch}/{Account}: the end of a leg cannot be written", person.Batch, person.FromAccount);
        }
        live.Touch(person.Id);
    }

    private async Task EndAsync(RunningPass pass, PassEnd end)
    {
        var (claim, person) = (pass.Claim, pass.Claim.Person);
        var tallies = pass.Tallies.Where(t => !pass.Ended.Contains(t.Kind)).ToList();
        end = end with { Legs = [.. end.Legs.Where(l => !pass.Ended.Contains(l.Kind))] };
        try
        {
            // Another plan may be in force than when it began.
            var timetable = await plan.TimetableOfAsync(person.Batch, CancellationToken.None);
            await store.EndAsync(
                claim,
                tallies,
                end,
                state => state.End(end, ResumesAt, Random.Shared.NextDouble(), timetable, Now),
                CancellationToken.None
            );
            await WriteNotesAsync(pass);
            if (claim.State.Wanted is PassKind.Crossing)
            {
                // What was done stands in the journal already, step by step.
                if (end.Fault is { } stopped)
                    await WriteAsync(person, $"the crossing stopped: {stopped}");
                return;
            }
            foreach (var tally in tallies)
                await WriteAsync(
                    person,
                    claim.State.Wanted?.RunsLegs() == false
                        ? PassReport.DescribeLook(claim, tally, end)
                        : await report.DescribeLegAsync(claim, tally, end.Legs.FirstOrDefault(l => l.Kind == tally.Kind))
                );
        }
        catch (Exception e)
        {
            // The lease expires by itself; then the move continues from its ledger.
            log.LogError(e, "{Batch}/{Account}: the end of a pass cannot be written", person.Batch, person.FromAccount);
        }
    }

    /// <summary>
    /// When the service that a fault came from is tried again for all who wait for it; null where the fault is not about the service.
    /// </summary>
    private Instant? ResumesAt(Fault fault) =>
        fault is { Action: FaultAction.RetryLater, Service: { } service } && FaultRules.IsOfService(fault)
            ? throttle.PauseOf(service)?.Until
            : null;

    private async Task WriteNotesAsync(RunningPass pass)
    {
        while (pass.Notes.TryDequeue(out var note))
            await WriteAsync(pass.Claim.Person, note);
    }

    private Task WriteAsync(MovePerson person, string sentence) =>
        journal.WriteAsync(Journal.Service, person.Batch, new MoveRowName(person.Id, person.FromAccount), sentence, CancellationToken.None);
}

/// <summary>A pass under way, with what others read of it meanwhile.</summary>
internal sealed class RunningPass(Claim claim)
{
    public Claim Claim => claim;

    /// <summary>One for each kind that runs; a survey or comparison looks at mail.</summary>
    public IReadOnlyList<Tally> Tallies { get; } =
        claim.Legs.Count == 0 ? [new Tally(Kind.Mail)] : [.. claim.Legs.Select(k => new Tally(k))];

    /// <summary>Kinds of which it was written down already how their legs ended.</summary>
    public HashSet<Kind> Ended { get; } = [];

    /// <summary>Sentences for the journal.</summary>
    public ConcurrentQueue<string> Notes { get; } = [];
}
