using System.CommandLine;
using System.Globalization;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan survey, findings, choose, tidying</c> and <c>folders</c>: what is known before anything moves</summary>
internal static class SurveyCommands
{
    public static IEnumerable<Command> Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var move = MoveCommands.MoveOption();
        var one = new Option<string?>("--move") { Description = "Only this person: account or name" };
        var wait = new Option<bool>("--wait") { Description = "Wait until every account was looked at" };
        yield return host.Make(
            "survey",
            "Looks at both accounts of everybody without touching them, and sums up what is there",
            "caravan survey deckhands --wait",
            [batch, move, wait],
            (p, c, w, cancel) => SurveyAsync(p.GetValue(batch)!, p.GetValue(move), p.GetValue(wait), c, w, cancel)
        );

        var code = new Option<string?>("--code") { Description = "Only findings of this kind" };
        var every = new Option<bool>("--rows") { Description = "Person by person instead of by kind" };
        yield return host.Make(
            "findings",
            "What surveys found, what will happen, and the ways out",
            "caravan findings deckhands --rows --code no-room",
            [batch, one, code, every],
            (p, c, w, cancel) => FindingsAsync(p.GetValue(batch)!, p.GetValue(one), p.GetValue(code), p.GetValue(every), c, w, cancel)
        );

        var finding = new Argument<string>("CODE") { Description = "The finding, or what tidying calls it" };
        var way = new Argument<string?>("WAY") { Description = "The way out", Arity = ArgumentArity.ZeroOrOne };
        var value = new Option<string?>("--value") { Description = "Its value, where it takes one" };
        var route = new Option<bool>("--route") { Description = "For everybody on the batch's route" };
        var undo = new Option<bool>("--undo") { Description = "Take back what was chosen" };
        var choose = host.Make(
            "choose",
            "Chooses a way out of a finding: for the batch, for persons, or for the whole route",
            "caravan choose deckhands reserved-name suffix --value \" (mail)\"",
            [batch, finding, way, value, move, route, undo],
            (p, c, w, cancel) =>
                ChooseAsync(
                    p.GetValue(batch)!,
                    new DecisionRequest(
                        p.GetValue(finding)!,
                        p.GetValue(undo) ? null : p.GetValue(way),
                        p.GetValue(value),
                        p.GetValue(route) ? DecisionReach.Route
                            : p.GetValue(move) is { Length: > 0 } ? DecisionReach.Move
                            : DecisionReach.Batch,
                        p.GetValue(move) is { Length: > 0 } who ? who : null
                    ),
                    c,
                    w,
                    cancel
                )
        );
        choose.Validators.Add(v =>
        {
            if (v.GetValue(undo) == v.GetValue(way) is not null)
                v.AddError("Give a way out, or --undo.");
            if (v.GetValue(route) && v.GetValue(move) is { Length: > 0 })
                v.AddError("Give --route or --move, not both.");
        });
        yield return choose;

        yield return host.Make(
            "tidying",
            "What leaving out trash, junk, old or large mail would save; chosen with 'caravan choose'",
            "caravan tidying deckhands",
            [batch],
            (p, c, w, cancel) => TidyingAsync(p.GetValue(batch)!, c, w, cancel)
        );

        var rules = new Option<string?>("--rules")
        {
            Description = "A file with other folder rules (a YAML list): where would folders land?",
        };
        yield return host.Make(
            "folders",
            "Where folders land and which rule said so, for a batch or a person",
            "caravan folders deckhands --move \"Aoife Marsh\"",
            [batch, one, rules],
            (p, c, w, cancel) => FoldersAsync(p.GetValue(batch)!, p.GetValue(one), p.GetValue(rules), c, w, cancel)
        );
    }

    private static string Path(string batch) => $"batches/{Uri.EscapeDataString(batch)}";

    private static async Task<int> SurveyAsync(
        string batch,
        string[]? who,
        bool wait,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var moves = who is { Length: > 0 } ? who : null;
        var asked = await client.PostAsync<MoveActionResult>(
            $"{Path(batch)}/actions",
            new MoveActionRequest(MoveAction.Survey, moves),
            cancel
        );
        writer.Say($"Looking at: {asked.Changed.Count}{(asked.Unchanged > 0 ? $", busy with something else: {asked.Unchanged}" : "")}");
        if (!wait)
        {
            if (writer.Form is not OutputForm.Table)
                writer.Rows(asked.Changed, "", [new Column<string>("Account", "account", Words.Safe)], asked);
            return ExitCode.Well;
        }
        // A survey runs at any hour: a move that waits for its window waits for a pass, and was not asked.
        await MoveCommands.AwaitAsync(batch, moves, client, cancel, forWindows: false);
        var survey = await client.GetAsync<BatchSurvey>($"{Path(batch)}/survey", cancel);
        if (writer.Form is OutputForm.Json)
            writer.Json(survey);
        else
            await ListAsync(batch, survey, client, writer, cancel);
        var groups = await client.GetAsync<List<FindingGroup>>($"{Path(batch)}/findings", cancel);
        var open = groups.Where(g => g.Open > 0).ToList();
        var found = string.Join(", ", open.GroupBy(g => g.Weight).Select(g => $"{g.Count()} {Weight(g.Key, g.Count())}"));
        writer.Say(
            open.Count == 0 ? "[green]Nothing to decide.[/]" : $"Found: {Words.Safe(found)}. See: caravan findings {Words.Safe(batch)}"
        );
        return open.Exists(g => g.Weight is FindingWeight.Blocks) ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static string Weight(FindingWeight weight, int count) =>
        weight switch
        {
            FindingWeight.Blocks => count == 1 ? "kind that blocks" : "kinds that block",
            FindingWeight.Loses => count == 1 ? "kind that loses something" : "kinds that lose something",
            FindingWeight.Changes => count == 1 ? "kind that changes something" : "kinds that change something",
            FindingWeight.Note => count == 1 ? "note" : "notes",
        };

    private static async Task ListAsync(string batch, BatchSurvey survey, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var accounts = await client.GetAllAsync<AccountInventory>(
            $"{Path(batch)}/inventory?limit=1000&sort=octets&descending=true",
            cancel
        );
        var plain = writer.Form is OutputForm.Csv;
        // Without contacts and calendars in the route their columns would only take room.
        var kinds = survey
            .Kinds.Where(k => k.Kind is not MoveKind.Mail)
            .Select(k => new Column<AccountInventory>(
                k.Kind is MoveKind.Contacts ? "Contacts" : "Events",
                k.Kind is MoveKind.Contacts ? "contacts" : "events",
                a =>
                    a.Kinds.FirstOrDefault(own => own.Kind == k.Kind) is not { } own ? ""
                    : plain ? $"{own.Items}"
                    : Words.Number(own.Items),
                Right: true
            ));
        writer.Rows(
            accounts,
            "Nobody.",
            [
                new("Name", "name", a => Words.Safe(a.Name)),
                new("Account", "account", a => Words.Safe(a.Account)),
                .. kinds,
                new("Folders", "folders", a => $"{a.Folders}", Right: true),
                new("Messages", "messages", a => plain ? $"{a.Messages}" : Words.Number(a.Messages), Right: true),
                new("Size", "octets", a => plain ? $"{a.Octets}" : Words.Size(a.Octets), Right: true),
                new("To carry", "carry_octets", a => plain ? $"{a.CarryOctets}" : Words.Size(a.CarryOctets), Right: true),
                new("Oldest", "oldest", a => Day(a.OldestMessage)),
                new("Newest", "newest", a => Day(a.NewestMessage)),
                new("Largest", "largest", a => plain ? $"{a.LargestMessage}" : Words.Size(a.LargestMessage), Right: true),
                new("There already", "to_messages", a => plain ? $"{a.ToMessages}" : Words.Number(a.ToMessages), Right: true),
                new(
                    "To decide",
                    "findings",
                    a =>
                        a.Problem is not null && !plain ? "[red]no sign-in[/]"
                        : a.Findings > 0 && !plain ? $"[yellow]{a.Findings}[/]"
                        : $"{a.Findings}",
                    Right: true
                ),
            ]
        );
        foreach (var kind in survey.Kinds.Where(k => k.Kind is not MoveKind.Mail))
            writer.Say(
                $"{Words.Number(kind.Items)} {(kind.Kind is MoveKind.Contacts ? "contacts" : "events")} in {Words.Number(kind.Containers)} "
                    + $"{(kind.Kind is MoveKind.Contacts ? "address books" : "calendars")}, {Words.Size(kind.Octets)}; to carry "
                    + $"{Words.Number(kind.CarryItems)}."
            );
        var failing = survey.Closed > 0 ? $", [red]the sign-in fails for {survey.Closed}[/]" : "";
        writer.Say(
            $"{survey.Surveyed} of {survey.People} looked at{failing}: {Words.Number(survey.Messages)} messages, "
                + $"{Words.Size(survey.Octets)}; to carry {Words.Number(survey.CarryMessages)}"
                + $", {Words.Size(survey.CarryOctets)}."
        );
    }

    /// <summary>Looks at everybody of a batch, without changing anything, and waits for it.</summary>
    public static async Task<List<MoveView>> LookAsync(string batch, CaravanClient client, CancellationToken cancel)
    {
        await client.PostAsync<MoveActionResult>($"{Path(batch)}/actions", new MoveActionRequest(MoveAction.Survey, null), cancel);
        return await MoveCommands.AwaitAsync(batch, null, client, cancel, forWindows: false);
    }

    public static async Task<int> FindingsAsync(
        string batch,
        string? who,
        string? code,
        bool rows,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        if (rows || who is not null)
        {
            var query = new[]
            {
                "limit=1000",
                code is null ? null : $"code={Uri.EscapeDataString(code)}",
                who is null ? null : $"move={Uri.EscapeDataString(who)}",
            }.OfType<string>();
            var found = await client.GetAllAsync<FindingRow>($"{Path(batch)}/findings/rows?{string.Join('&', query)}", cancel);
            writer.Rows(
                found,
                "Nothing was found.",
                [
                    new("Weight", "weight", r => Coloured(r.Weight, writer)),
                    new("Finding", "code", r => r.Code),
                    new("Name", "name", r => Words.Safe(r.Name)),
                    new("Account", "account", r => Words.Safe(r.Account)),
                    new("What", "what", r => Words.Safe(r.What)),
                    new("Decided", "decision", r => Words.Safe(r.Decision ?? "")),
                    new("Remedy", "remedy", r => Words.Safe(r.Remedy ?? "")),
                ]
            );
            return found.Exists(r => r is { Weight: FindingWeight.Blocks, Decision: null }) ? ExitCode.NeedsYou : ExitCode.Well;
        }
        var groups = (await client.GetAsync<List<FindingGroup>>($"{Path(batch)}/findings", cancel))
            .Where(g => code is null || g.Code == code)
            .ToList();
        writer.Rows(
            groups,
            "Nothing was found. Was the batch surveyed?",
            [
                new("Weight", "weight", g => Coloured(g.Weight, writer)),
                new("Finding", "code", g => g.Code),
                new("What it is", "title", g => Words.Safe(g.Title)),
                new("People", "people", g => $"{g.People}", Right: true),
                new("Open", "open", g => $"{g.Open}", Right: true),
                new("If nothing is decided", "otherwise", g => Words.Safe(g.Otherwise)),
                new("Ways out", "ways", g => Words.Safe(string.Join(", ", g.Ways.Select(w => w.Way)))),
            ]
        );
        if (groups.Count > 0)
            writer.Say($"Who and why: caravan findings {Words.Safe(batch)} --rows. Decide: caravan choose {Words.Safe(batch)} CODE WAY");
        return groups.Exists(g => g is { Weight: FindingWeight.Blocks, Open: > 0 }) ? ExitCode.NeedsYou : ExitCode.Well;
    }

    private static string Coloured(FindingWeight weight, Writer writer) =>
        writer.Form is not OutputForm.Table
            ? Words.Word(weight)
            : weight switch
            {
                FindingWeight.Blocks => "[red]! blocks[/]",
                FindingWeight.Loses => "[yellow]− loses[/]",
                FindingWeight.Changes => "[blue]~ changes[/]",
                FindingWeight.Note => "[grey]· note[/]",
            };

    private static async Task<int> ChooseAsync(
        string batch,
        DecisionRequest request,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var result = await client.PostAsync<DecisionResult>($"{Path(batch)}/decisions", request, cancel);
        if (writer.Form is OutputForm.Json)
            writer.Json(result);
        writer.Say(
            request.Way is null
                ? $"Taken back for {result.People}."
                : $"Chosen for {result.People}: {Words.Safe(request.Code)} {Words.Safe(request.Way)}"
                    + $"{(request.Value is null ? "" : $" '{Words.Safe(request.Value)}'")}."
        );
        return ExitCode.Well;
    }

    private static async Task<int> TidyingAsync(string batch, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var savings = await client.GetAsync<List<SavingView>>($"{Path(batch)}/tidying", cancel);
        var plain = writer.Form is OutputForm.Csv;
        writer.Rows(
            savings,
            "Nothing to leave out. Was the batch surveyed?",
            [
                new("What", "code", s => s.Code),
                new("Way", "way", s => Words.Safe($"{s.Way}{(s.Value is null ? "" : $" --value {s.Value}")}")),
                new("Meaning", "text", s => Words.Safe(s.Text)),
                new("People", "people", s => $"{s.People}", Right: true),
                new("Messages", "messages", s => plain ? $"{s.Messages}" : Words.Number(s.Messages), Right: true),
                new("Size", "octets", s => plain ? $"{s.Octets}" : Words.Size(s.Octets), Right: true),
                new(
                    "Time",
                    "longest_seconds",
                    s => plain ? s.LongestSaved.ToString("0", CultureInfo.InvariantCulture) : Span(s.ShortestSaved, s.LongestSaved),
                    Right: true
                ),
            ]
        );
        if (savings.Count > 0)
            writer.Say($"Nothing is deleted on the old side. Leave out with: caravan choose {Words.Safe(batch)} WHAT WAY");
        return ExitCode.Well;
    }

    public static async Task<int> FoldersAsync(
        string batch,
        string? who,
        string? rulesFile,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var path = $"{Path(batch)}/folders?{(who is null ? "limit=1000" : $"move={Uri.EscapeDataString(who)}")}";
        if (rulesFile is not null && !File.Exists(rulesFile))
            throw new CommandException(
                ExitCode.WrongUsage,
                $"There is no file {rulesFile}.\nGive one that holds a YAML list of folder rules."
            );
        var rules = rulesFile is null ? null : new FolderRulesRequest(await File.ReadAllTextAsync(rulesFile, cancel));
        var (preview, people) = await CaravanClient.ReadAllAsync(
            path,
            p => rules is null ? client.GetAsync<FolderPreview>(p, cancel) : client.PostAsync<FolderPreview>(p, rules, cancel),
            p => p.People
        );
        if (who is not null)
        {
            writer.Rows(
                preview.Landings,
                "No folder.",
                [
                    new("From", "from", l => Words.Safe(l.From)),
                    new("Messages", "messages", l => $"{l.Messages}", Right: true),
                    new("To", "to", l => l.To is null ? "[grey]stays behind[/]" : Words.Safe(l.To)),
                    new("Carried", "carry_messages", l => $"{l.CarryMessages}", Right: true),
                    new("By", "rule", l => Words.Safe(l.Rule)),
                    new("Note", "note", l => Words.Safe(l.Note ?? "")),
                ],
                preview
            );
        }
        else
        {
            writer.Rows(
                people,
                "Nobody was looked at yet.",
                [
                    new("Name", "name", p => Words.Safe(p.Name)),
                    new("Account", "account", p => Words.Safe(p.Account)),
                    new("Folders", "folders", p => $"{p.Folders}", Right: true),
                    new("Land", "landing", p => $"{p.Landing}", Right: true),
                    new("Left out", "left_behind", p => $"{p.LeftBehind}", Right: true),
                    new("Renamed", "changed", p => $"{p.Changed}", Right: true),
                    new("Merged", "merged", p => $"{p.Merged}", Right: true),
                ],
                preview with
                {
                    People = new Page<PersonPreview>(people, null, people.Count),
                }
            );
        }
        writer.Say($"{Words.Safe(preview.Summary)}.{(rulesFile is null ? "" : " Nothing was changed.")}");
        return ExitCode.Well;
    }

    private static string Span(double shortest, double longest) =>
        Words.Duration(shortest) == Words.Duration(longest)
            ? Words.Duration(longest)
            : $"{Words.Duration(shortest)} to {Words.Duration(longest)}";

    private static string Day(DateTimeOffset? at) => at?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) ?? "";
}
