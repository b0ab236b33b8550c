using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>What the services' daily limits leave for one move.</summary>
internal sealed class Allowances(Database database, CurrentPlan plan, TimeProvider time)
{
    /// <exception cref="FaultException">Nothing is left today; the fault says from when on there is more.</exception>
    public async Task<Allowance> OfAsync(MovePerson person, Core.Planning.Service from, Core.Planning.Service to, CancellationToken cancel)
    {
        var sides = new List<(ByteCount Left, bool Untouched, Fault Spent)>();
        foreach (var (service, account) in new[] { (from, person.FromAccount), (to, person.ToAccount) })
        {
            if (service.Limits.BytesPerDay is not { } limit)
                continue;
            var now = Instant.FromDateTimeOffset(time.GetUtcNow());
            var day = service.Limits.DayOf(now);
            var used = await UsedAsync(service.Name, account, day, cancel);
            var next = day + Duration.FromDays(1);
            sides.Add(
                (
                    limit.Less(used),
                    used == ByteCount.Zero,
                    new Fault(Cause.DaySpent, service.Name, $"the {limit} that {service.Name} allows {account} in a day are used up")
                    {
                        NotBefore = next,
                    }
                )
            );
        }
        if (sides.Count == 0)
            return Allowance.Unlimited;
        var (left, untouched, spent) = sides.MinBy(s => s.Left);
        if (left == ByteCount.Zero)
            throw new FaultException(spent, Verdict.Keep);
        return new Allowance(left, untouched, spent);
    }

    /// <summary>A pass that was running when the day began counts completely, so that the limit is never exceeded.</summary>
    private async Task<ByteCount> UsedAsync(string service, string account, Instant day, CancellationToken cancel)
    {
        var since = day.ToUnixTimeMilliseconds();
        var current = (await plan.GetAsync(cancel)).Plan!;
        // The same address on another service is another account.
        List<string> BatchesOf(Func<Core.Planning.Route, bool> uses) =>
            [.. current.Batches.Where(b => uses(current.Routes.First(r => r.Name == b.Route))).Select(b => b.Name)];
        var (asFrom, asTo) = (BatchesOf(r => r.From == service), BatchesOf(r => r.To == service));
        await using var db = database.Read();
        var octets = await (
            from pass in db.Passes
            where pass.EndedAt == null || pass.EndedAt >= since
            join move in db.Moves on pass.MoveId equals move.Id
            where (move.FromAccount == account && asFrom.Contains(move.Batch)) || (move.ToAccount == account && asTo.Contains(move.Batch))
            join leg in db.PassLegs on pass.Id equals leg.PassId
            select leg.Octets
        ).SumAsync(cancel);
        return new ByteCount(octets);
    }
}
