using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan preview</c>: what carrying would do with contacts and events.</summary>
internal static class PreviewCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = new Option<string?>("--move") { Description = "One person: the account on the old side, or the name" };
        var only = new Option<ItemForecastWord?>("--only") { Description = "Only those: new, same, merge, unclear or unreadable" };
        return host.Make(
            "preview",
            "What carrying would do with contacts and events, item by item, as the last survey found; changes nothing",
            "caravan preview deckhands --move \"Aoife Marsh\" --only unclear",
            [batch, move, only],
            (p, c, w, cancel) => RunAsync(p.GetValue(batch)!, p.GetValue(move), p.GetValue(only), c, w, cancel)
        );
    }

    private static async Task<int> RunAsync(
        string batch,
        string? move,
        ItemForecastWord? only,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var of = move is null ? "" : $"&move={Uri.EscapeDataString(move)}";
        var fits = only is { } word ? $"&only={Words.Word(word)}" : "";
        var path = $"batches/{Uri.EscapeDataString(batch)}";
        var lines = await client.GetAllAsync<ItemForecastView>($"{path}/preview?limit=200{of}{fits}", cancel);
        var landings = await client.GetAllAsync<CollectionLandingView>($"{path}/collections?limit=1000{of}", cancel);
        writer.Rows(
            lines,
            landings.Count == 0
                ? $"Nothing is known of their contacts and calendars: look with caravan survey {batch}."
                : "No such contact or event.",
            [
                new("Person", "name", l => Words.Safe(l.Name)),
                new("In", "collection", l => Words.Safe(l.Collection)),
                new("Place", "place", l => Words.Safe(l.Place ?? "")),
                new("Contact or event", "title", l => Words.Safe(l.Title)),
                new("Whom", "whom", l => Words.Safe(l.Whom)),
                new("Becomes", "becomes", l => Words.Word(l.Forecast)),
                new("Why", "why", l => Words.Safe(l.Why ?? "")),
            ]
        );
        var sums = landings.Select(l => l.Forecast).OfType<ForecastCountsView>().ToList();
        writer.Say(
            $"In all: {Words.Number(sums.Sum(s => s.New))} new, {Words.Number(sums.Sum(s => s.Same))} the same, "
                + $"{Words.Number(sums.Sum(s => s.Merge))} to merge, {Words.Number(sums.Sum(s => s.Unclear))} unclear, "
                + $"{Words.Number(sums.Sum(s => s.Unreadable))} unreadable."
        );
        return ExitCode.Well;
    }
}
