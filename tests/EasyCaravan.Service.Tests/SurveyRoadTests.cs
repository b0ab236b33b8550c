using System.Net;
using System.Net.Http.Json;
using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Survey, decide, preview, and a first pass without surprise, as scripts walk it.</summary>
public sealed class SurveyRoadTests : IAsyncLifetime
{
    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(
        new StandInManners(null, LargestMessage: 2_000_000)
        {
            Reserved = new HashSet<string> { "Outbox" },
            DropsKeywords = true,
        }
    );
    private TestService _service = null!;

    private string Plan =>
        $$"""
            # the crew goes first
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
                folder-names: {reserved: [Outbox]}
            routes:
              crossing:
                from: lanternpost
                to: northquay   # flat
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private const string Roster =
        "name,from_account,to_account,from_secret,to_secret\nAoife Marsh,aoife@saltmarsh.example,aoife@saltmarsh.example,s,s\n"
        + "Bram Tolland,bram@saltmarsh.example,bram@saltmarsh.example,s,s\n"
        + "Una Bracken,una@saltmarsh.example,una@saltmarsh.example,wrong,s\n";

    public async ValueTask InitializeAsync()
    {
        _service = await TestService.StartAsync();
        foreach (var name in new[] { "aoife", "bram", "una" })
        {
            var box = _from.AddAccount($"{name}@saltmarsh.example", "s");
            _to.AddAccount($"{name}@saltmarsh.example", "s");
            for (var i = 0; i < 6; i++)
                box.Find("INBOX")!.Add(Message($"{name}{i}", 400), ["\\Seen"], DateTimeOffset.UtcNow.AddYears(-i * 2));
        }
        var aoife = _from.Find("aoife@saltmarsh.example")!;
        aoife.Make("Outbox").Add(Message("out", 300), ["$Ropes"], DateTimeOffset.UtcNow);
        aoife.Make("Projects/Ramp/2019").Add(Message("deep", 300), [], DateTimeOffset.UtcNow);
        aoife.Make("Trash", "\\Trash").Add(Message("bin", 5_000), [], DateTimeOffset.UtcNow);
        aoife.Find("INBOX")!.Add(Message("big", 2_500_000), [], DateTimeOffset.UtcNow);
        _to.Find("bram@saltmarsh.example")!.Quota = 1_000;
        Assert.Equal(0, (await _service.ApplyAsync(Plan, ("crew.csv", Roster))).Code);
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    private static byte[] Message(string id, int size) =>
        Encoding.ASCII.GetBytes($"Message-ID: <{id}@saltmarsh.example>\r\nSubject: {id}\r\n\r\n".PadRight(size, 'x'));

    private async Task<List<string>> OpenAsync() =>
        [
            .. (await _service.GetAsync<List<FindingGroup>>("batches/crew/findings"))
                .Where(g => g.Open > 0 && g.Weight is not FindingWeight.Note)
                .Select(g => g.Code),
        ];

    [Fact]
    public async Task What_the_survey_promised_arrives_where_the_preview_said()
    {
        var survey = await _service.RunAsync("survey", "crew", "--wait");
        Assert.Equal(3, survey.Code);
        Assert.Contains("2 of 3 looked at, the sign-in fails for 1", survey.Out, StringComparison.Ordinal);
        Assert.Equal(["cannot-get-in", "no-room", "message-too-large", "keywords-lost", "reserved-name", "too-deep"], await OpenAsync());
        // A survey only reads: nothing was created or changed on either side.
        Assert.All([_from, _to], server =>
            Assert.DoesNotContain(server.Commands.Keys, verb => verb is "CREATE" or "APPEND" or "STORE" or "DELETE" or "SUBSCRIBE")
        );

        foreach (
            var decision in new[]
            {
                "choose crew reserved-name suffix --value _mail",
                "choose crew too-deep flatten --value +",
                "choose crew keywords-lost drop-keywords",
                "choose crew tidy-trash leave-trash --route",
                "choose crew no-room accept --move Bram",
                "choose crew message-too-large accept",
                "choose crew cannot-get-in withdraw --move Una",
            }
        )
        {
            var chosen = await _service.RunAsync(
                decision
                    .Split(' ')
                    .Select(w =>
                        w.Replace("Bram", "Bram Tolland", StringComparison.Ordinal).Replace("Una", "Una Bracken", StringComparison.Ordinal)
                    )
                    .ToArray()
            );
            Assert.True(chosen.Code == 0, chosen.Out + chosen.Error);
        }
        Assert.Empty(await OpenAsync());
        Assert.Equal(MoveStage.Withdrawn, (await _service.MovesAsync("crew")).Single(m => m.Name == "Una Bracken").Stage);

        var preview = await _service.GetAsync<FolderPreview>("batches/crew/folders?move=aoife@saltmarsh.example");
        Assert.Equal("3 of 4 folders land; 1 left out by decided (use trash)", preview.Summary);
        _to.Find("bram@saltmarsh.example")!.Quota = null;
        var started = await _service.RunAsync("start", "crew", "--wait");
        Assert.Equal(3, started.Code);
        var there = _to.Find("aoife@saltmarsh.example")!;
        Assert.Equal(["INBOX", "Outbox_mail", "Projects+Ramp+2019"], there.Folders.Select(f => f.Name).Order());
        foreach (var landing in preview.Landings.Where(l => l.To is not null))
            Assert.Equal(landing.CarryMessages - (landing.From == "INBOX" ? 1 : 0), there.Find(landing.To!)!.Messages.Count);
        Assert.Empty(there.Find("Outbox_mail")!.Messages[0].Flags);
        Assert.Equal(1, (await _service.MovesAsync("crew")).Single(m => m.Name == "Aoife Marsh").OpenLeftBehind);

        there.Rename("Outbox_mail", "Ropes");
        await _service.RunAsync("catch-up", "crew", "--wait");
        var renamed = (await _service.GetAsync<FolderPreview>("batches/crew/folders?move=aoife@saltmarsh.example")).Landings.Single(l =>
            l.From == "Outbox"
        );
        Assert.Equal(("Ropes", "its owner renamed 'Outbox_mail' on the new side"), (renamed.To, renamed.Note));
    }

    [Fact]
    public async Task A_choice_can_be_taken_back_and_the_narrower_one_counts()
    {
        await _service.RunAsync("survey", "crew", "--wait");
        await _service.RunAsync("choose", "crew", "no-room", "since", "--value", "2024-01-01", "--route");
        await _service.RunAsync("choose", "crew", "no-room", "largest", "--value", "1MB", "--move", "Bram Tolland");
        var decisions = (await _service.GetAsync<List<FindingGroup>>("batches/crew/findings")).Single(g => g.Code == "no-room").Decisions;
        Assert.Equal(
            ["route crossing since 2024-01-01", "move bram@saltmarsh.example largest 1MB"],
            decisions.Select(d => $"{Core.Planning.KebabWord.Of(d.Scope)} {d.Place} {d.Way} {d.Value}")
        );
        var before = (await _service.GetAsync<MoveInventory>("batches/crew/inventory/bram@saltmarsh.example")).Summary;
        Assert.Equal(6, before.CarryMessages);
        await _service.RunAsync("choose", "crew", "no-room", "--undo", "--move", "Bram Tolland");
        Assert.True((await _service.GetAsync<MoveInventory>("batches/crew/inventory/bram@saltmarsh.example")).Summary.CarryMessages < 6);
        await _service.RunAsync("choose", "crew", "no-room", "--undo", "--route");
        Assert.Equal(6, (await _service.GetAsync<MoveInventory>("batches/crew/inventory/bram@saltmarsh.example")).Summary.CarryMessages);
    }

    [Theory]
    [InlineData("choose crew no-room merge", "'merge' is no way out of 'no-room'")]
    [InlineData("choose crew no-room since --value yesterday", "a day such as 2020-01-01")]
    [InlineData("choose crew nothing accept", "There is no finding 'nothing'")]
    [InlineData("choose crew no-room accept --move Nobody", "Nobody in batch 'crew' is called 'Nobody'")]
    [InlineData("folders crew --move Nobody", "Nobody in batch 'crew' is called 'Nobody'")]
    [InlineData("survey deck", "There is no batch 'deck'")]
    public async Task What_cannot_be_done_is_told(string command, string what)
    {
        var ran = await _service.RunAsync(command.Split(' '));
        Assert.Equal(1, ran.Code);
        Assert.Contains(what, ran.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_plan_takes_the_place_of_the_one_that_was_read_or_of_none()
    {
        using var read = await _service.Api.GetAsync("/api/v1/plan");
        // Another administrator changed the rules in between.
        const string Rules = "- {match: {use: trash}, leave: true}\n";
        await _service.Api.PutAsJsonAsync("/api/v1/routes/crossing/folders", new FolderRulesRequest(Rules), ContractJson.Options);
        Assert.Equal(HttpStatusCode.PreconditionFailed, await ApplyInPlaceOfAsync(read.Headers.ETag!.ToString()));
        Assert.Equal(Rules, (await _service.GetAsync<FolderRulesView>("routes/crossing/folders")).Rules);
        Assert.Equal(HttpStatusCode.BadRequest, await ApplyInPlaceOfAsync("no tag"));

        using var now = await _service.Api.GetAsync("/api/v1/plan");
        Assert.Equal(HttpStatusCode.OK, await ApplyInPlaceOfAsync($"\"elsewhere\", {now.Headers.ETag}"));
        Assert.Equal(Plan, (await _service.GetAsync<PlanView>("plan")).Text);

        async Task<HttpStatusCode> ApplyInPlaceOfAsync(string tags)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, "/api/v1/plan/apply");
            request.Headers.TryAddWithoutValidation("If-Match", tags);
            var files = new Dictionary<string, string> { ["crew.csv"] = Roster };
            request.Content = JsonContent.Create(new PlanSubmission("plan.yaml", Plan, files), options: ContractJson.Options);
            using var answer = await _service.Api.SendAsync(request);
            return answer.StatusCode;
        }
    }

    [Fact]
    public async Task Other_rules_are_tried_before_they_are_put_in_force_and_the_plan_keeps_its_comments()
    {
        await _service.RunAsync("survey", "crew", "--wait");
        const string Rules = "- {match: \"Projects/**\", to: \"Work/**\"}\n- {match: {use: trash}, leave: true}\n";
        var tried = await _service.Api.PostAsJsonAsync(
            "/api/v1/batches/crew/folders?move=aoife@saltmarsh.example",
            new FolderRulesRequest(Rules),
            ContractJson.Options
        );
        var preview = (await tried.Content.ReadFromJsonAsync<FolderPreview>(ContractJson.Options))!;
        Assert.Equal("Work - Ramp - 2019", preview.Landings.Single(l => l.From == "Projects/Ramp/2019").To);
        Assert.Equal(
            "Projects - Ramp - 2019",
            (await _service.GetAsync<FolderPreview>("batches/crew/folders?move=aoife@saltmarsh.example"))
                .Landings.Single(l => l.From == "Projects/Ramp/2019")
                .To
        );

        var set = await _service.Api.PutAsJsonAsync("/api/v1/routes/crossing/folders", new FolderRulesRequest(Rules), ContractJson.Options);
        Assert.Equal(HttpStatusCode.OK, set.StatusCode);
        var plan = await _service.GetAsync<PlanView>("plan");
        Assert.Contains("# the crew goes first", plan.Text, StringComparison.Ordinal);
        Assert.Contains("# flat", plan.Text, StringComparison.Ordinal);
        Assert.Equal(3, (await _service.MovesAsync("crew")).Count);
        Assert.Equal(
            "1 left out by rule 2 (use trash)",
            (await _service.GetAsync<FolderPreview>("batches/crew/folders")).Summary.Split("; ")[1]
        );

        var late = await _service.Api.PutAsJsonAsync(
            "/api/v1/routes/crossing/folders",
            new FolderRulesRequest("", Before: "- {match: Seen, leave: true}\n"),
            ContractJson.Options
        );
        Assert.Equal(HttpStatusCode.Conflict, late.StatusCode);

        var wrong = await _service.Api.PutAsJsonAsync(
            "/api/v1/routes/crossing/folders",
            new FolderRulesRequest("- {match: Trash, leave: true}\n- {match: \"a**b//\", leave: true}\n"),
            ContractJson.Options
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, wrong.StatusCode);
        Assert.Contains("\"line\":2", await wrong.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Figures_for_the_plan_are_tables_and_json_and_csv()
    {
        await _service.RunAsync("survey", "crew", "--wait");
        Assert.Contains("leave-trash", (await _service.RunAsync("tidying", "crew")).Out, StringComparison.Ordinal);
        var forecast = await _service.RunAsync("forecast", "crew");
        Assert.Contains("Rates are assumed", forecast.Out, StringComparison.Ordinal);
        Assert.Contains("1 person is not in it", forecast.Out, StringComparison.Ordinal);
        Assert.StartsWith(
            "weight,code,name,account,what",
            (await _service.RunAsync("findings", "crew", "--rows", "--output", "csv")).Out,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "\"notStarted\": 2",
            (await _service.RunAsync("forecast", "crew", "--output", "json")).Out,
            StringComparison.Ordinal
        );
        var inventory = await _service.GetAsync<MoveInventory>("batches/crew/inventory/aoife@saltmarsh.example");
        Assert.Equal(("INBOX", 2_500_000, "big"), (inventory.Largest[0].Folder, inventory.Largest[0].Octets, inventory.Largest[0].Subject));
        Assert.Equal(["$Ropes"], inventory.Keywords);
    }

    [Fact]
    public async Task People_of_a_preview_and_moves_of_an_estimate_come_in_pages_in_any_order()
    {
        await _service.RunAsync("survey", "crew", "--wait");
        var first = await _service.GetAsync<FolderPreview>("batches/crew/folders?limit=1&sort=folders&descending=true");
        Assert.Equal(("Aoife Marsh", "@1", 2L), (Assert.Single(first.People.Items).Name, first.People.Next, first.People.Total));
        var second = await _service.GetAsync<FolderPreview>("batches/crew/folders?limit=1&sort=folders&descending=true&cursor=@1");
        Assert.Equal(("Bram Tolland", null), (Assert.Single(second.People.Items).Name, second.People.Next));
        Assert.Equal(first.Summary, second.Summary);
        var found = await _service.GetAsync<FolderPreview>("batches/crew/folders?search=bram");
        Assert.Equal((1L, 2), (found.People.Total, found.Surveyed));

        // The same under rules that are only tried, before and after somebody is looked at again.
        for (var round = 0; round < 2; round++)
        {
            var body = new FolderRulesRequest("- {match: Projects/**, leave: true}");
            var answer = await _service.Api.PostAsJsonAsync("/api/v1/batches/crew/folders?limit=1&sort=left-behind&descending=true", body);
            var tried = (await answer.Content.ReadFromJsonAsync<FolderPreview>(ContractJson.Options))!;
            Assert.Equal(
                ("Aoife Marsh", 1 + round, "@1"),
                (tried.People.Items[0].Name, tried.People.Items[0].LeftBehind, tried.People.Next)
            );
            _from.Find("aoife@saltmarsh.example")!.Make($"Projects/Crane {round}").Add(Message("crane", 300), [], DateTimeOffset.UtcNow);
            await _service.RunAsync("survey", "crew", "--wait");
        }
        var (code, all) = await FoldersAsync();
        Assert.Equal((0, 2), (code, all));

        var estimate = await _service.GetAsync<EstimateView>("batches/crew/estimate?limit=1");
        Assert.Equal(("Aoife Marsh", "@1", 2L), (Assert.Single(estimate.Moves.Items).Name, estimate.Moves.Next, estimate.Moves.Total));
        Assert.Equal("Bram Tolland", (await _service.GetAsync<EstimateView>("batches/crew/estimate?cursor=@1")).Moves.Items[0].Name);
        Assert.Equal(HttpStatusCode.BadRequest, (await _service.Api.GetAsync("/api/v1/batches/crew/folders?sort=size")).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await _service.Api.GetAsync("/api/v1/batches/crew/estimate?cursor=x")).StatusCode);

        async Task<(int, int)> FoldersAsync()
        {
            var ran = await _service.RunAsync("folders", "crew", "--output", "csv");
            return (ran.Code, ran.Out.Split('\n').Count(l => l.Contains("@saltmarsh.example", StringComparison.Ordinal)));
        }
    }

    [Fact]
    public async Task What_a_service_allows_in_a_day_is_told_before()
    {
        var limited = Plan.Replace(
            "security: none}\n  northquay",
            "security: none}\n    limits: {bytes-per-day-per-account: 1kB}\n  northquay",
            StringComparison.Ordinal
        );
        Assert.Equal(0, (await _service.ApplyAsync(limited, ("crew.csv", Roster))).Code);
        await _service.RunAsync("survey", "crew", "--wait");
        Assert.Contains(
            "the 1 kB a day that lanternpost allows an account",
            (await _service.RunAsync("forecast", "crew")).Out,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_survey_that_a_restart_interrupts_goes_on_where_it_was()
    {
        _from.Manners = _from.Manners with { MostConnections = 0 };
        var folder = Directory.CreateTempSubdirectory("caravan-survey").FullName;
        await using (var first = await TestService.StartAsync(folder))
        {
            Assert.Equal(0, (await first.ApplyAsync(Plan, ("crew.csv", Roster))).Code);
            await first.RunAsync("survey", "crew");
            await TestService.UntilAsync(async () => (await first.MovesAsync("crew")).Exists(m => m.Condition is MoveCondition.Waiting));
        }
        _from.Manners = _from.Manners with { MostConnections = int.MaxValue };
        await using (var second = await TestService.StartAsync(folder))
            await TestService.UntilAsync(async () =>
                (await second.GetAsync<BatchSurvey>("batches/crew/survey")) is { Surveyed: 2, Closed: 1 }
            );
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task A_survey_that_a_lost_connection_interrupts_is_taken_again_by_itself()
    {
        var clock = new TestClock(DateTimeOffset.UtcNow);
        await using var service = await clock.StartServiceAsync();
        await service.ApplyAsync(Plan, ("crew.csv", Roster));
        _from.Manners = _from.Manners with { MostConnections = 0 };
        await service.RunAsync("survey", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).TrueForAll(m => m.Condition is MoveCondition.Waiting));
        _from.Manners = _from.Manners with { MostConnections = int.MaxValue };
        await clock.PassUntilAsync(async () =>
            (await service.MovesAsync("crew")) is var moves
            && moves.TrueForAll(m => m.Stage is MoveStage.Surveyed || m.Condition is MoveCondition.NeedsYou)
        );
    }
}
