using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>Runs the contacts or the calendars leg of a move.</summary>
internal abstract class CollectionLegRunner(
    Kind kind,
    MoveStore store,
    CollectionAccounts accounts,
    MoveContexts contexts,
    CollectionOrders orders
) : ILegRunner
{
    public Kind Kind => kind;

    public async Task RunAsync(LegOrder order, CancellationToken cancel)
    {
        var context = await contexts.OfAsync(order.Claim.Person, cancel);
        var (person, from, to, _) = context;
        var collections = await orders.MakeAsync(context, kind, cancel);
        var leg = new CollectionLeg(
            accounts,
            store.LedgerOf(order.Claim, kind),
            store.CollectionsOf(order.Claim, kind),
            collections,
            order.Tally,
            order.Journal
        );
        try
        {
            await leg.RunAsync(cancel);
            foreach (var service in new[] { from, to })
                await accounts.KeepSpeedsAsync(service, kind, cancel);
        }
        catch (FaultException e) when (e.Fault.Cause is Cause.FolderRefused or Cause.NotPermitted or Cause.AccountNotFound)
        {
            // The place that is remembered may no longer be right.
            await accounts.ForgetAsync(from, kind, person.FromAccount, cancel);
            await accounts.ForgetAsync(to, kind, person.ToAccount, cancel);
            throw;
        }
    }
}

internal sealed class ContactsLegRunner(MoveStore store, CollectionAccounts accounts, MoveContexts contexts, CollectionOrders orders)
    : CollectionLegRunner(Kind.Contacts, store, accounts, contexts, orders);

internal sealed class CalendarsLegRunner(MoveStore store, CollectionAccounts accounts, MoveContexts contexts, CollectionOrders orders)
    : CollectionLegRunner(Kind.Calendars, store, accounts, contexts, orders);
