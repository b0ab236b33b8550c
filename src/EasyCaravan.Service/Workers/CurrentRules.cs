using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>Whom the schedule leaves alone now: by the plan in force, by services in trouble, and by what people drain.</summary>
internal sealed class CurrentRules(CurrentPlan plan, ServiceThrottle throttle, Drains drains)
{
    private (Plan Plan, IReadOnlyList<ServiceShare> Shares)? _shares;

    /// <returns>The rules, and when a service in trouble is tried again; null: none is in trouble.</returns>
    public async Task<(ScheduleRules Rules, Instant? Until)> GetAsync(CancellationToken cancel)
    {
        if ((await plan.GetAsync(cancel)).Plan is not { } current)
            return (ScheduleRules.None, null);
        if (_shares is not { } known || known.Plan != current)
            _shares = known = (current, ServiceShare.Of(current));
        var (resting, until) = throttle.Resting(current);
        var drained = await drains.BatchesAsync(current, cancel);
        return (new ScheduleRules([.. resting.Union(drained.Keys)], known.Shares), until);
    }

    /// <summary>Whether a running pass of a batch is to stop, because a service is drained at once.</summary>
    public async Task<bool> StopsAsync(string batch, CancellationToken cancel) =>
        (await plan.GetAsync(cancel)).Plan is { } current && (await drains.BatchesAsync(current, cancel, stopped: true)).ContainsKey(batch);
}
