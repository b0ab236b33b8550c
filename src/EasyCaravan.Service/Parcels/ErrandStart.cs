using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;

namespace EasyCaravan.Service.Parcels;

/// <summary>Checks an errand against the plan in force, adds it, and starts its people.</summary>
internal sealed class ErrandStart(Errands errands, Plans plans, Moves moves, CurrentPlan current, WorkSignal signal, LiveHub live)
{
    /// <param name="starts">False: somebody looks at a survey first.</param>
    public async Task<Results<Ok<ErrandView>, ProblemHttpResult>> RunAsync(
        ErrandKind kind,
        string? key,
        Func<string, string> textOf,
        IReadOnlyList<MoveRow> people,
        DateTimeOffset? keepUntil,
        string what,
        bool starts,
        string who,
        CancellationToken cancel
    )
    {
        Plan plan;
        try
        {
            var (checkedPlan, wrong) = await plans.TryErrandAsync(textOf, cancel);
            if (checkedPlan is null)
                return Problems.Invalid($"This cannot be done: {wrong!.What}.", $"It has to be {wrong.Allowed}");
            plan = checkedPlan;
        }
        catch (FormatException e)
        {
            return Problems.Invalid($"This cannot be done: {e.Message}", "Give folders such as INBOX or \"Projects/**\"");
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
        var carry = plan.RouteOf(plan.Batches[^1]).Carry;
        var name = await errands.AddAsync(kind, key, textOf, people, carry, keepUntil, who, what, cancel);
        current.Forget();
        if (starts)
            await moves.StepAsync(
                name,
                null,
                who,
                MoveActions.VerbOf(MoveAction.Start),
                (move, now) => MoveActions.After(MoveAction.Start, move, null, now),
                cancel
            );
        signal.Raise();
        live.TouchPlan();
        var row = (await errands.ListAsync(cancel)).First(e => e.Name == name);
        return TypedResults.Ok(ViewOf(row, (await current.GetAsync(cancel)).Plan, people.Count));
    }

    public static ErrandView ViewOf(ErrandRow row, Plan? plan, int people)
    {
        var route = plan?.Routes.FirstOrDefault(r => r.Name == row.Name);
        return new ErrandView(
            row.Name,
            ContractWord.To<ErrandWord>(row.Kind),
            route?.From ?? "",
            route?.To ?? "",
            people,
            MoveViews.Time(row.CreatedAt)!.Value,
            row.CreatedBy,
            MoveViews.Time(row.KeepUntil),
            MoveViews.Time(row.DeletedAt)
        );
    }
}
