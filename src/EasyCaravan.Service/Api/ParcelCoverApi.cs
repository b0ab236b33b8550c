using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Parcels;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Parcels;
using EasyCaravan.Service.Proof;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>What goes on paper with a parcel that is handed over.</summary>
internal static class ParcelCoverApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/parcels/cover", GetAsync)
            .WithSummary("The cover sheet of a parcel, as a page that prints on A4: what, whose, from when to when, by whom, digests")
            .Produces<string>(StatusCodes.Status200OK, "text/html");
        api.MapPost("/parcels/cover", DrawAsync)
            .WithSummary("The same of a parcel that is encrypted: its password goes in no address")
            .Produces<string>(StatusCodes.Status200OK, "text/html");
    }

    private static Task<Results<RazorComponentResult<CoverSheet>, ProblemHttpResult>> GetAsync(
        string place,
        string parcel,
        ParcelPlaces places,
        FileDigests digests,
        Journal journal,
        TimeProvider time,
        HttpContext context,
        CancellationToken cancel
    ) => DrawAsync(new ParcelLookRequest(place, parcel, null), places, digests, journal, time, context, cancel);

    private static async Task<Results<RazorComponentResult<CoverSheet>, ProblemHttpResult>> DrawAsync(
        ParcelLookRequest request,
        ParcelPlaces places,
        FileDigests digests,
        Journal journal,
        TimeProvider time,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (request.Name != SafeName.Of(request.Name))
            return ParcelFileApi.NoParcel(request.Name);
        try
        {
            using var parcel = ParcelFiles.Open(
                places.FolderOf(request.Place, request.Place),
                request.Name,
                request.Password,
                onlyComplete: true,
                request.AsOf
            );
            if (parcel.Parts.Count == 0)
                return ParcelFileApi.NoParcel(request.Name);
            var contents = ParcelLook.ContentsOf(parcel);
            var parts = new List<CoverPart>();
            foreach (var part in parcel.Parts)
                parts.Add(
                    new CoverPart(
                        ParcelLook.PartOf(part),
                        await digests.OfAsync(part.Path, cancel),
                        part.DigestOfManifest(request.Password),
                        part.SealedBy(request.Password)
                    )
                );
            await journal.WriteAsync(
                context.User.Identity!.Name!,
                null,
                null,
                $"drew the cover sheet of the parcel {request.Name} of {request.Place}",
                cancel
            );
            return new RazorComponentResult<CoverSheet>(
                new
                {
                    Contents = contents,
                    Kinds = parcel
                        .State.Sums()
                        .Select(s => new ParcelKindView(s.Key, s.Value.Items, s.Value.Octets, s.Value.Contents))
                        .ToList(),
                    Parts = parts,
                    DrawnAt = time.GetUtcNow(),
                    Words = new WaybillWords(DateTimeZone.Utc),
                    Nonce = PageSecurity.NonceOf(context),
                }
            );
        }
        catch (ParcelException e)
        {
            return Problems.Refused(ParcelPlaces.FaultOf(e, request.Name, request.Place));
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
    }
}
