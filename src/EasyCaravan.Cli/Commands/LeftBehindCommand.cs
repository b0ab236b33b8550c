using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan left-behind</c></summary>
internal static class LeftBehindCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = MoveCommands.MoveOption();
        var accept = new Option<bool>("--accept") { Description = "They may stay behind" };
        var retry = new Option<bool>("--retry") { Description = "Try them again" };
        var command = host.Make(
            "left-behind",
            "Lists what could not be carried and why, accepts it, or has it tried again",
            "caravan left-behind deckhands --retry",
            [batch, move, accept, retry],
            (p, c, w, cancel) => RunAsync(p.GetValue(batch)!, p.GetValue(move), p.GetValue(accept), p.GetValue(retry), c, w, cancel)
        );
        command.Validators.Add(v =>
        {
            if (v.GetValue(accept) && v.GetValue(retry))
                v.AddError("Give --accept or --retry, not both.");
        });
        return command;
    }

    private static async Task<int> RunAsync(
        string batch,
        string[]? who,
        bool accept,
        bool retry,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var moves = who is { Length: > 0 } ? who : null;
        var path = $"batches/{Uri.EscapeDataString(batch)}/left-behind";
        if (accept || retry)
        {
            var decided = await client.PostAsync<LeftBehindDecided>(path, new LeftBehindDecision(accept, moves, null), cancel);
            if (writer.Form is OutputForm.Json)
                writer.Json(decided);
            writer.Say(
                accept
                    ? $"Accepted: {decided.Items} item(s) of {decided.Moves} move(s) stay behind."
                    : $"Trying again: {decided.Items} item(s) of {decided.Moves} move(s)."
            );
            return ExitCode.Well;
        }
        var items = await client.GetAllOfAsync<LeftBehindView>($"{path}?limit=1000", moves, cancel);
        writer.Rows(
            items,
            "Nothing was left behind.",
            [
                new("Account", "account", i => Words.Safe(i.Account)),
                new("Folder", "folder", i => Words.Safe(i.Folder)),
                new("Subject", "subject", i => IsFolder(i) ? "[grey](the whole folder)[/]" : Words.Safe(i.Subject)),
                new("Received", "received", i => IsFolder(i) ? ""
                    : writer.Form is OutputForm.Csv ? i.Received.ToString("O")
                    : i.Received.ToString("yyyy-MM-dd")),
                new("Messages", "messages", i => writer.Form is OutputForm.Csv ? $"{i.Messages}" : Words.Number(i.Messages), Right: true),
                new(
                    "Size",
                    "octets",
                    i =>
                        IsFolder(i) ? ""
                        : writer.Form is OutputForm.Csv ? $"{i.Size}"
                        : Words.Size(i.Size),
                    Right: true
                ),
                new("Why", "cause", i => writer.Form is OutputForm.Csv ? i.Problem.Cause : Words.Safe(i.Problem.What)),
                new("State", "state", i => Words.Word(i.State)),
            ]
        );
        if (writer.Form is OutputForm.Table)
            foreach (var remedy in items.Select(i => i.Problem.Remedy).Distinct())
                writer.Say($"{Words.Safe(remedy)}.");
        return items.Exists(i => i.State is LeftBehindWord.Open) ? ExitCode.NeedsYou : ExitCode.Well;
    }

    public static string Name(LeftBehindView item) =>
        IsFolder(item)
            ? $"the whole folder, {Words.Number(item.Messages)} message(s)"
            : $"\"{item.Subject}\" of {item.Received:yyyy-MM-dd}, {Words.Size(item.Size)}";

    /// <summary>It was refused as a whole, so that it is no single message.</summary>
    private static bool IsFolder(LeftBehindView item) => item is { Subject: "", Sender: "", Size: 0 };
}
