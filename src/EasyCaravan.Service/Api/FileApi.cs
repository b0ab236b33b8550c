using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats.Csv;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;

namespace EasyCaravan.Service.Api;

/// <summary>Handing over files with contacts or events, and saying what their columns hold.</summary>
internal static class FileApi
{
    private const int MostExamples = 3;
    private const int MostProblems = 100;
    private const int LongestName = 300;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/files", ListAsync).WithSummary("The files with contacts or events that were handed over");
        api.MapPut("/files", PutAsync)
            .Accepts<Stream>("application/octet-stream", "*/*")
            .WithMetadata(new RequestSizeLimitAttribute(ItemFileView.Largest + 1))
            .WithSummary("Hands over a file, as it is, at most 64 MB; one of the same name is replaced");
        api.MapDelete("/files", DeleteAsync).WithSummary("Forgets a file; what was carried from it stays on the new side");
        api.MapGet("/files/reading", ReadAsync).WithSummary("How a file is read: its encoding, what its columns hold, what is wrong in it");
        api.MapPut("/files/columns", ChooseAsync).WithSummary("Says what columns of a spreadsheet hold; it outweighs the plan");
    }

    private static async Task<Results<Ok<Page<ItemFileView>>, ProblemHttpResult>> ListAsync(
        ItemFiles files,
        CancellationToken cancel,
        string? cursor = null,
        int limit = Paging.Usual
    )
    {
        var size = Paging.SizeOf(limit);
        var found = await files.ListAsync(cursor, size + 1, cancel);
        return TypedResults.Ok(
            new Page<ItemFileView>([.. found.Take(size).Select(ViewOf)], found.Count > size ? found[size - 1].Name : null, null)
        );
    }

    private static async Task<Results<Ok<ItemFileView>, ProblemHttpResult>> PutAsync(
        [FromQuery(Name = "file")] string name,
        HttpRequest request,
        ItemFiles files,
        LiveHub live,
        CancellationToken cancel
    )
    {
        if (
            name.Length is 0 or > LongestName
            || name.Any(char.IsControl)
            || !FileGlob.IsBelow(name)
            || name.Contains('*', StringComparison.Ordinal)
        )
            return Problems.Invalid(
                $"'{name}' cannot be the name of a file.",
                "Give a path below the plan's folder, such as lists/aoife.marsh@saltmarsh.example.csv"
            );
        var octets = new MemoryStream();
        var buffer = new byte[64 * 1024];
        int read;
        while ((read = await request.Body.ReadAsync(buffer, cancel)) > 0)
        {
            octets.Write(buffer, 0, read);
            if (octets.Length > ItemFileView.Largest)
                return Problems.Invalid($"{name} has more than 64 MB.", "Part it into several files, and name them with a * in the plan");
        }
        var who = request.HttpContext.User.Identity!.Name!;
        var kept = await files.KeepAsync(name, octets.GetBuffer().AsMemory(0, (int)octets.Length), who, cancel);
        live.TouchPlan();
        return TypedResults.Ok(ViewOf(kept));
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> DeleteAsync(
        [FromQuery(Name = "file")] string name,
        ItemFiles files,
        HttpContext context,
        LiveHub live,
        CancellationToken cancel
    )
    {
        if (!await files.ForgetAsync(name, context.User.Identity!.Name!, cancel))
            return NoFile(name);
        live.TouchPlan();
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<FileReading>, ProblemHttpResult>> ReadAsync(
        [FromQuery(Name = "file")] string name,
        ItemFiles files,
        CurrentPlan current,
        CancellationToken cancel
    )
    {
        if (await files.FindOneAsync(name, cancel) is not { } state || await files.ReadAsync(name, cancel) is not { } octets)
            return NoFile(name);
        var (plan, _) = await current.GetAsync(cancel);
        var (service, place) = PlaceOf(plan, name);
        var columns = place?.ColumnsWith(state.Columns) ?? state.Columns;
        var format = place?.Speaks ?? FormatOf(name);
        var file = ItemFile.Read(format, name, octets, columns);
        var table = file.Table;
        return TypedResults.Ok(
            new FileReading(
                name,
                KebabWord.Of(format),
                service,
                file.Items.Count(i => i.Fault is null),
                file.Items.Count(i => i.Lines.Length > 1),
                table?.Encoding,
                table?.Separator,
                table?.HasHeader is true,
                table is null ? [] : [.. table.Columns.Select((c, i) => ColumnOf(table, state, c, i))],
                table is null ? [] : [.. ColumnUse.All.Select(u => u.ToString())],
                [.. file.Items.Where(i => i.Fault is not null).Take(MostProblems).Select(i => new FileLineProblem(i.Lines[0], i.Fault!))]
            )
        );
    }

    private static ColumnView ColumnOf(ContactTable table, ItemFileState state, ListColumn column, int index) =>
        new(
            column.Header,
            column.Use.ToString(),
            column.IsGuessed ? "guess"
                : state.Columns.ContainsKey(column.Header) ? "choice"
                : "plan",
            [
                .. table
                    .Rows.Where(r => index < r.Cells.Length && r.Cells[index].Length > 0)
                    .Select(r => r.Cells[index])
                    .Distinct()
                    .Take(MostExamples),
            ]
        );

    private static async Task<Results<NoContent, ProblemHttpResult>> ChooseAsync(
        [FromQuery(Name = "file")] string name,
        ColumnChoice choice,
        ItemFiles files,
        HttpContext context,
        LiveHub live,
        CancellationToken cancel
    )
    {
        if (choice.Columns.FirstOrDefault(c => ColumnUse.Parse(c.Value) is null) is { Key: { } header, Value: var word })
            return Problems.Invalid(
                $"'{word}' is nothing that the column '{header}' may hold.",
                $"One of {string.Join(", ", ColumnUse.All)}"
            );
        var columns = choice.Columns.ToDictionary(c => c.Key, c => ColumnUse.Parse(c.Value)!.Value);
        if (!await files.ChooseColumnsAsync(name, columns, context.User.Identity!.Name!, cancel))
            return NoFile(name);
        live.TouchPlan();
        return TypedResults.NoContent();
    }

    private static ProblemHttpResult NoFile(string name) =>
        Problems.NotFound($"No file {name} was handed over.", "See which were with: caravan files");

    /// <summary>The first service of the plan to whose pattern the name fits.</summary>
    private static (string? Service, CollectionConnection.Files? Place) PlaceOf(Plan? plan, string name)
    {
        foreach (var service in plan?.Services ?? [])
        foreach (var kind in new[] { Kind.Contacts, Kind.Calendars })
            if (service.CollectionsOf(kind) is CollectionConnection.Files files && files.Fits(name))
                return (service.Name, files);
        return (null, null);
    }

    private static ItemFileFormat FormatOf(string name) =>
        Path.GetExtension(name).ToLowerInvariant() switch
        {
            ".vcf" => ItemFileFormat.Vcard,
            ".ics" => ItemFileFormat.Icalendar,
            _ => ItemFileFormat.Csv,
        };

    private static ItemFileView ViewOf(ItemFileState file) => new(file.Name, file.Length, file.Digest, file.ReceivedAt);
}
