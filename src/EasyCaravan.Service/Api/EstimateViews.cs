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
        var volumes = surveyed
            .Whole.Where(m => m.Move.Stage is Stage.Listed or Stage.Surveyed or Stage.Copying)
            .Select(m => new CarryVolume(
                m.Move.FromAccount,
                m.Move.Name,
                Left(m.Digest!.CarryMessages, m),
                new ByteCount((long)(m.Digest.CarryOctets * Share(m))),
                m.Digest.Landing
            ))
            .ToList();
        var unknown = surveyed.Moves.Count(m =>
            m.Digest is not { Whole: true } && m.Move.Stage is Stage.Listed or Stage.Surveyed or Stage.Copying
        );
        var estimate = BatchEstimate.Make(
            volumes,
            await RatesAsync(database, surveyed, cancel),
            Connections(surveyed),
            Math.Min(MailLegOrder.MostLanes, Math.Min(surveyed.From.Limits.PerAccount, surveyed.To.Limits.PerAccount)),
            workers,
            DayOf(surveyed)
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
            Paging.Window(
                [
                    .. estimate.Moves.Select(m => new MoveEstimateView(
                        m.Volume.Account,
                        m.Volume.Name,
                        m.Volume.Messages,
                        m.Volume.Octets.Count,
                        m.Shortest,
                        m.Longest
                    )),
                ],
                skip,
                size
            )
        );
    }

    public static int AtOnce(SurveyedBatch surveyed, int workers) =>
        Math.Max(1, Math.Min(workers, Connections(surveyed).Min(c => c.Connections)));

    /// <summary>What first passes on the same route settled in how long.</summary>
    public static async Task<Rates> RatesAsync(Database database, SurveyedBatch surveyed, CancellationToken cancel)
    {
        var batches = surveyed.Plan.Batches.Where(b => b.Route == surveyed.Route.Name).Select(b => b.Name).ToList();
        await using var db = database.Read();
        var passes = await (
            from leg in db.PassLegs
            where leg.Kind == Core.Planning.Kind.Mail && leg.EndedAt != null && leg.Carried > 0
            join pass in db.Passes on leg.PassId equals pass.Id
            where pass.Kind == PassKind.First && db.Moves.Any(m => m.Id == pass.MoveId && batches.Contains(m.Batch))
            orderby pass.Id descending
            select new
            {
                leg.Carried,
                leg.Octets,
                pass.StartedAt,
                leg.EndedAt,
            }
        )
            .Take(MostPasses)
            .ToListAsync(cancel);
        return Rates.Measure([.. passes.Select(p => (p.Carried, new ByteCount(p.Octets), (p.EndedAt!.Value - p.StartedAt) / 1000.0))]);
    }

    private static (string Service, int Connections)[] Connections(SurveyedBatch surveyed) =>
        [(surveyed.From.Name, surveyed.From.Limits.Connections), (surveyed.To.Name, surveyed.To.Limits.Connections)];

    private static (string Service, ByteCount Octets)? DayOf(SurveyedBatch surveyed) =>
        new[] { surveyed.From, surveyed.To }
            .Where(s => s.Limits.BytesPerDay is not null)
            .Select(s => ((string, ByteCount)?)(s.Name, s.Limits.BytesPerDay!.Value))
            .OrderBy(s => s!.Value.Item2)
            .FirstOrDefault();

    private static long Left(long messages, SurveyedMove m) => Math.Max(0, messages - m.Move.Carried - m.Move.Paired);

    /// <summary>Of what the survey saw to carry, the part that no pass has settled yet.</summary>
    private static double Share(SurveyedMove m) =>
        m.Digest!.CarryMessages == 0 ? 0 : (double)Left(m.Digest.CarryMessages, m) / m.Digest.CarryMessages;
}
