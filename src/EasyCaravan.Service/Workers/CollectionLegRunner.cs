using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>Runs the contacts or the calendars leg of a move.</summary>
internal abstract class CollectionLegRunner(
    Kind kind,
    MoveStore store,
    CollectionAccounts accounts,
    MoveContexts contexts,
    AccountAccess access,
    ServiceThrottle throttle,
    TimeProvider time
) : ILegRunner
{
    public Kind Kind => kind;

    public async Task RunAsync(LegOrder order, CancellationToken cancel)
    {
        var (person, from, to, rules) = await contexts.OfAsync(order.Claim.Person, cancel);
        var collections = new CollectionLegOrder(
            kind,
            new Side(from, await access.FromAsync(person, from, kind, cancel)),
            new Side(to, await access.ToAsync(person, to, null, cancel)),
            kind is Kind.Contacts ? rules.Contacts : rules.Calendars,
            rules.Deletions,
            Math.Min(CollectionAccounts.MostConnections, to.Limits.PerAccount)
        )
        {
            Today = Instant.FromDateTimeOffset(time.GetUtcNow()).InUtc().Date,
            RateLimiters = throttle.RateLimitersOf(from, person.FromAccount, to, person.ToAccount),
        };
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

internal sealed class ContactsLegRunner(
    MoveStore store,
    CollectionAccounts accounts,
    MoveContexts contexts,
    AccountAccess access,
    ServiceThrottle throttle,
    TimeProvider time
) : CollectionLegRunner(Kind.Contacts, store, accounts, contexts, access, throttle, time);

internal sealed class CalendarsLegRunner(
    MoveStore store,
    CollectionAccounts accounts,
    MoveContexts contexts,
    AccountAccess access,
    ServiceThrottle throttle,
    TimeProvider time
) : CollectionLegRunner(Kind.Calendars, store, accounts, contexts, access, throttle, time);
