using System.Collections.Concurrent;

namespace EasyCaravan.Service.Workers;

/// <summary>
/// Counts the connections to each service and to each of its accounts, over all moves, and never exceeds their limits.
/// </summary>
internal sealed class ServiceSlots(TimeProvider time)
{
    /// <summary>How long the limit stays lower after a service reported too many connections.</summary>
    private static readonly TimeSpan s_withheldFor = TimeSpan.FromMinutes(1);

    // Keyed by the limits too: after a changed plan, new connections count against the new limits.
    private readonly ConcurrentDictionary<(string Service, int Limit), Gate> _services = new();
    private readonly ConcurrentDictionary<(string Service, string Account, int Limit), Gate> _accounts = new();

    /// <summary>A limited number of slots, given out in the order of the requests.</summary>
    private sealed class Gate(int limit) : SemaphoreSlim(limit)
    {
        public int Limit { get; } = limit;

        public int Waiting;

        public int Withheld;

        public int InUse => Limit - CurrentCount - Volatile.Read(ref Withheld);
    }

    public int InUse(string service) => _services.Where(g => g.Key.Service == service).Sum(g => Math.Max(0, g.Value.InUse));

    /// <summary>Connections that are not opened for now, because the service asked for fewer.</summary>
    public int Withheld(string service) => _services.Where(g => g.Key.Service == service).Sum(g => Volatile.Read(ref g.Value.Withheld));

    public async Task<IDisposable> AcquireAsync(Core.Planning.Service service, string account, CancellationToken cancel)
    {
        var (all, own) = GatesOf(service, account);
        // The account's slot first: a wait for it does not occupy a slot of the service.
        await own.WaitAsync(cancel);
        try
        {
            Interlocked.Increment(ref all.Waiting);
            try
            {
                await all.WaitAsync(cancel);
            }
            finally
            {
                Interlocked.Decrement(ref all.Waiting);
            }
        }
        catch
        {
            own.Release();
            throw;
        }
        return new Slot(all, own);
    }

    /// <summary>Null when no slot is free, or when a move that has none is waiting.</summary>
    public IDisposable? TryAcquire(Core.Planning.Service service, string account)
    {
        var (all, own) = GatesOf(service, account);
        if (Volatile.Read(ref all.Waiting) > 0 || !own.Wait(0))
            return null;
        if (all.Wait(0))
            return new Slot(all, own);
        own.Release();
        return null;
    }

    /// <summary>The service reported too many connections: a quarter fewer for a while. False when only one pair is left.</summary>
    public bool Withhold(string service)
    {
        var any = false;
        foreach (var (key, gate) in _services.Where(g => g.Key.Service == service))
        {
            var bearable = Math.Max(2, (gate.InUse - 1) * 3 / 4);
            var less = key.Limit - Volatile.Read(ref gate.Withheld) - bearable;
            if (less <= 0)
                continue;
            any = true;
            Interlocked.Add(ref gate.Withheld, less);
            for (var i = 0; i < less; i++)
                _ = HoldAsync(gate);
        }
        return any;
    }

    private async Task HoldAsync(Gate gate)
    {
        await gate.WaitAsync();
        await Task.Delay(s_withheldFor, time);
        Interlocked.Decrement(ref gate.Withheld);
        gate.Release();
    }

    private (Gate All, Gate Own) GatesOf(Core.Planning.Service service, string account) =>
        (
            _services.GetOrAdd((service.Name, service.Limits.Connections), key => new Gate(key.Limit)),
            _accounts.GetOrAdd((service.Name, account.ToUpperInvariant(), service.Limits.PerAccount), key => new Gate(key.Limit))
        );

    private sealed class Slot(Gate all, Gate own) : IDisposable
    {
        private Gate? _all = all;

        public void Dispose()
        {
            if (Interlocked.Exchange(ref _all, null) is not { } held)
                return;
            held.Release();
            own.Release();
        }
    }
}
