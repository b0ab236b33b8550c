using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Api;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Workers;

/// <summary>Makes the order for a move's mail leg or comparison: opens secrets, and sets the limits of both services.</summary>
internal sealed class MailOrders(
    AccountAccess access,
    Allowances allowances,
    ServiceThrottle throttle,
    Database database,
    MoveStore store,
    TimeProvider time
)
{
    /// <exception cref="FaultException">A secret is missing, or the day's allowance is used up.</exception>
    public async Task<MailLegOrder> MakeAsync(MoveContext context, CancellationToken cancel)
    {
        var (person, from, to) = (context.Person, context.From, context.To);
        await using var db = database.Read();
        var began = await db.Passes.Where(p => p.MoveId == person.Id && p.Kind == PassKind.First).MinAsync(p => (long?)p.StartedAt, cancel);
        var probes = await db.Probes.Where(p => p.MoveId == person.Id && p.RemovedAt == null).Select(p => p.MessageId).ToListAsync(cancel);
        return new MailLegOrder(
            IsFirst: false,
            new Side(from, await access.FromAsync(person, from, Kind.Mail, cancel)),
            new Side(to, await access.ToAsync(context, cancel)),
            context.Rules,
            Math.Min(MailLegOrder.MostLanes, Math.Min(from.Limits.PerAccount, to.Limits.PerAccount))
        )
        {
            Began = MoveViews.Time(began),
            Forwarded = await store.ForwardedAsync(person.Id, cancel),
            Time = time,
            Probes = probes.ToHashSet(),
            Allowance = await allowances.OfAsync(person, from, to, cancel),
            RateLimiters = throttle.RateLimitersOf(from, person.FromAccount, to, person.ToAccount),
        };
    }
}
