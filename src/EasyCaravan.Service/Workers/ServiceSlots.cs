using System.Collections.Concurrent;

namespace EasyCaravan.Service.Workers;

/// <summary>How many connections to a service are open, over all moves. The service's limit is never passed.</summary>
internal sealed class ServiceSlots
{
    // Keyed by the limit too: after a changed plan, new connections count against the new limit.
    private readonly ConcurrentDictionary<(string Service, int Limit), SemaphoreSlim> _free = new();
    private readonly ConcurrentDictionary<string, int> _inUse = new();

    public int InUse(string service) => _inUse.GetValueOrDefault(service);

    public async Task<IDisposable> AcquireAsync(Core.Planning.Service service, CancellationToken cancel)
    {
        var free = FreeOf(service);
        await free.WaitAsync(cancel);
        return Take(service, free);
    }

    public IDisposable? TryAcquire(Core.Planning.Service service)
    {
        var free = FreeOf(service);
        return free.Wait(0) ? Take(service, free) : null;
    }

    private SemaphoreSlim FreeOf(Core.Planning.Service service) =>
        _free.GetOrAdd((service.Name, service.Limits.Connections), key => new SemaphoreSlim(key.Limit));

    private Slot Take(Core.Planning.Service service, SemaphoreSlim free)
    {
        _inUse.AddOrUpdate(service.Name, 1, (_, n) => n + 1);
        return new Slot(() =>
        {
            _inUse.AddOrUpdate(service.Name, 0, (_, n) => n - 1);
            free.Release();
        });
    }

    private sealed class Slot(Action giveBack) : IDisposable
    {
        private Action? _giveBack = giveBack;

        public void Dispose() => Interlocked.Exchange(ref _giveBack, null)?.Invoke();
    }
}
