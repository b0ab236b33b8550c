using EasyCaravan.Contract;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Proof;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
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
        await using var db = database.Read();
        var proof = await WaybillProof.LoadAsync(db, waybill, planned, Instant.FromDateTimeOffset(time.GetUtcNow()), cancel);
        return new RazorComponentResult<WaybillSheet>(
            new
            {
                Waybill = waybill,
                Evidence = proof.Crossings,
                proof.Times,
                proof.Decisions,
                Words = new WaybillWords(planned?.Timetable?.Zone ?? DateTimeZone.Utc),
                Nonce = PageSecurity.NonceOf(context),
                Key = WaybillSeal.PrintOf(key.Get().ExportSubjectPublicKeyInfo()),
            }
        );
    }
}
