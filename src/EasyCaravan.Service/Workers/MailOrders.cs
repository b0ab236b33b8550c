using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Service.Workers;

/// <summary>Makes the order for a move's mail leg or comparison: opens secrets, and sets the limits of both services.</summary>
internal sealed class MailOrders(AccountAccess access, Allowances allowances, ServiceThrottle throttle)
{
    /// <exception cref="FaultException">A secret is missing, or the day's allowance is used up.</exception>
    public async Task<MailLegOrder> MakeAsync(MoveContext context, CancellationToken cancel)
    {
        var (person, from, to) = (context.Person, context.From, context.To);
        return new MailLegOrder(
            IsFirst: false,
            new Side(from, await access.FromAsync(person, from, Kind.Mail, cancel)),
            new Side(to, await access.ToAsync(person, to, context.Rules.Root, cancel)),
            context.Rules,
            Math.Min(MailLegOrder.MostLanes, Math.Min(from.Limits.PerAccount, to.Limits.PerAccount))
        )
        {
            Allowance = await allowances.OfAsync(person, from, to, cancel),
            RateLimiters = throttle.RateLimitersOf(from, person.FromAccount, to, person.ToAccount),
        };
    }
}
