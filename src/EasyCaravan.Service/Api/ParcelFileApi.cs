using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Parcels;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Parcels;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using Microsoft.Net.Http.Headers;

namespace EasyCaravan.Service.Api;

/// <summary>Parcels as files: handing them out, looking inside without unpacking, and deleting them.</summary>
internal static class ParcelFileApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/parcels/file", DownloadAsync)
            .WithSummary("A file of a parcel, whole or a range of it; whoever fetches one stands in the journal")
            .Produces<Stream>(StatusCodes.Status200OK, "application/zip");
        api.MapPost("/parcels/contents", Contents).WithSummary("What a parcel holds: its files, folders, address books and calendars");
        api.MapPost("/parcels/items", Items).WithSummary("Messages, contacts and events of a parcel that fit, page by page");
        api.MapPost("/parcels/text", Item).WithSummary("One message, contact or event of a parcel, as text that nothing executes");
        api.MapPut("/parcels/{parcel}/keep", KeepAsync).WithSummary("Sets how long a parcel is kept, whatever was said when it was packed");
        api.MapDelete("/parcels/{parcel}", DeleteAsync).WithSummary("Deletes a parcel with all its files");
    }

    private static async Task<Results<PhysicalFileHttpResult, ProblemHttpResult>> DownloadAsync(
        string place,
        [FromQuery(Name = "part")] string file,
        ParcelPlaces places,
        Journal journal,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (ParcelName.Parse(file) is not { } part || !IsName(part.Name))
            return NoParcel(file);
        try
        {
            var info = new FileInfo(Path.Combine(places.FolderOf(place, place), file));
            if (!info.Exists || info.LinkTarget is not null)
                return NoParcel(file);
            // A fetch that was interrupted goes on with a range: it is told of once.
            if (context.Request.GetTypedHeaders().Range?.Ranges.All(r => r.From > 0) != true)
                await journal.WriteAsync(context.User.Identity!.Name!, null, null, $"fetched the file {file} of {place}", cancel);
            var tag = new EntityTagHeaderValue($"\"{info.Length:x}-{info.LastWriteTimeUtc.Ticks:x}\"");
            return TypedResults.PhysicalFile(
                info.FullName,
                "application/zip",
                file,
                info.LastWriteTimeUtc,
                tag,
                enableRangeProcessing: true
            );
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
    }

    private static Results<Ok<ParcelContents>, ProblemHttpResult> Contents(ParcelLookRequest request, ParcelPlaces places) =>
        Look<ParcelContents>(request, places, parcel => TypedResults.Ok(ParcelLook.ContentsOf(parcel)));

    private static Results<Ok<Page<ParcelItemView>>, ProblemHttpResult> Items(ParcelSearchRequest request, ParcelPlaces places)
    {
        var size = Paging.SizeOf(request.Limit ?? Paging.Usual);
        var query = new ParcelQuery(request.Kind, request.Folder, request.From, request.Subject, request.Since, request.Before);
        return Look<Page<ParcelItemView>>(
            new ParcelLookRequest(request.Place, request.Name, request.Password, request.AsOf),
            places,
            parcel =>
            {
                var (skip, wrong) = Paging.ReadPlace(request.Cursor);
                if (wrong is not null)
                    return wrong;
                var start = skip ?? 0;
                var found = ParcelLook
                    .Find(parcel, query, request.Password)
                    .Skip((int)Math.Min(start, int.MaxValue))
                    .Take(size + 1)
                    .ToList();
                return TypedResults.Ok(Paging.Uncounted(found, start, size));
            }
        );
    }

    private static Results<Ok<ParcelItemText>, ProblemHttpResult> Item(ParcelItemRequest request, ParcelPlaces places) =>
        Look<ParcelItemText>(new ParcelLookRequest(request.Place, request.Name, request.Password), places, parcel =>
            parcel.Parts.FirstOrDefault(p => p.FileName == request.File) is { } part
            && part.FindItem(request.Path, request.Password) is { } octets
                ? TypedResults.Ok(ItemText.Read(request.Path, octets))
                : Problems.NotFound($"There is no {request.Path} in {request.File}.", "See what is there with POST /api/v1/parcels/items")
        );

    private static async Task<Results<NoContent, ProblemHttpResult>> KeepAsync(
        string parcel,
        string place,
        ParcelKeepRequest request,
        CurrentPlan current,
        ParcelPlaces places,
        ParcelListings listings,
        ParcelTerms terms,
        TimeProvider time,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (request.Until <= time.GetUtcNow())
            return Problems.Invalid($"{request.Until:yyyy-MM-dd HH:mm} UTC has passed.", "Give a time to come, or delete the parcel");
        // By the name that the place has elsewhere: under another one the word would be forgotten.
        place = place.TrimEnd('/');
        if (!ParcelApi.PlacesOf((await current.GetAsync(cancel)).Plan).Contains(place))
            return NoParcel(parcel);
        try
        {
            if (!listings.In(places.FolderOf(place, place)).Any(l => l.Name == parcel))
                return NoParcel(parcel);
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
        await terms.SetAsync(place, parcel, request.Until, context.User.Identity!.Name!, cancel);
        live.TouchPlan();
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> DeleteAsync(
        string parcel,
        string place,
        ParcelPlaces places,
        ParcelTerms terms,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (!IsName(parcel))
            return NoParcel(parcel);
        try
        {
            if (places.Delete(place, parcel) is not { } files)
                return Problems.Refused($"{parcel} is being packed.", "Hold its errand first, or wait until it is complete");
            if (files == 0)
                return NoParcel(parcel);
            await terms.EndAsync(
                place.TrimEnd('/'),
                parcel,
                context.User.Identity!.Name!,
                $"deleted the parcel {parcel} of {place}, {files} file(s)",
                cancel
            );
            return TypedResults.NoContent();
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
    }

    private static Results<Ok<T>, ProblemHttpResult> Look<T>(
        ParcelLookRequest request,
        ParcelPlaces places,
        Func<ParcelFiles, Results<Ok<T>, ProblemHttpResult>> look
    )
    {
        var (place, name) = (request.Place, request.Name);
        if (!IsName(name))
            return NoParcel(name);
        try
        {
            using var parcel = ParcelFiles.Open(places.FolderOf(place, place), name, request.Password, onlyComplete: true, request.AsOf);
            if (parcel.Parts.Count > 0)
                return look(parcel);
            return request.AsOf is null
                ? NoParcel(name)
                : Problems.NotFound($"There is no parcel {name} that was complete then.", "Look at it as it is, or as of a later time");
        }
        catch (ParcelException e)
        {
            return Problems.Refused(ParcelPlaces.FaultOf(e, name, place));
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
    }

    /// <summary>It leads nowhere else.</summary>
    private static bool IsName(string name) => name == SafeName.Of(name);

    public static ProblemHttpResult NoParcel(string name) =>
        Problems.NotFound($"There is no parcel {name} there.", "See what there is with: caravan parcel list");
}
