using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary>Shows where address books and calendars land.</summary>
internal static class CollectionsCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = new Option<string?>("--move") { Description = "One person: the account on the old side, or the name" };
        return host.Make(
            "collections",
            "Where address books and calendars land and which rule said so, for a batch or a person",
            "caravan collections deckhands --move \"Aoife Marsh\"",
            [batch, move],
            (p, c, w, cancel) => RunAsync(p.GetValue(batch)!, p.GetValue(move), c, w, cancel)
        );
    }

    private static async Task<int> RunAsync(string batch, string? move, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var of = move is null ? "" : $"&move={Uri.EscapeDataString(move)}";
        var landings = await client.GetAllAsync<CollectionLandingView>(
            $"batches/{Uri.EscapeDataString(batch)}/collections?limit=1000{of}",
            cancel
        );
        var plain = writer.Form is OutputForm.Csv;
        writer.Rows(
            landings,
            $"No address books or calendars are known: look with caravan survey {batch}.",
            [
                new("Person", "name", l => Words.Safe(l.Name)),
                new("Account", "account", l => Words.Safe(l.Account)),
                new("Kind", "kind", l => Words.Word(l.Kind)),
                new("Old side", "from", l => Words.Safe(l.From)),
                new("Items", "items", l => plain ? $"{l.Items}" : Words.Number(l.Items), Right: true),
                new("New side", "to", l => LandsIn(l, plain)),
                new("Why", "why", l => Words.Safe(l.Why)),
                new("New", "new", l => Count(l.Forecast?.New, plain), Right: true),
                new("Same", "same", l => Count(l.Forecast?.Same, plain), Right: true),
                new("Merge", "merge", l => Count(l.Forecast?.Merge, plain), Right: true),
                new("Unclear", "unclear", l => Count(l.Forecast?.Unclear, plain), Right: true),
            ]
        );
        return 0;
    }

    private static string Count(long? items, bool plain) =>
        items is not { } number ? ""
        : plain ? $"{number}"
        : Words.Number(number);

    private static string LandsIn(CollectionLandingView landing, bool plain) =>
        landing.To is null ? (plain ? "" : "[grey]stays behind[/]")
        : landing.IsNew && !plain ? $"{Words.Safe(landing.To)} (made new)"
        : Words.Safe(landing.To);
}
