using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan take-back</c></summary>
internal static class TakeBackCommand
{
    private static readonly TimeSpan s_look = TimeSpan.FromMilliseconds(300);

    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = new Option<string>("--move") { Description = "Whose move: account or name", Required = true };
        var check = new Option<bool>("--check")
        {
            Description = "A dry run: say what would be removed, and remove nothing. The move is held meanwhile",
        };
        var account = new Option<string?>("--account")
        {
            Description = "The account on the new side, written out to confirm; without it, it is asked for",
        };
        var last = new Option<bool>("--last") { Description = "Only show what the last one did" };
        var noWait = new Option<bool>("--no-wait") { Description = "Do not wait for its end" };
        var command = host.Make(
            "take-back",
            "Removes from the new side what a move put there: what nobody changed since and proves to be the same",
            "caravan take-back deckhands --move \"Orla Fenwick\" --check",
            [batch, move, check, account, last, noWait],
            async (p, c, w, cancel) =>
            {
                var path = $"batches/{Uri.EscapeDataString(p.GetValue(batch)!)}/take-back";
                var who = p.GetValue(move)!;
                if (!p.GetValue(last))
                {
                    var isCheck = p.GetValue(check);
                    var typed = isCheck ? null : p.GetValue(account) ?? Ask(who, host);
                    await c.PostAsync<TakeBackView>(path, new TakeBackRequest(who, isCheck, typed), cancel);
                }
                return await ShowAsync(p.GetValue(batch)!, path, who, wait: !p.GetValue(noWait) && !p.GetValue(last), c, w, cancel);
            }
        );
        command.Validators.Add(v =>
        {
            if (v.GetValue(check) && (v.GetValue(account) is not null || v.GetValue(last)))
                v.AddError("--check goes without --account and --last.");
        });
        return command;
    }

    private static string Ask(string who, CommandHost host)
    {
        host.Error.Write($"To take back what was carried of {who}, type the account on the new side from which it is to be removed: ");
        return host.In.ReadLine()?.Trim() is { Length: > 0 } typed
            ? typed
            : throw new CommandException(ExitCode.WrongUsage, "No account was given; nothing was changed.");
    }

    private static async Task<int> ShowAsync(
        string batch,
        string path,
        string who,
        bool wait,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var query = $"move={Uri.EscapeDataString(who)}";
        var view = await client.GetAsync<TakeBackView>($"{path}?{query}", cancel);
        for (var isStopped = false; wait && view.EndedAt is null && !isStopped; )
        {
            await Task.Delay(s_look, cancel);
            // Asked first: a move that is held may have come to its end.
            isStopped = await IsStoppedAsync(batch, view.Account, client, cancel);
            view = await client.GetAsync<TakeBackView>($"{path}?{query}", cancel);
        }
        string Number(long number) => writer.Form is OutputForm.Csv ? $"{number}" : Words.Number(number);
        var (removed, restored) = view.IsCheck ? ("Would be removed", "Would be as before") : ("Removed", "As before");
        writer.Rows(
            view.Folders,
            "Nothing was carried there.",
            [
                new("Kind", "kind", f => Words.Word(f.Kind)),
                new("On the new side", "place", f => Words.Safe(f.Place)),
                new(removed, "removed", f => Number(f.Removed), Right: true),
                new(restored, "restored", f => Number(f.Restored), Right: true),
                new(
                    "Stays",
                    "kept",
                    f => f.Kept > 0 && writer.Form is OutputForm.Table ? $"[red]{Number(f.Kept)}[/]" : Number(f.Kept),
                    Right: true
                ),
                new("Not there any more", "not_there", f => Number(f.NotThere), Right: true),
                new("The folder itself", "folder", f =>
                    writer.Form is OutputForm.Csv ? Words.Word(f.Folder) : FolderWords(f.Folder, view.IsCheck)
                ),
            ],
            view
        );
        if (writer.Form is OutputForm.Table)
            Explain(batch, view, writer);
        if (view.Kept > 0 && writer.Form is OutputForm.Table)
        {
            var kept = await client.GetAsync<Page<TakeBackKept>>($"{path}/kept?{query}&limit=20", cancel);
            writer.Rows(
                kept.Items,
                "",
                [
                    new("Stays", "title", k => Words.Safe(k.Title ?? "(not readable)")),
                    new("In", "place", k => Words.Safe(k.Place)),
                    new("Because", "why", k => Words.Safe(k.Why)),
                ]
            );
            if (kept.Total > kept.Items.Count)
                writer.Say($"and {kept.Total - kept.Items.Count} more");
        }
        return view.EndedAt is null || view.Kept > 0 ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static void Explain(string batch, TakeBackView view, Writer writer)
    {
        var (from, to) = (Words.Safe(view.Account), Words.Safe(view.ToAccount));
        writer.Say(
            (view.IsCheck, view.EndedAt) switch
            {
                (_, null) => $"Not ended yet. See how it goes: caravan moves {Words.Safe(batch)} --search {from}",
                (true, _) => $"This was a dry run: nothing was removed from {to}. The move is held. "
                    + $"Take it back with 'caravan take-back {Words.Safe(batch)} --move {from}', or let it go on with "
                    + $"'caravan resume {Words.Safe(batch)} --move {from}'.",
                _ => $"Taken back from {to}. The move is as before its first pass, and held: correct the roster or the rules, apply them, "
                    + $"and let it begin anew with 'caravan resume' and 'caravan start {Words.Safe(batch)} --move {from}'.",
            }
        );
    }

    private static string FolderWords(TakenFolderWord word, bool isCheck) =>
        word switch
        {
            TakenFolderWord.NotOurs => "was there before",
            TakenFolderWord.Removed => isCheck ? "would be removed" : "removed",
            TakenFolderWord.NotEmpty => "stays, it holds something",
            TakenFolderWord.Refused => "[red]stays, its deletion was refused[/]",
            TakenFolderWord.NotThere => "was gone already",
        };

    /// <summary>It will not go on by itself: somebody is needed.</summary>
    private static async Task<bool> IsStoppedAsync(string batch, string account, CaravanClient client, CancellationToken cancel)
    {
        var found = await client.GetAsync<Page<MoveView>>(
            $"batches/{Uri.EscapeDataString(batch)}/moves?search={Uri.EscapeDataString(account)}",
            cancel
        );
        return found.Items.Any(m =>
            m.Account == account && m.Condition is MoveCondition.NeedsYou or MoveCondition.Held or MoveCondition.Idle
        );
    }
}
