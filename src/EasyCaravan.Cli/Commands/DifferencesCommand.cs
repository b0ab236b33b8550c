using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan differences</c></summary>
internal static class DifferencesCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = MoveCommands.MoveOption();
        var kind = new Option<string?>("--kind")
        {
            Description = "Only these: missing, twice or altered",
            HelpName = "missing|twice|altered",
        };
        kind.AcceptOnlyFromAmong("missing", "twice", "altered");
        var carryAgain = new Option<bool>("--carry-again") { Description = "Carry again what is missing on the new side" };
        var removeSecond = new Option<bool>("--remove-second")
        {
            Description = "Remove the second copies, each compared with the first once more",
        };
        var accept = new Option<bool>("--accept") { Description = "It may be so" };
        var all = new Option<bool>("--all") { Description = "Also what was decided, and what only its owner changed" };
        var command = host.Make(
            "differences",
            "Lists items that are missing, double or altered on the new side, and takes decisions about them",
            "caravan differences deckhands --kind missing --carry-again",
            [batch, move, kind, carryAgain, removeSecond, accept, all],
            (p, c, w, cancel) =>
                RunAsync(
                    p.GetValue(batch)!,
                    p.GetValue(move),
                    Word(p.GetValue(kind)),
                    Choice(p.GetValue(carryAgain), p.GetValue(removeSecond), p.GetValue(accept)),
                    p.GetValue(all),
                    c,
                    w,
                    cancel
                )
        );
        command.Validators.Add(v =>
        {
            if (new[] { v.GetValue(carryAgain), v.GetValue(removeSecond), v.GetValue(accept) }.Count(g => g) > 1)
                v.AddError("Give one of --carry-again, --remove-second and --accept.");
        });
        return command;
    }

    private static DifferenceWord? Word(string? kind) => kind is null ? null : Enum.Parse<DifferenceWord>(kind, ignoreCase: true);

    private static DifferenceChoice? Choice(bool carryAgain, bool removeSecond, bool accept) =>
        carryAgain ? DifferenceChoice.CarryAgain
        : removeSecond ? DifferenceChoice.RemoveSecond
        : accept ? DifferenceChoice.Accept
        : null;

    private static async Task<int> RunAsync(
        string batch,
        string[]? who,
        DifferenceWord? kind,
        DifferenceChoice? choice,
        bool all,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var moves = who is { Length: > 0 } ? who : null;
        var path = $"batches/{Uri.EscapeDataString(batch)}/differences";
        if (choice is { } chosen)
        {
            var decided = await client.PostAsync<DifferencesDecided>(path, new DifferencesDecision(chosen, moves, null, kind), cancel);
            if (writer.Form is OutputForm.Json)
                writer.Json(decided);
            writer.Say($"{Done(chosen)}: {decided.Items} item(s) of {decided.Moves} move(s).");
            return ExitCode.Well;
        }
        var items = await client.GetAllOfAsync<DifferenceView>($"{path}?limit=1000&decided={(all ? "true" : "false")}", moves, cancel);
        if (kind is { } only)
            items.RemoveAll(i => i.Kind != only);
        writer.Rows(
            items,
            "Nothing differs between the sides, as far as anybody has looked.",
            [
                new("Account", "account", i => Words.Safe(i.Account)),
                new("Folder", "folder", i => Words.Safe(i.Folder)),
                new("Subject", "subject", i => Words.Safe(i.Subject)),
                new("Received", "received", i =>
                    writer.Form is OutputForm.Csv ? i.Received?.ToString("O") ?? "" : i.Received?.ToString("yyyy-MM-dd") ?? ""
                ),
                new("Size", "octets", i => writer.Form is OutputForm.Csv ? $"{i.Size}" : Words.Size(i.Size), Right: true),
                new("Kind", "kind", i => Words.Word(i.Kind)),
                new("What", "what", i => Words.Safe(i.What)),
                new("State", "state", i => Words.Word(i.State)),
            ]
        );
        if (writer.Form is OutputForm.Table)
            foreach (var same in items.Where(i => i.Choices.Count > 0).GroupBy(i => (i.Kind, i.Remedy)))
                writer.Say(
                    $"{Words.Word(same.Key.Kind)}: {Words.Safe(same.Key.Remedy)} "
                        + $"({string.Join(", ", same.First().Choices.Select(c => $"--{Words.Word(c)}"))})."
                );
        return items.Exists(i => i.State is DifferenceStateWord.Open) ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static string Done(DifferenceChoice choice) =>
        choice switch
        {
            DifferenceChoice.Accept => "Accepted",
            DifferenceChoice.CarryAgain => "Carried again by a pass that was asked for",
            DifferenceChoice.RemoveSecond => "Second copies removed by a pass that was asked for",
        };
}
