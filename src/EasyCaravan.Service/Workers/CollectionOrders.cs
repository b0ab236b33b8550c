using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>
/// Makes the order for a leg or comparison of contacts or calendars: opens secrets, and sets the limits of both services.
/// </summary>
internal sealed class CollectionOrders(AccountAccess access, CollectionAccounts accounts, ServiceThrottle throttle, TimeProvider time)
{
    /// <exception cref="FaultException">A secret is missing.</exception>
    public async Task<CollectionLegOrder> MakeAsync(MoveContext context, Kind kind, CancellationToken cancel)
    {
        var (person, from, to, rules) = context;
        return new CollectionLegOrder(
            kind,
            new Side(from, await access.FromAsync(person, from, kind, cancel)),
            new Side(to, await access.ToAsync(context, cancel) with { Root = null }),
            kind is Kind.Contacts ? rules.Contacts : rules.Calendars,
            rules.Deletions,
            Math.Min(CollectionAccounts.MostConnections, to.Limits.PerAccount)
        )
        {
            Today = Instant.FromDateTimeOffset(time.GetUtcNow()).InUtc().Date,
            Writing = await accounts.WritingOfAsync(to, kind, cancel),
            RateLimiters = throttle.RateLimitersOf(from, person.FromAccount, to, person.ToAccount),
        };
    }
}
