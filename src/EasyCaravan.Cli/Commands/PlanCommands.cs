using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan plan check | apply | show</c></summary>
internal static class PlanCommands
{
    public static Command Make(CommandHost host)
    {
        var file = new Argument<string>("FILE") { Description = "The plan file (YAML); rosters are read from beside it" };
        var dryRun = new Option<bool>("--dry-run") { Description = "Only say what would change" };
        var batch = new Argument<string?>("BATCH") { Description = "Only this batch", Arity = ArgumentArity.ZeroOrOne };
        return new Command("plan", "Checks, applies and shows the plan: services, routes and batches")
        {
            host.Make(
                "check",
                "Checks a plan and its rosters without changing anything",
                "caravan plan check ferries.yaml",
                [file],
                (p, c, w, cancel) => CheckAsync(p.GetValue(file)!, c, w, cancel)
            ),
            host.Make(
                "apply",
                "Puts a plan in force: all of it, or nothing",
                "caravan plan apply ferries.yaml --dry-run",
                [file, dryRun],
                (p, c, w, cancel) => ApplyAsync(p.GetValue(file)!, p.GetValue(dryRun), c, w, cancel)
            ),
            host.Make("show", "Shows the plan in force", "caravan plan show", [batch], (p, c, w, cancel) =>
                ShowAsync(p.GetValue(batch), c, w, cancel)
            ),
        };
    }

    private static async Task<int> CheckAsync(string file, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var check = await client.PostAsync<PlanCheck>("plan/check", await PlanReading.ReadAsync(file, cancel), cancel);
        if (writer.Form is OutputForm.Json)
            writer.Json(check);
        if (!check.Valid)
            throw new CommandException(ExitCode.WrongUsage, PlanProblems.Write(check.Problems));
        if (writer.Form is not OutputForm.Json)
            writer.Rows(check.Batches, "", BatchColumns);
        writer.Say($"[green]{Words.Safe(file)} is sound.[/] Apply it with: caravan plan apply {Words.Safe(file)}");
        return ExitCode.Well;
    }

    private static async Task<int> ApplyAsync(string file, bool dryRun, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var submission = await PlanReading.ReadAsync(file, cancel);
        // A ZIP that cannot be read is told before anything changes.
        var handed = HandedFiles.Find(file, submission.Text);
        var applied = await client.PostAsync<PlanApplied>($"plan/apply?dryRun={(dryRun ? "true" : "false")}", submission, cancel);
        if (!dryRun)
        {
            var sent = await HandedFiles.SendAsync(handed, client, cancel);
            if (sent.Count > 0)
                writer.Say($"Handed over {sent.Count} file(s) of contacts or events; see them with: caravan files list");
        }
        if (writer.Form is not OutputForm.Table)
        {
            writer.Rows(applied.Changes, "", ChangeColumns, applied);
        }
        else
        {
            foreach (var batch in applied.Changes.GroupBy(c => (c.Batch, c.Change)))
                writer.Say(
                    $"{Words.Safe(batch.Key.Batch)}: {batch.Count()} {batch.Key.Change}"
                        + $"{(batch.Count() <= 5 ? $" ({Words.Safe(string.Join(", ", batch.Select(c => c.Account)))})" : "")}"
                );
            foreach (var setting in applied.Settings)
                writer.Say($"{Words.Safe(setting)}");
            foreach (var change in applied.Timetables)
                writer.Say($"{Words.Safe(change.Batch)}: {Words.Safe(change.Sentence)}");
            if (applied.Changes.Count == 0 && applied.Settings.Count == 0)
                writer.Say("Nothing in it differs from the plan in force.");
        }
        writer.Say(
            applied.DryRun
                ? "This was a dry run: nothing was changed."
                : $"[green]The plan is in force.[/]{(applied.Next is { } next ? $" {Words.Safe(next)}" : "")}"
        );
        return ExitCode.Well;
    }

    private static async Task<int> ShowAsync(string? batch, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var plan = await client.GetAsync<PlanView>("plan", cancel);
        var batches = batch is null ? plan.Batches : [.. plan.Batches.Where(b => b.Name == batch)];
        if (batches.Count == 0)
            throw new CommandException(
                ExitCode.Failed,
                $"There is no batch '{batch}'.\nThe plan has {string.Join(", ", plan.Batches.Select(b => b.Name))}."
            );
        writer.Rows(batches, "", BatchColumns, plan);
        writer.Say($"[grey]{Words.Safe(plan.File)}, applied {Words.Time(plan.AppliedAt)} by {Words.Safe(plan.AppliedBy)}[/]");
        return ExitCode.Well;
    }

    private static readonly Column<PlanBatch>[] BatchColumns =
    [
        new("Batch", "batch", b => Words.Safe(b.Name)),
        new("Route", "route", b => Words.Safe(b.Route)),
        new("From", "from", b => Words.Safe(b.From)),
        new("To", "to", b => Words.Safe(b.To)),
        new("People", "people", b => Words.Number(b.People), Right: true),
    ];

    private static readonly Column<PlanChange>[] ChangeColumns =
    [
        new("Batch", "batch", c => Words.Safe(c.Batch)),
        new("Account", "account", c => Words.Safe(c.Account)),
        new("Change", "change", c => c.Change),
    ];
}
