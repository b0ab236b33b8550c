using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan notices</c></summary>
internal static class NoticesCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = new Option<string?>("--batch") { Description = "Only of this batch" };
        var state = new Option<string?>("--state") { Description = "Only in this state" };
        state.AcceptOnlyFromAmong([.. Enum.GetValues<NoticeStateWord>().Select(Words.Word)]);
        var search = new Option<string?>("--search") { Description = "Only recipients, accounts and subjects that hold this text" };
        var command = host.Make(
            "notices",
            "Lists whom the service told of what, and shows how notices stand",
            "caravan notices --state bounced",
            [batch, state, search],
            (p, c, w, cancel) => ListAsync(p.GetValue(batch), p.GetValue(state), p.GetValue(search), c, w, cancel)
        );
        command.Add(Preview(host));
        command.Add(Test(host));
        command.Add(Again(host));
        command.Add(Switch(host, on: false));
        command.Add(Switch(host, on: true));
        return command;
    }

    private static Argument<string> AboutArgument()
    {
        var about = new Argument<string>("ABOUT") { Description = "What is told, such as crossed or digest" };
        about.AcceptOnlyFromAmong([.. Enum.GetValues<NoticeAbout>().Select(Words.Word)]);
        return about;
    }

    private static Option<string?> LanguageOption()
    {
        var language = new Option<string?>("--language") { Description = "en, de or fr; left out: the person's own, or as the plan says" };
        language.AcceptOnlyFromAmong("en", "de", "fr");
        return language;
    }

    private static Option<string?> BatchOption() => new("--batch") { Description = "Whose facts are in it; left out: the first batch's" };

    private static Command Preview(CommandHost host)
    {
        var (about, batch, language) = (AboutArgument(), BatchOption(), LanguageOption());
        var move = new Option<string?>("--move") { Description = "Whose: account or name; left out: the batch's first" };
        return host.Make(
            "preview",
            "Shows a letter as it would be sent now",
            "caravan notices preview crossed --batch deckhands --language de",
            [about, batch, move, language],
            async (p, c, w, cancel) =>
            {
                var letter = await c.GetAsync<NoticePreview>(
                    "notices/preview?"
                        + string.Join(
                            '&',
                            new (string Key, string? Value)[]
                            {
                                ("about", p.GetValue(about)),
                                ("batch", p.GetValue(batch)),
                                ("move", p.GetValue(move)),
                                ("language", p.GetValue(language)),
                            }
                                .Where(q => q.Value is not null)
                                .Select(q => $"{q.Key}={Uri.EscapeDataString(q.Value!)}")
                        ),
                    cancel
                );
                if (w.Form is OutputForm.Json)
                    w.Json(letter);
                else
                    w.Say($"To: {Words.Safe(letter.To)}\nSubject: {Words.Safe(letter.Subject)}\n\n{Words.Safe(letter.Text)}");
                return ExitCode.Well;
            }
        );
    }

    private static Command Test(CommandHost host)
    {
        var to = new Argument<string>("ADDRESS") { Description = "A mail address" };
        var about = new Option<string?>("--about") { Description = "Which letter; left out: the digest" };
        about.AcceptOnlyFromAmong([.. Enum.GetValues<NoticeAbout>().Select(Words.Word)]);
        var (batch, language) = (BatchOption(), LanguageOption());
        return host.Make(
            "test",
            "Sends one letter at once, to see whether it arrives",
            "caravan notices test desk@saltmarsh.example",
            [to, about, batch, language],
            async (p, c, w, cancel) =>
            {
                var word = p.GetValue(about);
                var chosen = word is null
                    ? default(NoticeAbout?)
                    : Enum.Parse<NoticeAbout>(word.Replace("-", "", StringComparison.Ordinal), ignoreCase: true);
                var tested = await c.PostAsync<NoticeTested>(
                    "notices/test",
                    new NoticeTest(p.GetValue(to)!, chosen, p.GetValue(batch), p.GetValue(language)),
                    cancel
                );
                if (w.Form is OutputForm.Json)
                    w.Json(tested);
                else
                    w.Say($"Sent. The server answered: {Words.Safe(tested.Answer)}");
                return ExitCode.Well;
            }
        );
    }

    private static Command Again(CommandHost host)
    {
        var ids = new Argument<long[]>("NUMBER") { Description = "Notices by their numbers", Arity = ArgumentArity.OneOrMore };
        return host.Make(
            "again",
            "Sends notices again that were refused, came back, are unclear, or were sent",
            "caravan notices again 17 18",
            [ids],
            async (p, c, w, cancel) =>
            {
                var due = await c.PostAsync<NoticesDue>("notices/again", new NoticesAgain(p.GetValue(ids)!), cancel);
                if (w.Form is OutputForm.Json)
                    w.Json(due);
                else
                    w.Say($"Sent again: {due.Due}");
                return ExitCode.Well;
            }
        );
    }

    private static Command Switch(CommandHost host, bool on)
    {
        var batch = new Option<string?>("--batch") { Description = "Only of this batch; left out: all" };
        return host.Make(
            on ? "on" : "off",
            on ? "Switches notices on again" : "Switches notices off; what falls due meanwhile is dropped",
            $"caravan notices {(on ? "on" : "off")} --batch deckhands",
            [batch],
            async (p, c, w, cancel) =>
            {
                var now = await c.PostAsync<NoticeSwitch>("notices/switch", new NoticeSwitch(on, p.GetValue(batch)), cancel);
                if (w.Form is OutputForm.Json)
                    w.Json(now);
                else
                    w.Say($"Notices{(now.Batch is { } b ? $" of {Words.Safe(b)}" : "")} are {(now.On ? "on" : "off")}.");
                return ExitCode.Well;
            }
        );
    }

    private static async Task<int> ListAsync(
        string? batch,
        string? state,
        string? search,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var query = new List<string> { "limit=1000" };
        if (batch is not null)
            query.Add($"batch={Uri.EscapeDataString(batch)}");
        if (state is not null)
            query.Add($"state={state}");
        if (search is not null)
            query.Add($"search={Uri.EscapeDataString(search)}");
        var settings = await client.GetAsync<NoticesView>("notices/settings", cancel);
        var notices = await client.GetAllAsync<NoticeView>($"notices?{string.Join('&', query)}", cancel);
        writer.Rows(
            notices,
            "Nobody was told of anything yet.",
            [
                new("Number", "number", n => $"{n.Id}", Right: true),
                new("When", "ended_at", n =>
                    writer.Form is OutputForm.Csv ? $"{n.EndedAt ?? n.DueAt:O}" : Words.Time(n.EndedAt ?? n.DueAt)
                ),
                new("About", "about", n => Words.Word(n.About)),
                new("Batch", "batch", n => Words.Safe(n.Batch)),
                new("To", "to", n => Words.Safe(n.Way is NoticeWayWord.Webhook ? $"webhook {n.To}" : n.To)),
                new("State", "state", n => StateOf(n, writer)),
                new("Answer", "answer", n => Words.Safe(n.Answer)),
            ]
        );
        if (writer.Form is OutputForm.Table)
        {
            if (settings.OffSince is { } off)
                writer.Say($"[red]All notices are off[/] since {Words.Time(off)}. Switch them on with 'caravan notices on'.");
            if (settings.OffBatches.Count > 0)
                writer.Say($"Off for: {Words.Safe(string.Join(", ", settings.OffBatches))}");
            if (settings.From is null && settings.Webhooks.Count == 0)
                writer.Say("The plan in force tells nobody of anything: docs/notices.md shows how to begin.");
        }
        return notices.Exists(n => n.State is NoticeStateWord.Refused or NoticeStateWord.Unclear or NoticeStateWord.Bounced)
            ? ExitCode.NeedsYou
            : ExitCode.Well;
    }

    private static string StateOf(NoticeView notice, Writer writer)
    {
        var word = Words.Word(notice.State);
        if (writer.Form is not OutputForm.Table)
            return word;
        if (notice.State is NoticeStateWord.Due && notice.Attempts > 0)
            return $"[yellow]due, tried {notice.Attempts} time(s)[/]";
        return notice.State is NoticeStateWord.Refused or NoticeStateWord.Unclear or NoticeStateWord.Bounced ? $"[red]{word}[/]" : word;
    }
}
