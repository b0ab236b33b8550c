using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Api;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Proof;

/// <summary>When the passes of one person ran.</summary>
/// <param name="FirstAt">When the first one began.</param>
/// <param name="LastAt">When the last one ended.</param>
public sealed record PassTimes(string Account, DateTimeOffset FirstAt, DateTimeOffset? LastAt, int Passes);

/// <summary>What stands beside the sums of a waybill: decisions about findings, times of passes, and the evidence of crossings.</summary>
/// <param name="Accounts">From accounts of the waybill's people, by the move's number.</param>
/// <param name="Times">By from account.</param>
/// <param name="Crossings">By from account, of those who have one.</param>
internal sealed record WaybillProof(
    IReadOnlyDictionary<long, string> Accounts,
    IReadOnlyList<DecisionView> Decisions,
    IReadOnlyDictionary<string, PassTimes> Times,
    IReadOnlyDictionary<string, WaybillEvidence> Crossings
)
{
    /// <param name="batch">Null: it is no longer in the plan.</param>
    public static async Task<WaybillProof> LoadAsync(
        CaravanDb db,
        BatchWaybill waybill,
        Batch? batch,
        Instant now,
        CancellationToken cancel
    )
    {
        // A waybill of one person reads nothing of the others.
        var people = waybill.Moves.Select(m => m.Account).ToList();
        var rows = await db
            .Moves.Include(m => m.Legs)
            .Include(m => m.Crossing)
            .Where(m => m.Batch == waybill.Batch && people.Contains(m.FromAccount))
            .ToListAsync(cancel);
        var accounts = rows.ToDictionary(r => r.Id, r => r.FromAccount);
        var crossing = rows.FindAll(r => r.Crossing is not null);
        var ids = crossing.ConvertAll(r => r.Id);
        var forwardings = await db.Forwardings.Where(f => ids.Contains(f.MoveId)).ToDictionaryAsync(f => f.MoveId, cancel);
        var views = await CrossingViews.OfMovesAsync(db, batch?.Crossing ?? CrossingPlan.Usual, crossing, now, cancel);
        return new WaybillProof(
            accounts,
            await DecisionsAsync(db, waybill.Batch, batch, accounts, cancel),
            await TimesAsync(db, accounts, cancel),
            crossing
                .Zip(views)
                .ToDictionary(
                    r => r.First.FromAccount,
                    r =>
                    {
                        var forwarding = forwardings.GetValueOrDefault(r.First.Id);
                        return new WaybillEvidence(r.Second, MoveViews.Time(forwarding?.OnAt), forwarding?.Way is ForwardingWay.Rules);
                    }
                )
        );
    }

    private static async Task<List<DecisionView>> DecisionsAsync(
        CaravanDb db,
        string name,
        Batch? batch,
        Dictionary<long, string> accounts,
        CancellationToken cancel
    )
    {
        var places = accounts.ToDictionary(a => Store.Decisions.PlaceOf(a.Key), a => a.Value);
        var rows = await db.Decisions.OrderBy(d => d.Scope).ThenBy(d => d.Id).ToListAsync(cancel);
        return
        [
            .. SurveyApi.DecisionsOf(
                rows.Where(d =>
                    d.Scope switch
                    {
                        DecisionScope.Route => d.Place == batch?.Route,
                        DecisionScope.Batch => d.Place == name,
                        DecisionScope.Move => places.ContainsKey(d.Place),
                    }
                ),
                places
            ),
        ];
    }

    private static async Task<Dictionary<string, PassTimes>> TimesAsync(
        CaravanDb db,
        Dictionary<long, string> accounts,
        CancellationToken cancel
    )
    {
        var ids = accounts.Keys.ToList();
        var times = await db
            .PassLegs.Where(l => ids.Contains(l.MoveId) && l.EndedAt != null)
            .Join(db.Passes, l => l.PassId, p => p.Id, (l, p) => p)
            .Distinct()
            .GroupBy(p => p.MoveId)
            .Select(g => new
            {
                g.Key,
                First = g.Min(p => p.StartedAt),
                Last = g.Max(p => p.EndedAt),
                Passes = g.Count(),
            })
            .ToListAsync(cancel);
        return times.ToDictionary(
            t => accounts[t.Key],
            t => new PassTimes(accounts[t.Key], MoveViews.Time(t.First)!.Value, MoveViews.Time(t.Last), t.Passes)
        );
    }
}
