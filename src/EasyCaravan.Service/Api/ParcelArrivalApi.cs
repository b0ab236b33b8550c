using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Parcels;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Service.Live;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;

namespace EasyCaravan.Service.Api;

/// <summary>Parcels that are sent in: piece by piece, from where it stopped, and checked before they are among the others.</summary>
internal static class ParcelArrivalApi
{
    /// <summary>Octets of one piece.</summary>
    private const long LargestPiece = 64 * 1024 * 1024;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/parcels/arriving", List).WithSummary("Files of parcels that are sent in, and how much of each has arrived");
        api.MapPut("/parcels/arriving", AppendAsync)
            .Accepts<Stream>("application/octet-stream", "*/*")
            .WithMetadata(new RequestSizeLimitAttribute(LargestPiece))
            .WithSummary("Sends a piece of a parcel's file, at most 64 MB; where it was broken off, it goes on after what has arrived");
        api.MapDelete("/parcels/arriving", GiveUp).WithSummary("Forgets what has arrived of a file");
        api.MapPost("/parcels/arrived", TakeAsync)
            .WithSummary("Reads a parcel that was sent in from end to end, and puts it among the others if it is as it was packed");
    }

    private static Results<Ok<List<ParcelArrivalView>>, ProblemHttpResult> List(string place, ParcelArrivals arrivals) =>
        Try<Ok<List<ParcelArrivalView>>>(() => TypedResults.Ok(arrivals.In(place).Select(ViewOf).ToList()));

    private static async Task<Results<Ok<ParcelArrivalView>, ProblemHttpResult>> AppendAsync(
        string place,
        [FromQuery(Name = "part")] string file,
        [FromQuery(Name = "at")] long at,
        [FromQuery(Name = "length")] long length,
        HttpRequest request,
        ParcelArrivals arrivals,
        CancellationToken cancel
    )
    {
        if (PartOf(file) is not { } part)
            return NoName(file);
        if (at < 0 || length < at)
            return Problems.Invalid($"A piece at {at} of {length} octets cannot be.", "Give 'at' from 0 to 'length'");
        try
        {
            var (arrival, isTaken) = await arrivals.AppendAsync(place, part, at, length, request.Body, cancel);
            return isTaken
                ? TypedResults.Ok(ViewOf(arrival))
                : Problems.Refused(
                    $"{arrival.Octets} octets of {file} have arrived, not {at}.",
                    "See what has arrived with GET /api/v1/parcels/arriving, and go on from there"
                );
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
    }

    private static Results<NoContent, ProblemHttpResult> GiveUp(
        string place,
        [FromQuery(Name = "part")] string file,
        ParcelArrivals arrivals
    ) =>
        PartOf(file) is { } part
            ? Try<NoContent>(() =>
                arrivals.GiveUp(place, part)
                    ? TypedResults.NoContent()
                    : Problems.NotFound($"Nothing of {file} has arrived.", "See what has with GET /api/v1/parcels/arriving")
            )
            : NoName(file);

    private static async Task<Results<Ok<ParcelChecked>, ProblemHttpResult>> TakeAsync(
        ParcelArrivedRequest request,
        ParcelArrivals arrivals,
        Journal journal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (request.Name != SafeName.Of(request.Name))
            return NoName(request.Name);
        try
        {
            var report = await Task.Run(() => arrivals.Take(request.Place, request.Name, request.Password, cancel), cancel);
            var isSound = report.Findings.Length == 0;
            await journal.WriteAsync(
                context.User.Identity!.Name!,
                null,
                null,
                isSound
                    ? $"sent the parcel {request.Name} of {report.Account} into {request.Place}: {report.Items} items, as they were packed"
                    : $"sent the parcel {request.Name}, which is damaged and was not taken: {report.Findings[0].What}",
                cancel
            );
            live.TouchPlan();
            return TypedResults.Ok(
                new ParcelChecked(
                    request.Name,
                    report.Account,
                    report.Parts,
                    report.Items,
                    report.Octets,
                    [.. report.Sums.Select(s => new ParcelKindView(s.Key, s.Value.Items, s.Value.Octets, s.Value.Contents))],
                    [.. report.Findings.Select(f => new ParcelFindingView(f.File, f.Path, f.What))],
                    report.SealedBy
                )
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

    private static Results<T, ProblemHttpResult> Try<T>(Func<Results<T, ProblemHttpResult>> run)
        where T : IResult
    {
        try
        {
            return run();
        }
        catch (FaultException e)
        {
            return Problems.Refused(e.Fault);
        }
    }

    private static ParcelArrivalView ViewOf(ParcelArrival arrival) => new(arrival.File, arrival.Octets, arrival.ChangedAt);

    /// <summary>The file's name as parcels have it; null: it cannot be a part of one, or leads elsewhere.</summary>
    private static string? PartOf(string file) =>
        ParcelName.Parse(file) is var (name, part) && name == SafeName.Of(name) ? ParcelName.OfPart(name, part) : null;

    private static ProblemHttpResult NoName(string file) =>
        Problems.Invalid(
            $"'{file}' cannot be a file of a parcel.",
            "Its name ends in .zip, and has no sign that means something in a path"
        );
}
