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
        var keep = new Option<VersionWord?>("--keep")
        {
            Description =
                "Of contacts and events that were edited on both sides, the version that the new side is to have: old, new or both",
        };
        var because = new Option<string?>("--because") { Description = "With --accept: why they may stay; it stands in the journal" };
        var item = new Option<long[]>("--item") { Description = "Only the items of these numbers", AllowMultipleArgumentsPerToken = true };
        var show = new Option<bool>("--show") { Description = "Show the contact or event of --item as both sides have it" };
        var command = host.Make(
            "left-behind",
            "Lists what could not be carried and why, accepts it, or has it tried again",
            "caravan left-behind deckhands --retry",
            [batch, move, accept, because, retry, keep, item, show],
            (p, c, w, cancel) =>
                p.GetValue(show)
                    ? ShowAsync(p.GetValue(batch)!, p.GetValue(item)!, c, w, cancel)
                    : RunAsync(
                        p.GetValue(batch)!,
                        p.GetValue(move),
                        p.GetValue(accept) || p.GetValue(retry) || p.GetValue(keep) is not null
                            ? new LeftBehindDecision(p.GetValue(accept), null, p.GetValue(item), p.GetValue(keep), p.GetValue(because))
                            : null,
                        c,
                        w,
                        cancel
                    )
        );
        command.Validators.Add(v =>
        {
            if (new[] { v.GetValue(accept), v.GetValue(retry), v.GetValue(keep) is not null }.Count(g => g) > 1)
                v.AddError("Give one of --accept, --retry and --keep.");
            if (v.GetValue(because) is not null && !v.GetValue(accept))
                v.AddError("--because goes with --accept.");
            if (v.GetValue(show) && v.GetValue(item) is not { Length: > 0 })
                v.AddError("Say with --item which one to show; the list gives the numbers.");
        });
        return command;
    }

    private static async Task<int> RunAsync(
        string batch,
        string[]? who,
        LeftBehindDecision? decision,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var moves = who is { Length: > 0 } ? who : null;
        var path = $"batches/{Uri.EscapeDataString(batch)}/left-behind";
        if (decision is not null)
        {
            // The list as it was at the command line: without --item, all that are open.
            var items = decision.Items is { Count: > 0 } numbers ? numbers : null;
            var decided = await client.PostAsync<LeftBehindDecided>(path, decision with { Moves = moves, Items = items }, cancel);
            if (writer.Form is OutputForm.Json)
                writer.Json(decided);
            writer.Say(
                decision.Accept
                    ? $"Accepted: {decided.Items} item(s) of {decided.Moves} move(s) stay behind."
                    : (decision.Keep is { } version ? $"Keeping {Words.Word(version)}" : "Trying again")
                        + $": {decided.Items} item(s) of {decided.Moves} move(s)."
            );
            return ExitCode.Well;
        }
        var left = await client.GetAllOfAsync<LeftBehindView>($"{path}?limit=1000", moves, cancel);
        writer.Rows(
            left,
            "Nothing was left behind.",
            [
                new("Item", "item", i => $"{i.Id}", Right: true),
                new("Account", "account", i => Words.Safe(i.Account)),
                new("Folder", "folder", i => Words.Safe(i.Folder)),
                new("Subject", "subject", i => IsFolder(i) ? "[grey](the whole folder)[/]" : Words.Safe(i.Subject)),
                new("Received", "received", i => IsFolder(i) ? ""
                    : writer.Form is OutputForm.Csv ? i.Received?.ToString("O") ?? ""
                    : i.Received?.ToString("yyyy-MM-dd") ?? ""),
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
            foreach (var remedy in left.Select(i => i.Problem.Remedy).Distinct())
                writer.Say($"{Words.Safe(remedy)}.");
        return left.Exists(i => i.State is LeftBehindWord.Open) ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static async Task<int> ShowAsync(string batch, long[] items, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        foreach (var item in items)
        {
            var forms = await client.GetAsync<ItemFormsView>($"batches/{Uri.EscapeDataString(batch)}/left-behind/{item}/forms", cancel);
            writer.Rows(
                forms.Lines,
                "It says nothing that can be shown.",
                [
                    new("", "label", l => Words.Safe(l.Label)),
                    new("Old side", "old", l => Words.Safe(l.Old ?? "")),
                    new("New side", "new", l =>
                        l.Old == l.New ? Words.Safe(l.New ?? "") : $"[yellow]{Words.Safe(l.New ?? "(not there)")}[/]"
                    ),
                ],
                forms
            );
            writer.Say(
                $"{Words.Safe(forms.LeftBehind.Account)}, {Words.Safe(forms.LeftBehind.Folder)}: "
                    + $"{Words.Safe(forms.LeftBehind.Problem.What)}."
            );
            if (forms.LeftBehind.Choices.Count > 0)
                writer.Say(
                    $"Choose with: caravan left-behind {Words.Safe(batch)} --item {item} --keep "
                        + string.Join("|", forms.LeftBehind.Choices.Select(c => Words.Word(c)))
                );
        }
        return ExitCode.Well;
    }

    public static string Name(LeftBehindView item) =>
        IsFolder(item)
            ? $"the whole folder, {Words.Number(item.Messages)} message(s)"
            : $"\"{item.Subject}\"{(item.Received is { } at ? $" of {at:yyyy-MM-dd}" : "")}, {Words.Size(item.Size)}";

    /// <summary>It was refused as a whole, so that it is no single message.</summary>
    private static bool IsFolder(LeftBehindView item) => item is { Subject: "", Sender: "", Size: 0 };
}
