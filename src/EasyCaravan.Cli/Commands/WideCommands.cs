using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan priority</c> and <c>drain</c></summary>
internal static class WideCommands
{
    public static IEnumerable<Command> Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var priority = new Argument<string>("PRIORITY") { Description = "1 (first) to 9, or plan: as the plan says" };
        var move = MoveCommands.MoveOption();
        priority.Validators.Add(v =>
        {
            if (v.Tokens is [var given] && given.Value != "plan" && !(int.TryParse(given.Value, out var number) && number is >= 1 and <= 9))
                v.AddError($"'{given.Value}' is not a priority. Give 1 (first) to 9, or plan.");
        });
        yield return host.Make(
            "priority",
            "Makes moves go before or after others that wait",
            "caravan priority deckhands 1 --move \"Aoife Marsh\"",
            [batch, priority, move],
            (p, c, w, cancel) => SetPriorityAsync(p.GetValue(batch)!, p.GetValue(priority)!, p.GetValue(move), c, w, cancel)
        );

        var service = new Option<string?>("--on") { Description = "Only this service; else all of them" };
        var stop = new Option<bool>("--stop") { Description = "Passes that run end the item in hand and wait, too" };
        var end = new Option<bool>("--end") { Description = "Let passes begin again" };
        var wait = new Option<bool>("--wait") { Description = "Wait until nothing is running there" };
        var drain = host.Make(
            "drain",
            "Before maintenance: lets no pass begin, and shows what is still running",
            "caravan drain --on lanternpost --wait",
            [service, stop, end, wait],
            (p, c, w, cancel) =>
                DrainAsync(new DrainRequest(p.GetValue(service), !p.GetValue(end), p.GetValue(stop)), p.GetValue(wait), c, w, cancel)
        );
        drain.Validators.Add(v =>
        {
            if (v.GetValue(end) && (v.GetValue(stop) || v.GetValue(wait)))
                v.AddError("--end goes with neither --stop nor --wait.");
        });
        yield return drain;
    }

    private static async Task<int> SetPriorityAsync(
        string batch,
        string priority,
        string[]? who,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        int? number = priority == "plan" ? null : int.Parse(priority, System.Globalization.CultureInfo.InvariantCulture);
        var result = await client.PostAsync<MoveActionResult>(
            $"batches/{Uri.EscapeDataString(batch)}/priority",
            new PriorityRequest(number, who is { Length: > 0 } ? who : null),
            cancel
        );
        if (writer.Form is OutputForm.Table)
            writer.Say($"Changed: {result.Changed.Count}{(result.Unchanged > 0 ? $", as they were: {result.Unchanged}" : "")}");
        else
            writer.Rows(result.Changed, "", [new Column<string>("Account", "account", Words.Safe)], result);
        return ExitCode.Well;
    }

    private static async Task<int> DrainAsync(
        DrainRequest request,
        bool wait,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var view = await client.PostAsync<DrainView>("drain", request, cancel);
        while (wait && view.Running.Count > 0)
        {
            await Task.Delay(TimeSpan.FromSeconds(1), cancel);
            view = await client.GetAsync<DrainView>("drain", cancel);
        }
        if (writer.Form is not OutputForm.Table)
        {
            writer.Rows(
                view.Running,
                "",
                [new("", "batch", m => Words.Safe(m.Batch)), new("", "account", m => Words.Safe(m.Account))],
                view
            );
            return ExitCode.Well;
        }
        var drained = view.Everything ? "every service" : string.Join(", ", view.Services.Select(Words.Safe));
        writer.Say(
            drained.Length == 0 ? "Nothing is drained: passes begin as their timetables say." : $"Drained: {drained}. No pass begins there."
        );
        if (drained.Length > 0)
            writer.Rows(
                view.Running,
                "Nothing is running there.",
                [
                    new("Name", "name", m => Words.Safe(m.Name)),
                    new("Account", "account", m => Words.Safe(m.Account)),
                    new("Batch", "batch", m => Words.Safe(m.Batch)),
                    new("Still running", "condition", m => Words.Safe(m.ConditionText)),
                ]
            );
        return ExitCode.Well;
    }
}
