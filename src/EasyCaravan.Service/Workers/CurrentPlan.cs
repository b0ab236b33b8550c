using EasyCaravan.Core.Planning;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Service.Workers;

/// <summary>The plan in force, read once and again after each apply.</summary>
internal sealed class CurrentPlan(Plans plans)
{
    private readonly Lock _lock = new();
    private State? _state;
    private int _applied;

    private sealed record State(Plan? Plan, PlanRow? Row);

    public async Task<(Plan? Plan, PlanRow? Row)> GetAsync(CancellationToken cancel)
    {
        int before;
        lock (_lock)
        {
            if (_state is { } known)
                return (known.Plan, known.Row);
            before = _applied;
        }
        var current = await plans.CurrentAsync(cancel);
        lock (_lock)
        {
            // A plan that was read while another was applied may be the old one: this caller gets it, but it is not cached.
            if (before == _applied)
                _state = new State(current?.Plan, current?.Row);
        }
        return (current?.Plan, current?.Row);
    }

    public void Forget()
    {
        lock (_lock)
            (_state, _applied) = (null, _applied + 1);
    }

    public async Task<Timetable?> TimetableOfAsync(string batch, CancellationToken cancel) =>
        (await GetAsync(cancel)).Plan?.Batches.FirstOrDefault(b => b.Name == batch)?.Timetable;
}
