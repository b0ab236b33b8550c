using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using EasyCaravan.Cli;
using EasyCaravan.Cli.Commands;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>
/// The weeks in which a batch lives beside normal work: starts, pauses, forecasts, priorities, drains, and what people mend.
/// </summary>
public sealed class WeeksTests : IAsyncLifetime
{
    private const int People = 6;

    /// <summary>A Monday at noon in Dublin, where it is the same as UTC.</summary>
    private readonly TestClock _clock = new(new DateTimeOffset(2027, 2, 1, 12, 0, 0, TimeSpan.Zero));
    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners());

    private string Plan(string timetable = "", string limits = "{connections: 20}", string batch = "") =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
                limits: {{limits}}
            routes:
              crossing: {from: lanternpost, to: northquay}
            batches:
              crew:
                route: crossing
                roster: crew.csv
            {{(batch.Length > 0 ? $"    {batch}" : "")}}
            {{(timetable.Length > 0 ? $"    timetable: {{zone: Europe/Dublin, {timetable}}}" : "")}}
            """;

    private static string Roster(string secretOfP0 = "s") =>
        "name,from_account,to_account,from_secret,to_secret\n"
        + string.Concat(Enumerable.Range(0, People).Select(i => $"P{i},{Account(i)},{Account(i)},{(i == 0 ? secretOfP0 : "s")},s\n"));

    private static string Account(int i) => $"p{i}@saltmarsh.example";

    public ValueTask InitializeAsync()
    {
        for (var i = 0; i < People; i++)
        {
            var inbox = _from.AddAccount(Account(i), "s").Find("INBOX")!;
            for (var m = 0; m < 5; m++)
                inbox.Add(Message(m), [], DateTimeOffset.UnixEpoch);
            _to.AddAccount(Account(i), "s");
        }
        return ValueTask.CompletedTask;
    }

    public async ValueTask DisposeAsync()
    {
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    private static byte[] Message(int i) =>
        System.Text.Encoding.ASCII.GetBytes(
            $"Message-ID: <{i}@saltmarsh.example>\r\nDate: Sat, 1 Jun 2019 00:00:00 +0000\r\nFrom: desk@saltmarsh.example\r\n"
                + $"Subject: Tide {i}\r\n\r\n{new string('t', 400)}\r\n"
        );

    private static Task<bool> InStepAsync(TestService service) => AllAsync(service, m => m.Stage is MoveStage.InStep);

    private static async Task<bool> AllAsync(TestService service, Predicate<MoveView> what) =>
        (await service.MovesAsync("crew")).TrueForAll(what);

    [Fact]
    public async Task A_batch_starts_by_itself_at_its_time_once_and_also_when_the_service_was_down_then()
    {
        var folder = Directory.CreateTempSubdirectory("caravan-start").FullName;
        var late = _clock.GetUtcNow().AddHours(3);
        await using (var service = await TestService.StartAsync(folder, o => o with { Time = _clock }))
        {
            await service.ApplyAsync(Plan("start: 2027-02-01T15:00"), ("crew.csv", Roster()));
            var started = await service.RunAsync("start", "crew", "--move", "P1");
            Assert.Equal(0, started.Code);
            var moves = await service.MovesAsync("crew");
            Assert.Equal((late, "waits for the start of its batch"), (moves[1].Until!.Value, moves[1].ConditionText));
            Assert.All(moves.Where(m => m.Account != Account(1)), m => Assert.Equal(MoveStage.Listed, m.Stage));
        }
        _clock.Advance(TimeSpan.FromHours(5));
        await using (var service = await TestService.StartAsync(folder, o => o with { Time = _clock }))
        {
            await _clock.PassUntilAsync(() => InStepAsync(service));
            var journal = await service.GetAsync<Page<JournalEntry>>("journal?search=as+the+timetable+says");
            Assert.Equal(People - 1, journal.Items.Count);
            // A person who is added later is started by a person.
            await service.ApplyAsync(
                Plan("start: 2027-02-01T15:00"),
                ("crew.csv", Roster() + "P9,p9@saltmarsh.example,p9@saltmarsh.example,s,s\n")
            );
            _clock.Advance(TimeSpan.FromMinutes(1));
            Assert.Equal(MoveStage.Listed, (await service.MovesAsync("crew"))[^1].Stage);
            var past = await service.ApplyAsync(Plan("start: 2027-02-01T16:00"), ("crew.csv", Roster()));
            Assert.Contains("batch crew: its start lies in the past", past.Out, StringComparison.Ordinal);
        }
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task A_pause_stops_what_runs_and_says_why_and_a_changed_timetable_is_told_before_and_holds_at_once()
    {
        await using var service = await _clock.StartServiceAsync(o => o with { MovesAtOnce = 1 });
        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.FromMilliseconds(60) };
        await service.ApplyAsync(Plan("catch-up-every: 6h"), ("crew.csv", Roster()));
        await service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).Exists(m => m.Condition is MoveCondition.Running));

        var paused = Plan("catch-up-every: 6h, pauses: [{from: 2027-02-01, to: 2027-02-03, why: stocktaking}]");
        await File.WriteAllTextAsync(Path.Combine(service.Folder, "plan", "plan.yaml"), paused);
        var dry = await service.RunAsync("plan", "apply", Path.Combine(service.Folder, "plan", "plan.yaml"), "--dry-run");
        Assert.Contains(
            "crew: 1 running move stops after the item in hand, because no window is open now",
            dry.Out,
            StringComparison.Ordinal
        );
        Assert.Contains("later", dry.Out, StringComparison.Ordinal);
        Assert.Contains("nothing was changed", dry.Out, StringComparison.Ordinal);

        await service.RunAsync("plan", "apply", Path.Combine(service.Folder, "plan", "plan.yaml"));
        await _clock.PassUntilAsync(() => AllAsync(service, m => m.Condition is MoveCondition.Waiting or MoveCondition.Idle));
        var waiting = (await service.MovesAsync("crew")).FindAll(m => m.Condition is MoveCondition.Waiting);
        Assert.NotEmpty(waiting);
        Assert.All(waiting, m => Assert.Equal("waits until the pause ends: stocktaking", m.ConditionText));
        Assert.All(waiting, m => Assert.Equal(new DateTimeOffset(2027, 2, 4, 0, 0, 0, TimeSpan.Zero), m.Until));
        var strip = await service.RunAsync("timetable", "crew", "--past", "0", "--ahead", "5");
        Assert.Contains("Shut now (it is paused: stocktaking); opens", strip.Out, StringComparison.Ordinal);
        Assert.Contains("xxxx", strip.Out, StringComparison.Ordinal);

        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.Zero };
        await service.ApplyAsync(Plan("catch-up-every: 6h"), ("crew.csv", Roster()));
        await _clock.PassUntilAsync(() => InStepAsync(service));
    }

    [Fact]
    public async Task A_new_password_is_sealed_lets_the_move_go_on_and_is_not_undone_by_the_roster_that_still_has_the_old_one()
    {
        await using var service = await _clock.StartServiceAsync();
        await service.ApplyAsync(Plan(), ("crew.csv", Roster(secretOfP0: "old-and-wrong")));
        Assert.Equal(ExitCode.NeedsYou, (await service.RunAsync("start", "crew", "--wait")).Code);
        var needs = Assert.Single((await service.GetAsync<Today>("today")).NeedsYou);
        Assert.Equal((MendWord.Secret, "lanternpost", 1), (needs.Mend, needs.Service, needs.Count));

        // Typed or from a list: the command never holds it, and nothing shows it again.
        var set = await RunWithAsync(service, "s\n", "secret", "set", "crew", "P0");
        Assert.Contains($"Goes on now: {Account(0)}", set.Out, StringComparison.Ordinal);
        await _clock.PassUntilAsync(() => InStepAsync(service));
        var journal = await service.RunAsync("journal", "crew");
        Assert.Contains($"set a new secret for the from account {Account(0)}", journal.Out, StringComparison.Ordinal);

        await service.ApplyAsync(Plan() + "\n", ("crew.csv", Roster(secretOfP0: "old-and-wrong") + "\n"));
        Assert.Equal(0, (await service.RunAsync("catch-up", "crew", "--wait")).Code);
        // Another one in the roster is in force again.
        await service.ApplyAsync(Plan(), ("crew.csv", Roster(secretOfP0: "newer-and-wrong")));
        Assert.Equal(ExitCode.NeedsYou, (await service.RunAsync("catch-up", "crew", "--wait")).Code);

        var list = await RunWithAsync(service, "who,secret\nP0,s\nP1,s\n", "secret", "set", "crew", "--list", "-");
        Assert.Contains("Set: 2.", list.Out, StringComparison.Ordinal);
        await TestService.UntilAsync(() => AllAsync(service, m => m.Condition is MoveCondition.Idle));
    }

    [Fact]
    public async Task Secrets_are_set_all_or_none_and_no_answer_repeats_one()
    {
        await using var service = await _clock.StartServiceAsync();
        await service.ApplyAsync(Plan(), ("crew.csv", Roster(secretOfP0: "wrong")));
        foreach (
            var (request, cause) in new[]
            {
                (new SecretsRequest(SideWord.From, [new("P0", "hush-hush"), new("Nobody", "hush-hush")]), HttpStatusCode.NotFound),
                (new SecretsRequest(SideWord.From, [new("P0", "hush-hush"), new(Account(0), "hush-hush")]), HttpStatusCode.BadRequest),
                (new SecretsRequest(SideWord.From, [new("P0", "hush-hush\r\nA1 LOGOUT")]), HttpStatusCode.BadRequest),
                (new SecretsRequest(SideWord.From, [new("P0", null)]), HttpStatusCode.BadRequest),
                (new SecretsRequest(SideWord.From, []), HttpStatusCode.BadRequest),
            }
        )
        {
            var answer = await service.Api.PostAsJsonAsync("/api/v1/batches/crew/secrets", request, ContractJson.Options);
            Assert.Equal(cause, answer.StatusCode);
            Assert.DoesNotContain("hush", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }
        Assert.DoesNotContain("secret", (await service.RunAsync("journal", "crew")).Out, StringComparison.Ordinal);
        var broken = await RunWithAsync(service, "who,secret\nP0,\"hush-hush\nP1,x\n", "secret", "set", "crew", "--list", "-");
        Assert.DoesNotContain("hush", broken.Out + broken.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_more_urgent_goes_first_and_others_wait_their_turn()
    {
        await using var service = await _clock.StartServiceAsync(o => o with { MovesAtOnce = 1 });
        await service.ApplyAsync(Plan(), ("crew.csv", Roster()));
        await service.RunAsync("drain");
        await service.RunAsync("start", "crew");
        Assert.Contains("Changed: 1", (await service.RunAsync("priority", "crew", "1", "--move", "P4")).Out, StringComparison.Ordinal);
        Assert.Equal(ExitCode.WrongUsage, (await service.RunAsync("priority", "crew", "0")).Code);
        await service.RunAsync("drain", "--end");
        await _clock.PassUntilAsync(() => InStepAsync(service));
        var began = new List<(string, DateTimeOffset, long)>();
        foreach (var move in await service.MovesAsync("crew"))
        {
            var pass = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{move.Account}")).Passes.Single();
            began.Add((move.Name, pass.Started, pass.Id));
        }
        Assert.Equal(["P4", "P0", "P1", "P2", "P3", "P5"], began.OrderBy(b => b.Item3).Select(b => b.Item1));
    }

    [Fact]
    public async Task Drained_nothing_begins_what_runs_is_shown_and_either_ends_by_itself_or_stops()
    {
        await using var service = await _clock.StartServiceAsync(o => o with { MovesAtOnce = 1 });
        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.FromMilliseconds(100) };
        await service.ApplyAsync(Plan(), ("crew.csv", Roster()));
        await service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).Exists(m => m.Condition is MoveCondition.Running));
        var drained = await service.RunAsync("drain", "--on", "northquay");
        Assert.Contains("Drained: northquay", drained.Out, StringComparison.Ordinal);
        Assert.Contains("P0", drained.Out, StringComparison.Ordinal);
        await TestService.UntilAsync(async () => (await service.GetAsync<DrainView>("drain")).Running.Count == 0);
        Assert.Equal(MoveStage.InStep, (await service.MovesAsync("crew"))[0].Stage);
        Assert.All((await service.MovesAsync("crew")).Skip(1), m =>
            Assert.Equal("waits until northquay is no longer drained", m.ConditionText)
        );
        Assert.Equal(ExitCode.Failed, (await service.RunAsync("drain", "--on", "nowhere")).Code);

        await service.RunAsync("drain", "--end", "--on", "northquay");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).Exists(m => m.Condition is MoveCondition.Running));
        await service.RunAsync("drain", "--stop");
        await _clock.PassUntilAsync(async () => (await service.GetAsync<DrainView>("drain")).Running.Count == 0);
        Assert.Contains(await service.MovesAsync("crew"), m => m.Stage is MoveStage.Copying);
        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.Zero };
        await service.RunAsync("drain", "--end");
        await _clock.PassUntilAsync(() => InStepAsync(service));
    }

    [Fact]
    public async Task Everything_over_a_service_is_held_and_resumed_at_once()
    {
        await using var service = await _clock.StartServiceAsync();
        await service.ApplyAsync(Plan(), ("crew.csv", Roster()));
        Assert.Contains($"crew: {People}", (await service.RunAsync("hold", "--on", "lanternpost")).Out, StringComparison.Ordinal);
        Assert.True(await AllAsync(service, m => m.Condition is MoveCondition.Held));
        Assert.Contains("nobody", (await service.RunAsync("hold", "--everything")).Out, StringComparison.Ordinal);
        Assert.Contains($"crew: {People}", (await service.RunAsync("resume", "--everything")).Out, StringComparison.Ordinal);
        Assert.Equal(ExitCode.WrongUsage, (await service.RunAsync("hold")).Code);
        Assert.Equal(ExitCode.WrongUsage, (await service.RunAsync("hold", "crew", "--everything")).Code);
        var refused = await service.Api.PostAsJsonAsync(
            "/api/v1/actions",
            new WideActionRequest(MoveAction.Withdraw, null),
            ContractJson.Options
        );
        Assert.Equal(HttpStatusCode.BadRequest, refused.StatusCode);
    }

    [Fact]
    public async Task A_forecast_is_made_before_kept_by_the_hour_and_what_came_true_stands_beside_it()
    {
        await using var service = await _clock.StartServiceAsync();
        await service.ApplyAsync(
            Plan("windows: [{days: mon-sun, from: \"20:00\", to: \"06:00\"}], cutover: 2027-02-20T18:00"),
            ("crew.csv", Roster())
        );
        var forecast = await service.GetAsync<ForecastView>("batches/crew/forecast?whatIf=windows%3Dall");
        Assert.Equal((People, 0, People), (forecast.People, forecast.InStep, forecast.NotStarted));
        Assert.Equal(new DateTimeOffset(2027, 2, 1, 20, 0, 0, TimeSpan.Zero), forecast.Begins);
        Assert.True(forecast.InStepEarliest > forecast.Begins && forecast.InStepEarliest <= forecast.InStepLatest);
        Assert.True(forecast.Spare > 0);
        Assert.Equal(People, forecast.Days[^1].Fewest);
        Assert.True(forecast.WhatIf.Single(w => w.Change == "windows=all").Earlier > 0);
        var said = await service.RunAsync("forecast", "crew", "--what-if", "people=2");
        Assert.Contains("before the cutover; held back most by", said.Out, StringComparison.Ordinal);
        Assert.Equal(ExitCode.Failed, (await service.RunAsync("forecast", "crew", "--what-if", "moon=full")).Code);

        await _clock.PassUntilAsync(async () => (await service.GetAsync<List<HistoryPoint>>("batches/crew/history")).Count > 0);
        await service.RunAsync("start", "crew");
        _clock.Advance(TimeSpan.FromHours(8));
        await _clock.PassUntilAsync(() => InStepAsync(service));
        await _clock.PassUntilAsync(async () =>
            (await service.GetAsync<List<HistoryPoint>>("batches/crew/history"))[^1].Stages.GetValueOrDefault("in-step") == People
        );
        var after = await service.GetAsync<ForecastView>("batches/crew/forecast");
        Assert.Equal("Everybody is in step.", after.Sentence);
        Assert.NotEmpty(after.Earlier);
        var ran = (await service.GetAsync<TimetableView>("batches/crew/timetable?past=1&ahead=3")).Ran;
        Assert.NotEmpty(ran);
        Assert.All(ran, r => Assert.True(r.From >= new DateTimeOffset(2027, 2, 1, 20, 0, 0, TimeSpan.Zero)));
    }

    [Fact]
    public async Task Today_tells_what_happened_since_somebody_looked()
    {
        await using var service = await _clock.StartServiceAsync();
        await service.ApplyAsync(Plan("catch-up-every: 6h"), ("crew.csv", Roster()));
        await service.RunAsync("start", "crew", "--wait");
        var first = await service.RunAsync("today", "--looked");
        Assert.Contains($"{People} came in step", first.Out, StringComparison.Ordinal);
        Assert.Contains("Nothing needs you.", first.Out, StringComparison.Ordinal);
        _clock.Advance(TimeSpan.FromMinutes(1));
        var since = (await service.GetAsync<Today>("today")).Since;
        Assert.Equal((0, 0), (since.Passes, since.CameInStep));
        _from.Find(Account(0))!.Find("INBOX")!.Add(Message(77), [], DateTimeOffset.UnixEpoch);
        _clock.Advance(TimeSpan.FromHours(6));
        await _clock.PassUntilAsync(async () => (await service.GetAsync<Today>("today")).Since is { Passes: People, Carried: 1 });
    }

    [Fact]
    public async Task The_journal_is_searched_by_person_time_and_who_asked_and_comes_out_whole_line_by_line()
    {
        await using var service = await _clock.StartServiceAsync();
        await service.ApplyAsync(Plan(), ("crew.csv", Roster()));
        await service.RunAsync("start", "crew", "--wait");
        var between = _clock.GetUtcNow().AddSeconds(30);
        _clock.Advance(TimeSpan.FromMinutes(1));
        await service.RunAsync("hold", "crew", "--move", "P2");
        async Task<List<JournalEntry>> FindAsync(params string[] args) =>
            [
                .. (await service.RunAsync(["journal", "crew", "--json-lines", .. args]))
                    .Out.Split('\n', StringSplitOptions.RemoveEmptyEntries)
                    .Select(line => JsonSerializer.Deserialize<JournalEntry>(line, ContractJson.Options)!),
            ];
        var all = await FindAsync();
        Assert.Equal(all.Select(e => e.Id).OrderDescending(), all.Select(e => e.Id));
        Assert.Contains(all, e => e.Who == "service");
        Assert.All(await FindAsync("--by", "people"), e => Assert.Equal("admin", e.Who));
        Assert.Equal("held", Assert.Single(await FindAsync("--since", between.ToString("O"))).Text);
        Assert.DoesNotContain(await FindAsync("--until", between.ToString("O")), e => e.Text == "held");
        var own = await FindAsync("--move", Account(2), "--by", "people");
        Assert.Equal(["held", "started"], own.Select(e => e.Text));
        Assert.Equal(ExitCode.WrongUsage, (await service.RunAsync("journal", "--since", "yesterday")).Code);
        Assert.Equal(HttpStatusCode.BadRequest, (await service.Api.GetAsync("/api/v1/journal?by=nobody")).StatusCode);
    }

    [Fact]
    public async Task Whoever_accepts_that_an_item_stays_may_say_why()
    {
        await using var service = await _clock.StartServiceAsync();
        _to.Manners = _to.Manners with { LargestMessage = 300 };
        await service.ApplyAsync(Plan(), ("crew.csv", Roster()));
        Assert.Equal(ExitCode.NeedsYou, (await service.RunAsync("start", "crew", "--wait")).Code);
        Assert.Equal(ExitCode.WrongUsage, (await service.RunAsync("left-behind", "crew", "--because", "old tides")).Code);
        await service.RunAsync("left-behind", "crew", "--accept", "--because", "old tides");
        var left = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{Account(0)}")).LeftBehind;
        Assert.All(left, i => Assert.Equal(("admin", "old tides"), (i.AcceptedBy, i.AcceptedBecause)));
        Assert.Contains("stay behind: old tides", (await service.RunAsync("journal", "crew")).Out, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_the_route_tolerates_to_stay_behind_needs_nobody_and_stays_listed()
    {
        await using var service = await _clock.StartServiceAsync();
        _from
            .Find(Account(0))!
            .Find("INBOX")!
            .Add([.. Message(50), .. new byte[2000].Select(_ => (byte)'x')], [], DateTimeOffset.UnixEpoch);
        _to.Manners = _to.Manners with { LargestMessage = 1500 };
        string With(string tolerance) => Plan().Replace("to: northquay}", $"to: northquay{tolerance}}}", StringComparison.Ordinal);
        await service.ApplyAsync(With(", left-behind-tolerance: {items: 1, share: 20%}"), ("crew.csv", Roster()));
        Assert.Equal(ExitCode.Well, (await service.RunAsync("start", "crew", "--wait")).Code);
        var move = (await service.MovesAsync("crew"))[0];
        Assert.Equal((1, true, _clock.GetUtcNow()), (move.OpenLeftBehind, move.LeftBehindTolerated, move.AsOf!.Value));
        Assert.Empty((await service.GetAsync<Today>("today")).NeedsYou);
        Assert.DoesNotContain(Account(0), (await service.RunAsync("moves", "crew", "--needs-you")).Out, StringComparison.Ordinal);
        Assert.Contains("Tide 50", (await service.RunAsync("left-behind", "crew")).Out, StringComparison.Ordinal);

        // One of six is more than a tenth.
        await service.ApplyAsync(With(", left-behind-tolerance: {items: 1, share: 10%}"), ("crew.csv", Roster()));
        Assert.Single((await service.GetAsync<Today>("today")).NeedsYou);
        Assert.Contains(Account(0), (await service.RunAsync("moves", "crew", "--needs-you")).Out, StringComparison.Ordinal);
        Assert.Equal(ExitCode.NeedsYou, (await service.RunAsync("catch-up", "crew", "--wait")).Code);
    }

    private static async Task<Ran> RunWithAsync(TestService service, string input, params string[] args)
    {
        var (output, error) = (new StringWriter(), new StringWriter());
        var code = await CaravanCommand.RunAsync(
            [.. args, "--service", service.Address.ToString(), "--token", service.Token],
            new CommandHost
            {
                Out = output,
                Error = error,
                In = new StringReader(input),
            }
        );
        return new Ran(code, output.ToString(), error.ToString());
    }
}
