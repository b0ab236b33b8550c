using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>What a move's own rows do not tell of why it waits.</summary>
/// <param name="Resting">Batches on whose services nobody is called now.</param>
/// <param name="Drained">For each batch over a drained service: that service, or <see cref="Drains.Everything"/>.</param>
/// <param name="Trouble">Why the store takes nothing now: nobody can go on, whatever the rows say.</param>
internal sealed record MoveSurroundings(
    Plan? Plan,
    IReadOnlyDictionary<string, ServicePause> Resting,
    IReadOnlyDictionary<string, string> Drained,
    Fault? Trouble,
    Instant Now
)
{
    public LeftBehindTolerance ToleranceOf(string batch) => Plan is null ? LeftBehindTolerance.None : ToleranceOf(Plan, batch);

    /// <summary>What the batch's route says; of a batch that is no longer in the plan, nothing is tolerated.</summary>
    public static LeftBehindTolerance ToleranceOf(Plan plan, string batch) =>
        plan.Batches.FirstOrDefault(b => b.Name == batch) is { } planned ? plan.RouteOf(planned).Tolerance : LeftBehindTolerance.None;

    public Timetable? TimetableOf(string batch) => Plan?.Batches.FirstOrDefault(b => b.Name == batch)?.Timetable;
}

/// <summary>Moves as people see them, with what surrounds them.</summary>
internal sealed class MoveBoard(Database database, CurrentPlan current, ServiceThrottle throttle, Drains drains, TimeProvider time)
{
    public async Task<List<MoveView>> LoadAsync(CaravanDb db, IQueryable<MoveRow> query, CancellationToken cancel)
    {
        var plan = (await current.GetAsync(cancel)).Plan;
        var surroundings = new MoveSurroundings(
            plan,
            throttle.RestingBatches(plan),
            plan is null ? new Dictionary<string, string>() : await drains.BatchesAsync(plan, cancel),
            database.Trouble,
            Instant.FromDateTimeOffset(time.GetUtcNow())
        );
        return await MoveViews.LoadAsync(db, query, surroundings, cancel);
    }

    public async Task<LeftBehindTolerance> ToleranceOfAsync(string batch, CancellationToken cancel) =>
        (await current.GetAsync(cancel)).Plan is { } plan ? MoveSurroundings.ToleranceOf(plan, batch) : LeftBehindTolerance.None;
}
