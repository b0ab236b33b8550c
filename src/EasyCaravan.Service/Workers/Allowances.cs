using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>What the services' daily limits leave for one move.</summary>
internal sealed class Allowances(Database database, TimeProvider time)
{
    /// <exception cref="FaultException">Nothing is left today; the fault says from when on there is more.</exception>
    public async Task<Allowance> OfAsync(MovePerson person, Core.Planning.Service from, Core.Planning.Service to, CancellationToken cancel)
    {
        var sides = new List<(long Left, bool Untouched, Fault Spent)>();
        foreach (var (service, account, isFrom) in new[] { (from, person.FromAccount, true), (to, person.ToAccount, false) })
        {
            if (service.Limits.BytesPerDay is not { } limit) continue;
            var now = Instant.FromDateTimeOffset(time.GetUtcNow());
            var day = service.Limits.DayOf(now);
            var used = await UsedAsync(account, isFrom, day, cancel);
            var next = day + Duration.FromDays(1);
            sides.Add((limit - used, used == 0, new Fault(Cause.DaySpent, service.Name, $"the {ByteCount.Write(limit)} that {service.Name} allows {account} in a day are used up") { NotBefore = next }));
        }
        if (sides.Count == 0) return Allowance.Unlimited;
        var (left, untouched, spent) = sides.MinBy(s => s.Left);
        if (left <= 0) throw new FaultException(spent, Verdict.Keep);
        return new Allowance(left, untouched, spent);
    }

    /// <summary>Every pass that was under way since the day began counts whole: rather a little too gentle than too much.</summary>
    private async Task<long> UsedAsync(string account, bool isFrom, Instant day, CancellationToken cancel)
    {
        var since = day.ToUnixTimeMilliseconds();
        await using var db = database.Read();
        return await db.Passes.Where(p => (p.EndedAt == null || p.EndedAt >= since) && db.Moves.Any(m => m.Id == p.MoveId && (isFrom ? m.FromAccount == account : m.ToAccount == account))).SumAsync(p => p.Octets, cancel);
    }
}
