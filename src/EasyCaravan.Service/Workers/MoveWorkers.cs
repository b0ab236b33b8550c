using System.Collections.Concurrent;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>Claims due moves and runs them, so many at a time.</summary>
internal sealed class MoveWorkers(
    MoveStore store,
    MoveWorker worker,
    ServiceThrottle throttle,
    CurrentPlan plan,
    CurrentRules rules,
    WorkSignal signal,
    CaravanOptions options,
    TimeProvider time,
    ILogger<MoveWorkers> log
) : BackgroundService
{
    /// <summary>How long at most until due moves are looked for again: leases of lost workers run out without a signal.</summary>
    private static readonly TimeSpan s_rhythm = TimeSpan.FromSeconds(5);

    private readonly ConcurrentDictionary<long, bool> _own = new();

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await store.ReleaseAsync(options.Owner, stoppingToken);
        await store.PrepareAsync(stoppingToken);
        var running = new List<Task>();
        while (!stoppingToken.IsCancellationRequested)
        {
            running.RemoveAll(t => t.IsCompleted);
            // Before looking: what becomes due while it looks is not missed.
            var raised = signal.WaitAsync(stoppingToken);
            var claim = running.Count < options.MovesAtOnce ? await TryClaimAsync(stoppingToken) : null;
            if (claim is not null)
            {
                running.Add(RunAsync(claim, stoppingToken));
                continue;
            }
            await WaitAsync(running, raised, stoppingToken);
        }
        // Each stops its pass by itself; the host waits ten seconds for all.
        await Task.WhenAll(running);
    }

    /// <summary>When a service had problems, one move tests it for all the others.</summary>
    private async Task RunAsync(Claim claim, CancellationToken stopping)
    {
        var current = (await plan.GetAsync(CancellationToken.None)).Plan;
        var route = current?.Routes.FirstOrDefault(r => r.Name == current.Batches.FirstOrDefault(b => b.Name == claim.Person.Batch)?.Route);
        string[] services = route is null ? [] : [route.From, route.To];
        throttle.Begin(services);
        _own[claim.Person.Id] = true;
        try
        {
            await worker.RunAsync(claim, stopping);
        }
        finally
        {
            _own.TryRemove(claim.Person.Id, out _);
            throttle.End(services);
        }
    }

    private async Task<Claim?> TryClaimAsync(CancellationToken cancel)
    {
        try
        {
            var (current, _) = await rules.GetAsync(cancel);
            return await store.ClaimAsync(options.Owner, current with { Own = [.. _own.Keys] }, cancel);
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            // The store may be full or locked for a while: moves wait where they are.
            log.LogError(e, "Due moves cannot be claimed; trying again in {Seconds} s", s_rhythm.TotalSeconds);
            return null;
        }
    }

    private async Task WaitAsync(List<Task> running, Task raised, CancellationToken cancel)
    {
        try
        {
            var pause = s_rhythm;
            var (current, ends) = await rules.GetAsync(cancel);
            var next = await store.NextDueAsync(current, cancel);
            if (ends is { } end && !(next < end))
                next = end;
            if (running.Count < options.MovesAtOnce && next is { } due)
            {
                var until = due - Instant.FromDateTimeOffset(time.GetUtcNow());
                pause = TimeSpan.FromMilliseconds(Math.Clamp(until.TotalMilliseconds, 20, s_rhythm.TotalMilliseconds));
            }
            await Task.WhenAny([raised, Task.Delay(pause, time, cancel), .. running]);
        }
        catch (OperationCanceledException)
        {
            // Stopping.
        }
        catch (Exception e)
        {
            log.LogError(e, "The store cannot be asked what is due; trying again in {Seconds} s", s_rhythm.TotalSeconds);
            await Task.Delay(s_rhythm, time, CancellationToken.None);
        }
    }
}

/// <summary>Wakes the workers when something became due.</summary>
internal sealed class WorkSignal
{
    private TaskCompletionSource _raised = new(TaskCreationOptions.RunContinuationsAsynchronously);

    public void Raise() =>
        Interlocked.Exchange(ref _raised, new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously)).TrySetResult();

    public Task WaitAsync(CancellationToken cancel) => Volatile.Read(ref _raised).Task.WaitAsync(cancel);
}
