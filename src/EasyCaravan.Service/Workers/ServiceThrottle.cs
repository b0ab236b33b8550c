using System.Collections.Concurrent;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>A service in trouble, on which every move waits for the same moment.</summary>
/// <param name="Until">When one move tries again for all.</param>
/// <param name="Attempts">Troubles in a row.</param>
/// <param name="Trying">One is under way to see whether it answers.</param>
internal sealed record ServicePause(Instant Until, Fault Fault, int Attempts, bool Trying);

/// <summary>What services said about how they want to be used: the pace of each, and which of them want to be left alone for now.</summary>
internal sealed class ServiceThrottle(ServiceSlots slots, MoveStore store, WorkSignal signal, TimeProvider time)
{
    private readonly ConcurrentDictionary<(string Service, double?, ByteCount?), RateLimiter> _rateLimiters = new();
    private readonly ConcurrentDictionary<(string Service, string Account, double?, ByteCount?), RateLimiter> _accountRateLimiters = new();
    private readonly Lock _lock = new();
    private readonly Dictionary<string, ServicePause> _pauses = [];

    private Instant Now => Instant.FromDateTimeOffset(time.GetUtcNow());

    /// <summary>The paces of both sides of a move.</summary>
    public RateLimiters RateLimitersOf(Core.Planning.Service from, string fromAccount, Core.Planning.Service to, string toAccount) =>
        new([RateLimiterOf(from), AccountRateLimiterOf(from, fromAccount), RateLimiterOf(to), AccountRateLimiterOf(to, toAccount)], time);

    /// <summary>Keyed by the limits too: after a changed plan the new ones hold.</summary>
    public RateLimiter RateLimiterOf(Core.Planning.Service service) =>
        _rateLimiters.GetOrAdd((service.Name, service.Limits.MessagesPerSecond, service.Limits.BytesPerSecond), key => new RateLimiter(
            key.Item2,
            key.Item3,
            time
        ));

    private RateLimiter AccountRateLimiterOf(Core.Planning.Service service, string account) =>
        _accountRateLimiters.GetOrAdd(
            (service.Name, account.ToUpperInvariant(), service.Limits.MessagesPerSecondPerAccount, service.Limits.BytesPerSecondPerAccount),
            key => new RateLimiter(key.Item3, key.Item4, time)
        );

    /// <summary>Reacts to a fault: lowers the rate at once, or pauses the service for a while.</summary>
    public void Report(Fault fault)
    {
        if (fault.Service is not { } service)
            return;
        // Too many connections: continue with fewer of them.
        if (fault.Code == "LIMIT" && slots.Withhold(service))
            return;
        // A fault before the sign-in means that the service is closed, not that it got too much work.
        if (FaultRules.AsksForLess(fault) && !fault.BeforeSignIn)
        {
            // RFC 5530 §3: INUSE is about one mailbox; everything else that asks for less is about all of them.
            if (fault.Code == "INUSE")
                foreach (
                    var pace in _accountRateLimiters.Where(p =>
                        p.Key.Service == service && p.Key.Account.Equals(fault.Whom, StringComparison.OrdinalIgnoreCase)
                    )
                )
                    pace.Value.SlowDown();
            else
                foreach (var pace in _rateLimiters.Where(p => p.Key.Service == service))
                    pace.Value.SlowDown();
        }
        if (!FaultRules.IsOfService(fault))
            return;
        lock (_lock)
        {
            var before = _pauses.GetValueOrDefault(service);
            // Many moves report the same problem at the same time: it counts once.
            if (before is { Trying: false } && before.Until > Now)
                return;
            var attempts = (before?.Attempts ?? 0) + 1;
            _pauses[service] = new ServicePause(
                Now + Duration.FromTimeSpan(Backoff.After(attempts, Random.Shared.NextDouble())),
                fault,
                attempts,
                Trying: false
            );
        }
    }

    /// <summary>A sign-in succeeded: every move that waits for this service goes on, whenever its own next try was to be.</summary>
    public async Task RecoveredAsync(string service)
    {
        lock (_lock)
        {
            if (!_pauses.Remove(service))
                return;
        }
        await store.ResumeServiceAsync(service, CancellationToken.None);
        signal.Raise();
    }

    public ServicePause? PauseOf(string service)
    {
        lock (_lock)
            return _pauses.GetValueOrDefault(service);
    }

    /// <summary>A plan was applied or somebody asked for a retry: the problem may be solved.</summary>
    public void Forget()
    {
        lock (_lock)
            _pauses.Clear();
    }

    /// <summary>For each batch that is to be left alone now: because of what, and until when.</summary>
    public IReadOnlyDictionary<string, ServicePause> RestingBatches(Plan? plan)
    {
        var pauses = new Dictionary<string, ServicePause>();
        if (plan is null)
            return pauses;
        lock (_lock)
        {
            if (_pauses.Count == 0)
                return pauses;
            foreach (var batch in plan.Batches)
            {
                var route = plan.Routes.First(r => r.Name == batch.Route);
                if (
                    (_pauses.GetValueOrDefault(route.From) ?? _pauses.GetValueOrDefault(route.To)) is { } pause
                    && (pause.Trying || pause.Until > Now)
                )
                    pauses[batch.Name] = pause;
            }
            return pauses;
        }
    }

    /// <summary>Batches whose moves are to be left alone now, and when that ends.</summary>
    public (IReadOnlyList<string> Batches, Instant? Until) Resting(Plan plan)
    {
        var resting = RestingBatches(plan);
        var ends = resting.Values.Where(p => !p.Trying).Select(p => p.Until).ToList();
        return ([.. resting.Keys], ends.Count > 0 ? ends.Min() : null);
    }

    /// <summary>A move over these services begins. When a service had problems, other moves wait for the result of this one.</summary>
    public void Begin(params ReadOnlySpan<string> services)
    {
        lock (_lock)
            foreach (var service in services)
                if (_pauses.TryGetValue(service, out var pause))
                    _pauses[service] = pause with { Trying = true };
    }

    /// <summary>The move ended. When it got no answer from a service, another move may try.</summary>
    public void End(params ReadOnlySpan<string> services)
    {
        lock (_lock)
            foreach (var service in services)
                if (_pauses.TryGetValue(service, out var pause) && pause.Trying)
                    _pauses[service] = pause with { Trying = false };
    }
}
