using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.TakingBack;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>
/// Runs what a claim is for, and tells how it ended. What goes wrong is told to the services' throttle, and gets their own remedies.
/// </summary>
internal sealed class PassRunner(
    IEnumerable<ILegRunner> legs,
    SurveyRunner surveys,
    ComparisonRunner comparisons,
    CrossingRunner crossings,
    MailOrders orders,
    CollectionOrders collectionOrders,
    MoveContexts contexts,
    IMailAccounts accounts,
    CollectionAccounts collections,
    MoveStore store,
    CurrentPlan plan,
    ServiceThrottle throttle,
    AccountAccess access,
    ParcelPlaces parcels,
    ILogger<PassRunner> log
)
{
    /// <param name="legEnded">Told of each leg that came to its end while others have yet to run.</param>
    public async Task<PassEnd> RunAsync(RunningPass pass, Func<LegEnd, Task> legEnded, CancellationToken cancel)
    {
        using var secrecy = Secrecy.Begin();
        var person = pass.Claim.Person;
        try
        {
            if (pass.Claim.State.Wanted?.RunsLegs() != false)
                return await RunLegsAsync(pass, legEnded, cancel);
            var end = await LookAsync(pass, cancel);
            return end with { Fault = await AdviseAsync(person, end.Fault, end.Unexpected) };
        }
        catch (LeaseLostException)
        {
            log.LogWarning("{Batch}/{Account}: another worker took the move over", person.Batch, person.FromAccount);
            return new PassEnd([], Stopped: true);
        }
    }

    private async Task<PassEnd> RunLegsAsync(RunningPass pass, Func<LegEnd, Task> legEnded, CancellationToken cancel)
    {
        var claim = pass.Claim;
        IDisposable? stay = null;
        var ordered = pass.Tallies.Select(tally =>
        {
            var order = new LegOrder(claim, claim.State.Legs.First(l => l.Kind == tally.Kind), tally, pass.Notes.Enqueue);
            return new Leg(tally.Kind, tally, c => RunLegAsync(order, c));
        });
        try
        {
            return await new Pass([.. ordered], claim.Person.FromAccount, EndedAsync).RunAsync(cancel);
        }
        finally
        {
            stay?.Dispose();
        }

        async Task RunLegAsync(LegOrder order, CancellationToken c)
        {
            var runner = legs.First(r => r.Kind == order.Tally.Kind);
            if (!await PacksAsync(claim.Person, c))
            {
                await runner.RunAsync(order, c);
                return;
            }
            var context = await contexts.OfAsync(claim.Person, c);
            var who = await access.ToAsync(context, c);
            stay ??= parcels.Stay(context.To, who);
            await runner.RunAsync(order, c);
            // With the last leg a parcel is complete; before that, whoever finds it finds it under way.
            if (order.Tally == pass.Tallies[^1] && parcels.EndRun(context.To, who) is { } packed)
                pass.Notes.Enqueue(packed);
        }

        async Task<LegEnd> EndedAsync(LegEnd end)
        {
            end = end with { Fault = await AdviseAsync(claim.Person, end.Fault, end.Unexpected) };
            if (end.Kind != pass.Tallies[^1].Kind)
                await legEnded(end);
            return end;
        }
    }

    /// <summary>By the plan alone: every leg of every pass asks.</summary>
    private async Task<bool> PacksAsync(MovePerson person, CancellationToken cancel)
    {
        var current = (await plan.GetAsync(cancel)).Plan!;
        var to = current.RouteOf(current.Batches.First(b => b.Name == person.Batch)).To;
        return current.Services.First(s => s.Name == to).Parcels is not null;
    }

    private async Task<PassEnd> LookAsync(RunningPass pass, CancellationToken cancel)
    {
        var (claim, tally) = (pass.Claim, pass.Tallies[0]);
        CrossingState? crossing = null;
        async Task DoAsync(CancellationToken c)
        {
            if (claim.State.Wanted is PassKind.Survey)
            {
                if (await surveys.RunAsync(claim, tally, c) is { } fault)
                    throw new FaultException(fault, Verdict.Keep);
                return;
            }
            if (claim.State.Wanted is PassKind.Compare)
            {
                await comparisons.RunAsync(pass, c);
                return;
            }
            if (claim.State.Wanted is PassKind.Crossing)
            {
                crossing = claim.State.Crossing!;
                crossing = await crossings.RunAsync(pass, reached => crossing = reached, c);
                return;
            }
            var context = await contexts.OfAsync(claim.Person, c);
            var kinds = claim.State.Legs.Select(l => l.Kind).ToList();
            await new TakeBack(
                store.TakeBackOf(claim, kinds[0]),
                [.. kinds.Select(k => new TakenKind(k, (isCheck, t) => TakeBackAsync(pass, context, k, isCheck, t)))],
                (isCheck, t) => EndTakeBackAsync(pass, context, isCheck, t)
            ).RunAsync(c);
        }
        // Run as a leg, so that what goes wrong is caught in one place.
        var end = await new Pass([new Leg(tally.Kind, tally, DoAsync)], claim.Person.FromAccount).RunAsync(cancel);
        var looked = end.Legs is [var only] ? only : null;
        return new PassEnd([], end.Stopped, looked?.Fault)
        {
            Progressed = tally.Progressed || (claim.State.Wanted is not PassKind.Survey && tally.Looked > 0),
            Unexpected = looked?.Unexpected,
            Crossing = crossing,
        };
    }

    private async Task EndTakeBackAsync(RunningPass pass, MoveContext context, bool isCheck, CancellationToken cancel)
    {
        // What was taken out of a parcel is told by another part of it.
        if (!isCheck && context.To.Parcels is not null && parcels.EndRun(context.To, await access.ToAsync(context, cancel)) is { } packed)
            pass.Notes.Enqueue(packed);
        await store.EndTakeBackAsync(pass.Claim, isCheck, cancel);
    }

    private async Task TakeBackAsync(RunningPass pass, MoveContext context, Kind kind, bool isCheck, CancellationToken cancel)
    {
        var (claim, tally) = (pass.Claim, pass.Tallies[0]);
        var (ledger, record) = (store.LedgerOf(claim, kind), store.TakeBackOf(claim, kind));
        if (kind is Kind.Mail)
        {
            var mail = await orders.MakeAsync(context, cancel);
            await new MailTakeBack(accounts, ledger, record, mail, isCheck, tally, pass.Notes.Enqueue).RunAsync(cancel);
            return;
        }
        await new CollectionTakeBack(
            collections,
            ledger,
            store.CollectionsOf(claim, kind),
            record,
            await collectionOrders.MakeAsync(context, kind, cancel),
            isCheck,
            tally,
            pass.Notes.Enqueue
        ).RunAsync(cancel);
    }

    /// <summary>Each service's own remedies, for what that service said.</summary>
    private async Task<Fault?> AdviseAsync(MovePerson person, Fault? fault, Exception? unexpected)
    {
        if (fault is null)
            return null;
        if (unexpected is not null)
            log.LogError(unexpected, "{Batch}/{Account}: a pass ended unexpectedly", person.Batch, person.FromAccount);
        else
            log.LogInformation("{Batch}/{Account}: {Fault}", person.Batch, person.FromAccount, fault);
        // What failed before the sign-in was reported there.
        if (!fault.BeforeSignIn)
            throttle.Report(fault);
        var services = (await plan.GetAsync(CancellationToken.None)).Plan?.Services ?? [];
        return fault.Advised(services.FirstOrDefault(s => s.Name == fault.Service)?.Help ?? []);
    }
}
