using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Surveying;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>How long a batch takes, from its surveys and from what first passes on its route took so far.</summary>
internal static class EstimateViews
{
    private const int MostPasses = 500;

    public static async Task<EstimateView> MakeAsync(
        Database database,
        SurveyedBatch surveyed,
        int workers,
        long skip,
        int size,
        CancellationToken cancel
    )
    {
        var kinds = surveyed.Route.Carry.Where(k => k is not Kind.Mail).ToList();
        var volumes = await VolumesAsync(database, surveyed, cancel);
        var unknown = surveyed.Moves.Count(m =>
            m.Digest is not { Whole: true } && m.Move.Stage is Stage.Listed or Stage.Surveyed or Stage.Copying
        );
        var kindRates = await KindRatesAsync(database, surveyed.Plan, surveyed.Route, cancel);
        var estimate = BatchEstimate.Make(
            volumes,
            await RatesAsync(database, surveyed.Plan, surveyed.Route, Kind.Mail, cancel),
            Connections(surveyed),
            Math.Min(MailLegOrder.MostLanes, Math.Min(surveyed.From.Limits.PerAccount, surveyed.To.Limits.PerAccount)),
            workers,
            DayOf(surveyed),
            kindRates
        );
        var rates = estimate.Rates;
        return new EstimateView(
            surveyed.Batch.Name,
            estimate.Shortest,
            estimate.Longest,
            unknown,
            volumes.Sum(l => l.Messages),
            volumes.Sum(l => l.Octets).Count,
            estimate.AtOnce,
            ContractWord.To<Bottleneck>(estimate.HeldBackBy),
            estimate.Detail,
            rates.Measured,
            rates.MessagesLow,
            rates.MessagesHigh,
            rates.OctetsLow,
            rates.OctetsHigh,
            [
                .. kinds.Select(k =>
                {
                    var all = volumes.SelectMany(v => v.Kinds).Where(v => v.Kind == k).ToList();
                    var own = kindRates[k];
                    return new KindEstimate(
                        MoveViews.WordOf(k),
                        all.Sum(v => v.Items),
                        all.Sum(v => v.Octets).Count,
                        own.Measured,
                        own.MessagesLow,
                        own.MessagesHigh
                    );
                }),
            ],
            Paging.Window(
                [
                    .. estimate.Moves.Select(m => new MoveEstimateView(
                        m.Volume.Account,
                        m.Volume.Name,
                        m.Volume.Messages,
                        m.Volume.Octets.Count,
                        m.Volume.Kinds.Sum(k => k.Items),
                        m.Shortest,
                        m.Longest
                    )),
                ],
                skip,
                size
            )
        );
    }

    /// <summary>What is left to carry in first passes, of everybody whose account was seen whole.</summary>
    public static async Task<List<CarryVolume>> VolumesAsync(Database database, SurveyedBatch surveyed, CancellationToken cancel)
    {
        var legs = await LegsAsync(database, surveyed, cancel);
        return
        [
            .. surveyed
                .Whole.Where(m => m.Move.Stage is Stage.Listed or Stage.Surveyed or Stage.Copying)
                .Select(m =>
                {
                    var (messages, octets) = Left(legs, m, Kind.Mail, m.Digest!.CarryMessages, m.Digest.CarryOctets);
                    return new CarryVolume(m.Move.FromAccount, m.Move.Name, messages, octets, m.Digest.Landing)
                    {
                        Kinds =
                        [
                            .. m.Digest.Kinds.Select(k =>
                            {
                                var left = Left(legs, m, k.Carry.Kind, k.Carry.Items, k.Carry.Octets.Count);
                                return k.Carry with { Items = left.Items, Octets = left.Octets };
                            }),
                        ],
                    };
                }),
        ];
    }

    /// <summary>How fast contacts and events travel on a batch's route.</summary>
    public static async Task<Dictionary<Kind, Rates>> KindRatesAsync(
        Database database,
        Plan plan,
        Core.Planning.Route route,
        CancellationToken cancel
    )
    {
        var rates = new Dictionary<Kind, Rates>();
        foreach (var kind in route.Carry.Where(k => k is not Kind.Mail))
            rates[kind] = await RatesAsync(database, plan, route, kind, cancel);
        return rates;
    }

    public static int AtOnce(SurveyedBatch surveyed, int workers) =>
        Math.Max(1, Math.Min(workers, Connections(surveyed).Min(c => c.Connections)));

    /// <summary>What first passes on the same route settled of one kind in how long.</summary>
    public static async Task<Rates> RatesAsync(Database database, Plan plan, Core.Planning.Route route, Kind kind, CancellationToken cancel)
    {
        var batches = plan.Batches.Where(b => b.Route == route.Name).Select(b => b.Name).ToList();
        await using var db = database.Read();
        var passes = await (
            from leg in db.PassLegs
            where leg.Kind == kind && leg.EndedAt != null && leg.Carried > 0
            join pass in db.Passes on leg.PassId equals pass.Id
            where pass.Kind == PassKind.First && db.Moves.Any(m => m.Id == pass.MoveId && batches.Contains(m.Batch))
            orderby pass.Id descending
            select new
            {
                leg.Carried,
                leg.Octets,
                leg.EndedAt,
                // A leg begins when the one before it ended.
                BeganAt = db.PassLegs.Where(l => l.PassId == leg.PassId && l.EndedAt < leg.EndedAt).Max(l => l.EndedAt) ?? pass.StartedAt,
            }
        )
            .Take(MostPasses)
            .ToListAsync(cancel);
        return Rates.Measure([.. passes.Select(p => (p.Carried, new ByteCount(p.Octets), (p.EndedAt!.Value - p.BeganAt) / 1000.0))]);
    }

    /// <summary>Items of each kind that passes have settled already.</summary>
    private static async Task<Dictionary<(long Move, Kind), long>> LegsAsync(
        Database database,
        SurveyedBatch surveyed,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        return await db
            .Legs.Where(l => db.Moves.Any(m => m.Id == l.MoveId && m.Batch == surveyed.Batch.Name) && l.Carried + l.Paired > 0)
            .ToDictionaryAsync(l => (l.MoveId, l.Kind), l => l.Carried + l.Paired, cancel);
    }

    private static (string Service, int Connections)[] Connections(SurveyedBatch surveyed) =>
        [(surveyed.From.Name, surveyed.From.Limits.Connections), (surveyed.To.Name, surveyed.To.Limits.Connections)];

    private static (string Service, ByteCount Octets)? DayOf(SurveyedBatch surveyed) =>
        new[] { surveyed.From, surveyed.To }
            .Where(s => s.Limits.BytesPerDay is not null)
            .Select(s => ((string, ByteCount)?)(s.Name, s.Limits.BytesPerDay!.Value))
            .OrderBy(s => s!.Value.Item2)
            .FirstOrDefault();

    /// <summary>Of what the survey saw to carry, the part that no pass has settled yet.</summary>
    private static (long Items, ByteCount Octets) Left(
        Dictionary<(long Move, Kind), long> settled,
        SurveyedMove move,
        Kind kind,
        long items,
        long octets
    )
    {
        var left = Math.Max(0, items - settled.GetValueOrDefault((move.Move.Id, kind)));
        return (left, items == 0 ? ByteCount.Zero : new ByteCount((long)((double)octets * left / items)));
    }
}
