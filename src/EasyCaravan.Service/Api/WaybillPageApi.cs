using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Proof;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>The waybill for paper.</summary>
internal static class WaybillPageApi
{
    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/batches/{batch}/waybill/page", GetAsync)
            .WithSummary("The waybill as a page that prints on A4, with the evidence of the crossing")
            .Produces<string>(StatusCodes.Status200OK, "text/html");

    private static async Task<Results<RazorComponentResult<WaybillSheet>, ProblemHttpResult>> GetAsync(
        string batch,
        CurrentPlan current,
        Database database,
        InstallationKey key,
        TimeProvider time,
        HttpContext context,
        CancellationToken cancel,
        string? move = null
    )
    {
        var (waybill, problem) = await WaybillApi.LoadAsync(batch, move, current, database, time, cancel);
        if (waybill is null)
            return problem!;
        var planned = (await current.GetAsync(cancel)).Plan?.Batches.FirstOrDefault(b => b.Name == batch);
        return new RazorComponentResult<WaybillSheet>(
            new
            {
                Waybill = waybill,
                Evidence = await EvidenceAsync(batch, planned?.Crossing ?? CrossingPlan.Usual, database, time, cancel),
                Words = new WaybillWords(planned?.Timetable?.Zone ?? DateTimeZone.Utc),
                Nonce = PageSecurity.NonceOf(context),
                Key = WaybillSeal.PrintOf(key.Get().ExportSubjectPublicKeyInfo()),
            }
        );
    }

    private static async Task<Dictionary<string, WaybillEvidence>> EvidenceAsync(
        string batch,
        CrossingPlan plan,
        Database database,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        await using var db = database.Read();
        var rows = await db
            .Moves.Include(m => m.Legs)
            .Include(m => m.Crossing)
            .Where(m => m.Batch == batch && m.Crossing != null)
            .ToListAsync(cancel);
        var ids = rows.ConvertAll(r => r.Id);
        var forwardings = await db.Forwardings.Where(f => ids.Contains(f.MoveId)).ToDictionaryAsync(f => f.MoveId, cancel);
        var views = await CrossingViews.OfMovesAsync(db, plan, rows, Instant.FromDateTimeOffset(time.GetUtcNow()), cancel);
        return rows.Zip(views)
            .ToDictionary(
                r => r.First.FromAccount,
                r =>
                {
                    var forwarding = forwardings.GetValueOrDefault(r.First.Id);
                    return new WaybillEvidence(r.Second, MoveViews.Time(forwarding?.OnAt), forwarding?.Way is ForwardingWay.Rules);
                }
            );
    }
}
