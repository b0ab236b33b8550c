using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Contacts and calendars through the service, its API and its client, at stand-ins with faults on demand.</summary>
public sealed class CollectionRoadTests : IAsyncLifetime
{
    private const string Aoife = "aoife@saltmarsh.example";

    private readonly StandInDav _from = new(new StandInDavManners());
    private readonly StandInDav _to = new(
        new StandInDavManners
        {
            DropsPhotos = true,
            TakesUidOnce = true,
            KeepsOnlyNames = true,
        }
    );
    private TestService _service = null!;
    private StandInDavAccount _old = null!;
    private StandInDavAccount _new = null!;

    public async ValueTask InitializeAsync()
    {
        (_old, _new) = (_from.AddAccount(Aoife, "s"), _to.AddAccount(Aoife, "s"));
        _service = await TestService.StartAsync();
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    private async Task ApplyAsync(string from = "", string rules = "")
    {
        string Both(Uri address) =>
            $$"""{contacts: {speaks: carddav, url: "{{address}}", security: none}, calendars: """
            + $$"""{speaks: caldav, url: "{{address}}", security: none} }""";
        from = from.Length > 0 ? from : Both(_from.Address);
        var applied = await _service.ApplyAsync(
            $$"""
            services:
              lanternpost: {{from}}
              northquay: {{Both(_to.Address)}}
            routes: {crossing: {from: lanternpost, to: northquay{{rules}}} }
            batches: {crew: {route: crossing, roster: crew.csv} }
            """,
            ("crew.csv", $"name,from_account,to_account,from_secret,to_secret\nAoife Marsh,{Aoife},{Aoife},s,s\n")
        );
        Assert.Equal((0, ""), (applied.Code, applied.Error));
    }

    private async Task CarryAsync()
    {
        await _service.RunAsync("start", "crew");
        await _service.UntilInStepAsync("crew");
    }

    private static StandInCollection Book(StandInDavAccount account) => account.Find(isCalendar: false, "contacts")!;

    private static StandInCollection Calendar(StandInDavAccount account) => account.Find(isCalendar: true, "calendar")!;

    private static string Card(string uid, params string[] lines) =>
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:{uid}\r\nFN:Sailor {uid}\r\nN:{uid};Sailor;;;\r\n{string.Concat(lines.Select(l => $"{l}\r\n"))}"
        + "END:VCARD\r\n";

    private static string Event(string uid, params string[] lines) =>
        $"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:{uid}\r\nDTSTAMP:20260101T000000Z\r\n"
        + $"DTSTART:20270212T100000Z\r\nSUMMARY:Sailing {uid}\r\n{string.Concat(lines.Select(l => $"{l}\r\n"))}"
        + "END:VEVENT\r\nEND:VCALENDAR\r\n";

    [Theory]
    [InlineData(VersionWord.Old)]
    [InlineData(VersionWord.New)]
    [InlineData(VersionWord.Both)]
    public async Task Both_versions_are_shown_side_by_side_and_the_one_that_is_chosen_stays(VersionWord choice)
    {
        Book(_old).Put("a.vcf", Card("a", "TEL;TYPE=CELL:+353 1 555 0100"));
        Book(_old).Put("b.vcf", Card("b", "PHOTO;ENCODING=b:AAAA"));
        await ApplyAsync();
        await CarryAsync();
        Book(_old).Put("a.vcf", Card("a", "TEL;TYPE=CELL:+353 1 555 0111", "BDAY:1980-02-29"));
        Book(_new).Put("a.vcf", Card("a", "TEL;TYPE=CELL:+353 1 555 0122", "NOTE:two\\nlines"));
        await _service.RunAsync("catch-up", "crew");
        await TestService.UntilAsync(async () => (await LeftAsync()).Count == 2);
        await _service.UntilInStepAsync("crew");
        var left = await LeftAsync();
        var damaged = left.Single(l => l.Problem.Cause == "arrived-damaged");
        Assert.Equal((MoveKind.Contacts, null, 0), (damaged.Kind, damaged.Received, damaged.Choices.Count));
        var conflict = left.Single(l => l.Problem.Cause == "edited-on-both-sides");
        Assert.Equal([VersionWord.Old, VersionWord.New, VersionWord.Both], conflict.Choices);
        var forms = await _service.GetAsync<ItemFormsView>($"batches/crew/left-behind/{conflict.Id}/forms");
        Assert.Contains(new FormLine("Name", "Sailor a", "Sailor a"), forms.Lines);
        Assert.Contains(new FormLine("Phone (mobile)", "+353 1 555 0111", "+353 1 555 0122"), forms.Lines);
        Assert.Contains(new FormLine("Birthday", "Fri 29 February 1980", null), forms.Lines);
        Assert.Contains(new FormLine("Note", null, "two\nlines"), forms.Lines);

        var decided = await _service.RunAsync("left-behind", "crew", "--item", $"{conflict.Id}", "--keep", $"{choice}");
        Assert.Equal((0, ""), (decided.Code, decided.Error));
        await TestService.UntilAsync(async () => (await LeftAsync()).Count == 1);
        await _service.UntilInStepAsync("crew");
        var numbers = Book(_new)
            .Items.Values.SelectMany(i => i.Text.Split("\r\n"))
            .Where(l => l.StartsWith("TEL", StringComparison.Ordinal));
        string[] expected = choice switch
        {
            VersionWord.Old => ["+353 1 555 0111"],
            VersionWord.New => ["+353 1 555 0122"],
            _ => ["+353 1 555 0111", "+353 1 555 0122"],
        };
        Assert.Equal(expected, numbers.Select(n => n.Split(':')[1]).Order());
        // Of what cannot be chosen nothing is.
        Assert.Equal(0, (await DecideAsync(new LeftBehindDecision(false, null, [damaged.Id], VersionWord.Both))).Items);
        var waybill = (await _service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((2, 1, 1), (waybill.Total.Found, waybill.Total.Carried, waybill.Total.LeftBehind));
    }

    [Fact]
    public async Task An_event_that_is_there_twice_gets_a_UID_of_its_own_if_somebody_says_so()
    {
        var more = _old.Make(isCalendar: true, "duty", "Duty");
        Calendar(_old).Put("a.ics", Event("a"));
        more.Put("b.ics", Event("a"));
        await ApplyAsync();
        await CarryAsync();
        var left = Assert.Single(await LeftAsync());
        Assert.Equal(("uid-taken", MoveKind.Calendars), (left.Problem.Cause, left.Kind));
        Assert.Equal([VersionWord.Both], left.Choices);
        Assert.Equal(1, (await DecideAsync(new LeftBehindDecision(false, null, [left.Id], VersionWord.Both))).Items);
        await TestService.UntilAsync(async () => (await LeftAsync()).Count == 0);
        await _service.UntilInStepAsync("crew");
        var uids = _new.Collections.SelectMany(c => c.Items.Values).Select(i => i.Text.Split("UID:")[1].Split('\r')[0]).Order();
        Assert.Equal(["a", "a-old-side"], uids);
    }

    [Fact]
    public async Task Surveys_findings_passes_and_comparisons_tell_contacts_and_calendars()
    {
        Book(_old).Put("a.vcf", Card("a", "TEL:+353 1 555 0100"));
        Book(_old).Put("b.vcf", Card("b"));
        Book(_new).Put("b.vcf", Card("b"));
        var duty = _old.Make(isCalendar: true, "duty", "Duty");
        duty.Properties[System.Xml.Linq.XName.Get("calendar-description", "urn:ietf:params:xml:ns:caldav")] = new(
            System.Xml.Linq.XName.Get("calendar-description", "urn:ietf:params:xml:ns:caldav"),
            "Who sails when"
        );
        duty.Put("e.ics", Event("e"));
        await ApplyAsync();
        await _service.RunAsync("survey", "crew", "--wait");
        var survey = await _service.GetAsync<BatchSurvey>("batches/crew/survey");
        var (contacts, calendars) = (
            survey.Kinds.Single(k => k.Kind is MoveKind.Contacts),
            survey.Kinds.Single(k => k.Kind is MoveKind.Calendars)
        );
        Assert.Equal((1, 1, 2L, 1L), (survey.Surveyed, contacts.Containers, contacts.Items, contacts.CarryItems));
        Assert.Equal((2, 1L, 1L), (calendars.Containers, calendars.Items, calendars.CarryItems));
        var estimate = await _service.GetAsync<EstimateView>("batches/crew/estimate");
        Assert.Equal([1L, 1L], estimate.Kinds.Select(k => k.Items));
        Assert.True(estimate.Moves.Items.Single() is { Items: 2, Longest: > 0 });

        await CarryAsync();
        var journal = (await _service.ListAllAsync<JournalEntry>("journal?batch=crew")).Select(j => j.Text).ToList();
        Assert.Contains(journal, t => t.StartsWith("contacts, first pass ended: 1 carried", StringComparison.Ordinal));
        Assert.Contains(journal, t => t.StartsWith("calendars, first pass ended: 1 carried", StringComparison.Ordinal));
        var findings = await _service.GetAsync<List<FindingGroup>>("batches/crew/findings");
        var lost = findings.Single(f => f.Code == "properties-lost");
        Assert.Equal((1, 1, "the calendar 'Duty' is there without its description"), (lost.People, lost.Open, lost.Rows.Single().What));
        Assert.Equal(0, (await _service.RunAsync("choose", "crew", "properties-lost", "accept")).Code);
        Assert.Equal(
            0,
            (await _service.GetAsync<List<FindingGroup>>("batches/crew/findings")).Single(f => f.Code == "properties-lost").Open
        );

        Book(_old).Put("a.vcf", Card("a", "TEL:+353 1 555 0111"));
        await _service.RunAsync("catch-up", "crew", "--wait");
        var move = await _service.GetAsync<MoveDetail>($"batches/crew/moves/{Uri.EscapeDataString(Aoife)}");
        Assert.Equal(1, move.Passes[0].Legs.Single(l => l.Kind is MoveKind.Contacts).Updated);
        Book(_new).Put("a.vcf", Card("a", "TEL:+353 1 555 0199"));
        Book(_new).Remove("b.vcf");
        Assert.Equal(3, (await _service.RunAsync("compare", "crew", "--all", "--wait")).Code);
        var compared = (await _service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((3L, 2L), (compared.Comparison!.Compared, compared.Comparison.Differing));
        Assert.Equal(["altered", "missing"], compared.Differences.Select(d => d.Kind.ToString().ToLowerInvariant()).Order());
        Assert.Equal((1L, 1L, false), (compared.Altered, compared.Missing, compared.Closes));
    }

    [Fact]
    public async Task Huge_objects_are_carried_in_little_memory_and_broken_ones_are_named()
    {
        var chance = new Random(7);
        var photo = new byte[7_500_000];
        chance.NextBytes(photo);
        Calendar(_old).Put("photo.ics", Event("photo", $"ATTACH;ENCODING=BASE64;VALUE=BINARY:{Convert.ToBase64String(photo)}"));
        Calendar(_old).Put("often.ics", Event("often", "RRULE:FREQ=MINUTELY;COUNT=100000"));
        Calendar(_old)
            .Put(
                "many.ics",
                Event("many", [.. Enumerable.Range(0, 5000).Select(i => $"ATTENDEE;CN=Guest {i}:mailto:guest{i}@lanternpost.example")])
            );
        Calendar(_old).Put("folded.ics", Event("folded", "DESCRIPTION:broken", "X-NOT FOLDED", " : and on", "\tand on"));
        Calendar(_old).Put("latin.ics", [.. Encoding.Latin1.GetBytes(Event("latin", "DESCRIPTION:Überfahrt"))]);
        Calendar(_old).Put("control.ics", Event("control", "DESCRIPTION:a\u0001b"));
        for (var i = 0; i < 20; i++)
            Calendar(_old).Put($"large{i}.ics", Event($"large{i}", $"DESCRIPTION:{new string('x', 1_000_000)}"));
        await ApplyAsync();
        await CarryAsync();
        var left = await LeftAsync();
        foreach (var (name, item) in Calendar(_old).Items)
            Assert.True(
                left.Exists(l => item.Text.Contains($"SUMMARY:{l.Subject}\r\n", StringComparison.Ordinal))
                    || Calendar(_new).Items[name].Octets.AsSpan().SequenceEqual(item.Octets),
                $"{name} is neither the same nor left behind"
            );
        Assert.Equal(26, (await _service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0].Total.Found);
        Assert.DoesNotContain(left, l => l.Problem.Cause == "unexpected");
    }

    [Fact]
    public async Task Contacts_in_a_ZIP_are_handed_over_and_a_folder_of_single_ones_is_one_address_book()
    {
        Zip(
            ("Crew of 1911 a.b/1.vcf", Card("a")),
            ("Crew of 1911 a.b/2.vcf", Card("b")),
            // Another program wrote the same contact's UID twice: both are carried.
            ("Crew of 1911 a.b/3.vcf", Card("b", "TEL:+353 1 555 0133")),
            ("Fleet/all.vcf", Card("c") + Card("d")),
            ("Fleet/notes.txt", "no contacts"),
            ("../outside.vcf", Card("e"))
        );
        await ApplyAsync("""{contacts: {speaks: vcard, file: "lists/{account}.zip/**/*.vcf"} }""");
        Assert.Equal(
            ["Crew of 1911 a.b/1.vcf", "Crew of 1911 a.b/2.vcf", "Crew of 1911 a.b/3.vcf", "Fleet/all.vcf"],
            (await _service.ListAllAsync<ItemFileView>("files")).Select(f => f.Name[$"lists/{Aoife}.zip/".Length..]).Order()
        );
        await _service.RunAsync("survey", "crew", "--wait");
        var collections = await _service.RunAsync("collections", "crew", "--output", "csv");
        Assert.Contains("Crew of 1911 a.b", collections.Out, StringComparison.Ordinal);
        Assert.Contains(",all,", collections.Out, StringComparison.Ordinal);
        Assert.DoesNotContain("outside", collections.Out, StringComparison.Ordinal);
        await CarryAsync();
        var waybill = (await _service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((5, true), (waybill.Total.Found, waybill.Closes));
        // Handed over again unchanged, nothing is sent.
        var again = await _service.RunAsync("plan", "apply", Path.Combine(_service.Folder, "plan", "plan.yaml"));
        Assert.DoesNotContain("Handed over", again.Out + again.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_ZIP_that_is_damaged_or_names_a_file_twice_is_refused_and_nothing_of_it_is_handed_over()
    {
        const string Files = """{contacts: {speaks: vcard, file: "lists/{account}.zip/**/*.vcf"} }""";
        Zip();
        await ApplyAsync(Files);
        var path = Zip(("a.vcf", Card("a")), ("a.vcf", Card("b")));
        var plan = Path.Combine(_service.Folder, "plan", "plan.yaml");
        var twice = await _service.RunAsync("plan", "apply", plan);
        Assert.Equal(1, twice.Code);
        Assert.Contains("holds a.vcf twice", twice.Error, StringComparison.Ordinal);
        await File.WriteAllBytesAsync(path, (await File.ReadAllBytesAsync(path))[..50]);
        Assert.Equal(1, (await _service.RunAsync("plan", "apply", plan)).Code);
        Assert.Empty(await _service.ListAllAsync<ItemFileView>("files"));
    }

    private string Zip(params (string Name, string Text)[] entries)
    {
        var path = Path.Combine(Directory.CreateDirectory(Path.Combine(_service.Folder, "plan", "lists")).FullName, $"{Aoife}.zip");
        using var file = File.Create(path);
        using var zip = new System.IO.Compression.ZipArchive(file, System.IO.Compression.ZipArchiveMode.Create);
        foreach (var (name, text) in entries)
        {
            using var entry = zip.CreateEntry(name).Open();
            entry.Write(System.Text.Encoding.UTF8.GetBytes(text));
        }
        return path;
    }

    [Fact]
    public async Task A_spreadsheet_is_handed_over_its_columns_are_said_and_it_is_carried()
    {
        await ApplyAsync("""{contacts: {speaks: csv, file: "lists/{account}.csv", columns: {"Rufname": nickname} } }""");
        var name = $"lists/{Aoife}.csv";
        var sheet = "Name;E-Mail;Rufname;Zahl\nMaeve Harrow;m@saltmarsh.example;Mae;+353 1 555 0142\n;;;\n;;;-\n"u8.ToArray();
        using (var content = new ByteArrayContent(sheet))
            Assert.Equal(
                HttpStatusCode.OK,
                (await _service.Api.PutAsync($"/api/v1/files?file={Uri.EscapeDataString(name)}", content)).StatusCode
            );
        foreach (var bad in new[] { "/etc/passwd", "../x.csv", "a//b", "a*b" })
            using (var content = new ByteArrayContent(sheet))
                Assert.Equal(
                    HttpStatusCode.BadRequest,
                    (await _service.Api.PutAsync($"/api/v1/files?file={Uri.EscapeDataString(bad)}", content)).StatusCode
                );
        var reading = await _service.GetAsync<FileReading>($"files/reading?file={Uri.EscapeDataString(name)}");
        Assert.Equal(
            [("Name", "name", "guess"), ("E-Mail", "email", "guess"), ("Rufname", "nickname", "plan"), ("Zahl", "note", "guess")],
            reading.Columns.Select(c => (c.Header, c.Holds, c.Said))
        );
        Assert.Equal(4, Assert.Single(reading.Problems).Line);
        Assert.Equal(2, (await _service.RunAsync("files", "columns", name, "--holds", "Zahl")).Code);
        Assert.Equal(1, (await _service.RunAsync("files", "columns", name, "--holds", "Zahl=telephone")).Code);
        var said = await _service.RunAsync("files", "columns", name, "--holds", "Zahl=phone-work");
        Assert.Equal(3, said.Code);
        Assert.Contains("choice", said.Out, StringComparison.Ordinal);
        var tried = await _service.RunAsync("service", "try", "lanternpost", "--account", Aoife);
        Assert.Contains("1 file(s) were handed over", tried.Out, StringComparison.Ordinal);
        await CarryAsync();
        var card = Assert.Single(Book(_new).Items.Values).Text;
        Assert.Contains("NICKNAME:Mae\r\n", card, StringComparison.Ordinal);
        Assert.Contains("TEL;TYPE=WORK:+353 1 555 0142\r\n", card, StringComparison.Ordinal);
        Assert.Equal("item-unreadable", Assert.Single(await LeftAsync()).Problem.Cause);
        Assert.Equal(0, (await _service.RunAsync("files", "forget", name)).Code);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await _service.Api.DeleteAsync($"/api/v1/files?file={Uri.EscapeDataString(name)}")).StatusCode
        );
    }

    [Fact]
    public async Task Every_reading_command_writes_JSON_and_CSV()
    {
        Book(_old).Put("a.vcf", Card("a", "PHOTO;ENCODING=b:AAAA"));
        Book(_new).Put("x.vcf", Card("a"));
        await ApplyAsync();
        await _service.RunAsync("survey", "crew", "--wait");
        await CarryAsync();
        string[] commands =
        [
            "left-behind crew",
            "collections crew",
            "preview crew",
            "files list",
            "differences crew",
            "waybill crew",
            "findings crew",
            "tidying crew",
            "moves crew",
            "service list",
            "journal crew",
            "plan show",
        ];
        foreach (var command in commands)
        {
            var json = await _service.RunAsync([.. command.Split(' '), "--output", "json"]);
            Assert.True(json.Code is 0 or 3, $"{command}: {json.Error}");
            using var parsed = JsonDocument.Parse(json.Out);
            var csv = await _service.RunAsync([.. command.Split(' '), "--output", "csv"]);
            Assert.True(csv.Code is 0 or 3, $"{command}: {csv.Error}");
            Assert.Matches("^[a-z_]+(,|\r?\n)", csv.Out);
        }
    }

    private Task<List<LeftBehindView>> LeftAsync() => _service.ListAllAsync<LeftBehindView>("batches/crew/left-behind");

    private async Task<LeftBehindDecided> DecideAsync(LeftBehindDecision decision)
    {
        var answer = await _service.Api.PostAsJsonAsync("/api/v1/batches/crew/left-behind", decision, ContractJson.Options);
        return (await answer.Content.ReadFromJsonAsync<LeftBehindDecided>(ContractJson.Options))!;
    }
}
