using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Parcels as scripts meet them: errands beside the plan, files to fetch, a look inside, and an end.</summary>
public sealed class ParcelTests : IAsyncLifetime
{
    private const string Aoife = "aoife@saltmarsh.example";
    private const string Bram = "bram@saltmarsh.example";

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners());
    private readonly TestClock _clock = new(new DateTimeOffset(2026, 11, 30, 9, 0, 0, TimeSpan.Zero));
    private TestService _service = null!;

    private string Plan =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
            routes:
              crossing: {from: lanternpost, to: northquay}
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private const string Roster =
        $"name,from_account,to_account,from_secret,to_secret\nAoife Marsh,{Aoife},{Aoife},s,s\nBram Tolland,{Bram},{Bram},s,s\n";

    private string Place => Path.Combine(_service.Folder, "files", "parcels");

    public async ValueTask InitializeAsync()
    {
        _service = await _clock.StartServiceAsync();
        foreach (var account in new[] { Aoife, Bram })
        {
            var box = _from.AddAccount(account, "s");
            _to.AddAccount(account, "s");
            for (var i = 0; i < 4; i++)
                box.Find("INBOX")!
                    .Add(
                        Encoding.UTF8.GetBytes(
                            $"From: Desk <desk@saltmarsh.example>\r\nSubject: Tide {i}\r\nMessage-ID: <{i}.{account}>\r\n"
                                + "Content-Type: text/html\r\n\r\n<script>alert(1)</script>High at six.\r\n"
                        ),
                        ["\\Seen"],
                        new DateTimeOffset(2025, 6, 1 + i, 8, 0, 0, TimeSpan.FromHours(1))
                    );
            box.Make("Trash", "\\Trash").Add("Subject: Old\r\n\r\nx\r\n"u8.ToArray(), [], _clock.GetUtcNow());
        }
        Assert.Equal(0, (await _service.ApplyAsync(Plan, ("crew.csv", Roster))).Code);
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    [Fact]
    public async Task An_errand_is_a_batch_of_its_own_that_a_new_plan_leaves_alone()
    {
        await PackAsync("crew");
        var errand = Assert.Single(await _service.GetAsync<List<ErrandView>>("errands"));
        Assert.Equal(("pack-1", ErrandWord.Pack, "lanternpost", 2), (errand.Name, errand.Kind, errand.From, errand.People));
        // Somebody who is packed may move as well, and the plan may change meanwhile.
        Assert.Equal(0, (await _service.ApplyAsync(Plan + "\n", ("crew.csv", Roster))).Code);
        Assert.All(await _service.MovesAsync("pack-1"), m => Assert.Equal((MoveStage.InStep, 5L), (m.Stage, m.Counts.Carried)));
        Assert.Contains(
            "pack-1",
            (await _service.RunAsync("today")).Out + (await _service.RunAsync("moves", "pack-1")).Out,
            StringComparison.Ordinal
        );
        var without = Plan.Replace("lanternpost", "oldlamp", StringComparison.Ordinal);
        var refused = await _service.ApplyAsync(without, ("crew.csv", Roster));
        Assert.Equal(2, refused.Code);
        Assert.Contains("pack-1", refused.Error, StringComparison.Ordinal);
        var clash = await _service.ApplyAsync(Plan.Replace("crossing", "pack-1", StringComparison.Ordinal), ("crew.csv", Roster));
        Assert.Contains("'pack-1' is what the service calls an errand", clash.Error, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Asked_for_twice_with_one_key_it_is_done_once()
    {
        var request = new PackRequest("k1", [Aoife], null, null, null, null, null, null, null, null, null, null, null, null, null);
        for (var i = 0; i < 2; i++)
            Assert.Equal("pack-1", (await PostAsync<ErrandView>("parcels/pack", request)).Name);
        Assert.Single(await _service.GetAsync<List<ErrandView>>("errands"));
    }

    [Theory]
    [InlineData("nobody@saltmarsh.example", "No roster has the account")]
    [InlineData("--folder=", "'' is not a folder path")]
    [InlineData("--place=../elsewhere", "does not lie below")]
    public async Task What_cannot_be_packed_is_refused_with_what_to_do(string what, string told)
    {
        var ran = what.StartsWith("--", StringComparison.Ordinal)
            ? await _service.RunAsync("parcel", "pack", Aoife, what.Split('=')[0], what.Split('=')[1])
            : await _service.RunAsync("parcel", "pack", what);
        Assert.Equal(1, ran.Code);
        Assert.Contains(told, ran.Error, StringComparison.Ordinal);
        Assert.Empty(await _service.GetAsync<List<ErrandView>>("errands"));
    }

    [Fact]
    public async Task An_errand_is_shown_with_parcels_and_not_as_a_part_of_the_plan()
    {
        await PackAsync(Aoife);
        Assert.Equal(["crew"], (await _service.GetAsync<PlanView>("plan")).Batches.Select(b => b.Name));
        Assert.Equal(["lanternpost", "northquay"], (await _service.GetAsync<List<ServiceView>>("services")).Select(s => s.Name).Order());
        using var rules = await _service.Api.GetAsync("/api/v1/routes/pack-1/folders");
        Assert.Equal(HttpStatusCode.Conflict, rules.StatusCode);
        using var none = await _service.Api.GetAsync("/api/v1/routes/nowhere/folders");
        Assert.Equal(HttpStatusCode.NotFound, none.StatusCode);
    }

    [Fact]
    public async Task Its_files_are_fetched_in_ranges_and_each_fetch_stands_in_the_journal()
    {
        await PackAsync(Aoife);
        var file = $"{Aoife} 2026-11-30.zip";
        var octets = await File.ReadAllBytesAsync(Path.Combine(Place, file));
        var url = $"/api/v1/parcels/file?place=parcels&part={Uri.EscapeDataString(file)}";
        Assert.Equal(octets, await _service.Api.GetByteArrayAsync(url));
        using var rest = new HttpRequestMessage(HttpMethod.Get, url) { Headers = { Range = new RangeHeaderValue(1000, null) } };
        using var answer = await _service.Api.SendAsync(rest);
        Assert.Equal(
            (HttpStatusCode.PartialContent, octets.Length - 1000),
            (answer.StatusCode, (await answer.Content.ReadAsByteArrayAsync()).Length)
        );
        var journal = await _service.GetAsync<Page<JournalEntry>>("journal?search=fetched");
        Assert.Contains(file, Assert.Single(journal.Items).Text, StringComparison.Ordinal);
        foreach (var hostile in new[] { "../../admin.token", "/etc/passwd", "..%2F..%2Fadmin.token", "a/b.zip", "x.zip" })
        foreach (var place in new[] { "parcels", "..", "/" })
            Assert.True(
                (int)(await _service.Api.GetAsync($"/api/v1/parcels/file?place={Uri.EscapeDataString(place)}&part={hostile}")).StatusCode
                    is 404
                        or 409
            );
    }

    [Fact]
    public async Task Looked_into_it_tells_folders_and_texts_and_executes_nothing()
    {
        await PackAsync(Aoife);
        var name = $"{Aoife} 2026-11-30";
        var contents = await PostAsync<ParcelContents>("parcels/contents", new ParcelLookRequest("parcels", name, null));
        Assert.Equal(["INBOX 4", "Trash 1"], contents.Folders.Select(f => $"{f.Name} {f.Items}"));
        var search = new ParcelSearchRequest("parcels", name, null, null, MoveKind.Mail, null, null, "tide", null, null, null, 3);
        var first = await PostAsync<Page<ParcelItemView>>("parcels/items", search);
        var second = await PostAsync<Page<ParcelItemView>>("parcels/items", search with { Cursor = first.Next });
        Assert.Equal((3, 1, null), (first.Items.Count, second.Items.Count, second.Next));
        Assert.Empty((await PostAsync<Page<ParcelItemView>>("parcels/items", search with { Kind = MoveKind.Contacts })).Items);
        var item = first.Items[0];
        var text = await PostAsync<ParcelItemText>("parcels/text", new ParcelItemRequest("parcels", name, null, item.File, item.Path));
        Assert.Equal(
            ("Tide 0", true, true),
            (text.Headers.First(h => h.Field == "Subject").Value, text.IsHtml, text.Text.Contains("<script>", StringComparison.Ordinal))
        );
    }

    [Fact]
    public async Task As_of_an_earlier_day_it_shows_and_opens_what_was_there_then()
    {
        await PackAsync(Aoife);
        var name = $"{Aoife} 2026-11-30";
        _clock.Advance(TimeSpan.FromDays(3));
        _from.Find(Aoife)!.Find("INBOX")!.Add("Message-ID: <late@x>\r\nSubject: Late\r\n\r\nx\r\n"u8.ToArray(), [], _clock.GetUtcNow());
        await RunAsync("catch-up", "pack-1", "--wait");
        Assert.Equal(2, Directory.GetFiles(Place).Length);

        var file = Path.Combine(Place, name + ".zip");
        async Task<string> SubjectsAsync(params string[] asOf) =>
            string.Join(
                ' ',
                (await _service.RunAsync(["parcel", "show", file, "--folder", "INBOX", "--output", "csv", .. asOf]))
                    .Out.Split('\n')
                    .Select(l => System.Text.RegularExpressions.Regex.Match(l, "Tide [0-9]|Late").Value)
                    .Where(v => v.Length > 0)
                    .Order()
            );
        Assert.Equal("Late Tide 0 Tide 1 Tide 2 Tide 3", await SubjectsAsync());
        Assert.Equal("Tide 0 Tide 1 Tide 2 Tide 3", await SubjectsAsync("--as-of", "2026-12-01"));
        var early = await _service.RunAsync("parcel", "show", file, "--as-of", "2026-11-29");
        Assert.NotEqual(0, early.Code);

        Assert.Equal(
            0,
            (await RunAsync("parcel", "open", name, "--into", Aoife, "--at", "northquay", "--as-of", "2026-12-01", "--wait")).Code
        );
        Assert.Equal(4, _to.Find(Aoife)!.Find("INBOX")!.Messages.Count);
        // Opened again as it is: only what came later is new.
        Assert.Equal(0, (await RunAsync("parcel", "open", name, "--into", Aoife, "--at", "northquay", "--wait")).Code);
        Assert.Equal(5, _to.Find(Aoife)!.Find("INBOX")!.Messages.Count);
    }

    [Fact]
    public async Task Kept_until_a_day_it_is_deleted_then_and_that_stands_in_the_journal()
    {
        Assert.Equal(0, (await PackAsync(Aoife, "--keep-until", "2026-12-02")).Code);
        Assert.Single(Directory.GetFiles(Place));
        await _clock.PassUntilAsync(async () =>
        {
            _clock.Advance(TimeSpan.FromHours(6));
            return (await _service.GetAsync<List<ErrandView>>("errands"))[0].DeletedAt is not null;
        });
        Assert.Empty(Directory.GetFiles(Place));
        Assert.True(_clock.GetUtcNow() >= new DateTimeOffset(2026, 12, 2, 0, 0, 0, TimeSpan.Zero));
        Assert.Contains(
            "deleted 1 file(s)",
            (await _service.GetAsync<Page<JournalEntry>>("journal?search=deleted")).Items[0].Text,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_term_of_its_own_outweighs_what_was_said_when_it_was_packed()
    {
        await PackAsync(Aoife, "--keep-until", "2026-12-02");
        await PackAsync(Bram, "--keep-until", "2026-12-02");
        var name = $"{Aoife} 2026-11-30";
        // Sent in by somebody: nobody packed it here.
        File.Copy(Path.Combine(Place, name + ".zip"), Path.Combine(Place, "sent in.zip"));
        var kept = await _service.RunAsync("parcel", "keep", name);
        Assert.True(kept.Code == 0, kept.Error);
        Assert.Equal(0, (await _service.RunAsync("parcel", "keep", "sent in", "--until", "2026-12-04")).Code);
        var until = (await _service.GetAsync<List<ParcelView>>("parcels")).ToDictionary(p => p.Name, p => p.KeepUntil);
        Assert.Equal((null, 4, 2), (until[name], until["sent in"]?.Day, until[$"{Bram} 2026-11-30"]?.Day));

        var passed = await _service.RunAsync("parcel", "keep", name, "--until", "2026-11-01");
        Assert.Equal(1, passed.Code);
        Assert.Contains("has passed", passed.Error, StringComparison.Ordinal);
        Assert.Contains("There is no parcel", (await _service.RunAsync("parcel", "keep", "nobody's")).Error, StringComparison.Ordinal);

        await _clock.PassUntilAsync(() =>
        {
            _clock.Advance(TimeSpan.FromHours(6));
            return Task.FromResult(Directory.GetFiles(Place).Length == 1);
        });
        Assert.Equal(name + ".zip", Path.GetFileName(Assert.Single(Directory.GetFiles(Place))));
        Assert.True(_clock.GetUtcNow() >= new DateTimeOffset(2026, 12, 4, 0, 0, 0, TimeSpan.Zero));
        var journal = await _service.GetAsync<Page<JournalEntry>>("journal?search=sent+in");
        Assert.Contains(journal.Items, e =>
            e.Text.StartsWith("deleted the parcel sent in of parcels, 1 file(s)", StringComparison.Ordinal)
        );
        Assert.Contains(journal.Items, e => e.Text.EndsWith("until 2026-12-04 00:00 UTC", StringComparison.Ordinal));
        // One that gets its name later is kept by nobody's word.
        await _service.Api.DeleteAsync($"/api/v1/parcels/{Uri.EscapeDataString(name)}?place=parcels");
        await PackAsync(Aoife);
        Assert.All(await _service.GetAsync<List<ParcelView>>("parcels"), p => Assert.Null(p.KeepUntil));
    }

    [Fact]
    public async Task Deleted_by_hand_it_is_gone_with_all_its_files()
    {
        await PackAsync(Aoife, "--part-size", "1kB");
        Assert.True(Directory.GetFiles(Place).Length > 2);
        var answer = await _service.Api.DeleteAsync($"/api/v1/parcels/{Uri.EscapeDataString($"{Aoife} 2026-11-30")}?place=parcels");
        Assert.Equal(HttpStatusCode.NoContent, answer.StatusCode);
        Assert.Empty(Directory.GetFiles(Place));
    }

    [Fact]
    public async Task Sealed_by_this_installation_it_is_told_from_one_that_another_made()
    {
        await PackAsync(Aoife);
        var path = Path.Combine(Place, $"{Aoife} 2026-11-30.zip");
        var check = await _service.RunAsync("parcel", "check", path);
        Assert.Contains("sealed by the key ", check.Out, StringComparison.Ordinal);
        var print = check.Out.Split("sealed by the key ")[1].Trim().TrimEnd('.').ReplaceLineEndings("");
        Assert.Equal(0, (await _service.RunAsync("parcel", "check", path, "--key", print)).Code);
        var other = await _service.RunAsync("parcel", "check", path, "--key", "another");
        Assert.Equal((1, true), (other.Code, other.Error.Contains("another key sealed it", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task Fetched_and_sent_in_it_goes_on_where_it_was_broken_off_and_is_there_only_when_it_is_sound()
    {
        await PackAsync(Aoife);
        var name = $"{Aoife} 2026-11-30";
        var there = Path.Combine(Place, name + ".zip");
        var octets = await File.ReadAllBytesAsync(there);
        var here = Directory.CreateTempSubdirectory("here").FullName;
        var file = Path.Combine(here, name + ".zip");
        // The first fetch was lost in the middle.
        await File.WriteAllBytesAsync(file + ".coming", octets[..777]);
        Assert.Equal(0, (await _service.RunAsync("parcel", "fetch", name, "--to", here)).Code);
        Assert.Equal(octets, await File.ReadAllBytesAsync(file));
        Assert.Equal(1, (await _service.RunAsync("parcel", "fetch", name, "--to", here)).Code);
        var double_ = await _service.RunAsync("parcel", "send", file);
        Assert.Equal((1, true), (double_.Code, double_.Error.Contains("already", StringComparison.Ordinal)));
        File.Delete(there);

        // Damaged on the way: it is not taken, and is sent from its begin the next time.
        await File.WriteAllBytesAsync(file, [.. octets[..500], (byte)(octets[500] ^ 1), .. octets[501..]]);
        var damaged = await _service.RunAsync("parcel", "send", file);
        Assert.Equal((1, true), (damaged.Code, damaged.Error.Contains("was not taken", StringComparison.Ordinal)));
        Assert.Empty(await _service.GetAsync<List<ParcelView>>("parcels"));
        Assert.Empty(await _service.GetAsync<List<ParcelArrivalView>>("parcels/arriving?place=parcels"));

        await File.WriteAllBytesAsync(file, octets);
        Assert.Equal(HttpStatusCode.OK, await PutAsync(name + ".zip", 0, octets.Length, octets[..1000]));
        // Whoever thinks that more or less has arrived is told how much has.
        foreach (var at in new[] { 0, 500, 1500 })
            Assert.Equal(HttpStatusCode.Conflict, await PutAsync(name + ".zip", at, octets.Length, octets[at..]));
        Assert.Equal(1000, Assert.Single(await _service.GetAsync<List<ParcelArrivalView>>("parcels/arriving?place=parcels")).Octets);
        var sent = await _service.RunAsync("parcel", "send", file);
        Assert.True(sent.Code == 0, sent.Error);
        Assert.Equal(octets, await File.ReadAllBytesAsync(there));
        Assert.Equal(0, (await _service.RunAsync("parcel", "check", there)).Code);
        Assert.Contains((await _service.GetAsync<Page<JournalEntry>>("journal?search=sent the parcel")).Items, e =>
            e.Text.Contains("as they were packed", StringComparison.Ordinal)
        );
        foreach (var hostile in new[] { "../x.zip", "/etc/x.zip", "a/../../x.zip", "x.txt", "CON.zip" })
            Assert.Equal(HttpStatusCode.BadRequest, await PutAsync(hostile, 0, 1, [1]));
        Directory.Delete(here, recursive: true);
    }

    private async Task<HttpStatusCode> PutAsync(string part, long at, long length, byte[] octets)
    {
        using var content = new ByteArrayContent(octets);
        var query = $"place=parcels&part={Uri.EscapeDataString(part)}&at={at}&length={length}";
        using var answer = await _service.Api.PutAsync($"/api/v1/parcels/arriving?{query}", content);
        return answer.StatusCode;
    }

    [Fact]
    public async Task The_cover_sheet_tells_what_whose_when_by_whom_and_all_digests()
    {
        await PackAsync(Aoife);
        var secret = Path.Combine(_service.Folder, "secret.txt");
        await File.WriteAllTextAsync(secret, "salt\n");
        await PackAsync(Bram, "--password-file", secret);
        var octets = await File.ReadAllBytesAsync(Path.Combine(Place, $"{Aoife} 2026-11-30.zip"));
        var page = await _service.Api.GetStringAsync(
            $"/api/v1/parcels/cover?place=parcels&parcel={Uri.EscapeDataString($"{Aoife} 2026-11-30")}"
        );
        foreach (
            var told in new[]
            {
                Aoife,
                "lanternpost",
                "2026-11-30",
                "admin",
                "INBOX",
                "2025-06-01 to 2026-11-30",
                Convert.ToHexStringLower(System.Security.Cryptography.SHA256.HashData(octets)),
                "--key ",
            }
        )
            Assert.Contains(told, page, StringComparison.Ordinal);

        var sheet = Path.Combine(_service.Folder, "cover.html");
        var refused = await _service.RunAsync("parcel", "cover", $"{Bram} 2026-11-30", "--to", sheet);
        Assert.Equal((1, true), (refused.Code, refused.Error.Contains("Give the password", StringComparison.Ordinal)));
        Assert.Equal(0, (await _service.RunAsync("parcel", "cover", $"{Bram} 2026-11-30", "--to", sheet, "--password-file", secret)).Code);
        Assert.Contains("AES-256", await File.ReadAllTextAsync(sheet), StringComparison.Ordinal);
    }

    private async Task<Ran> PackAsync(string who, params string[] options)
    {
        var ran = await RunAsync(["parcel", "pack", who, "--wait", .. options]);
        Assert.True(ran.Code == 0, ran.Out + ran.Error);
        return ran;
    }

    /// <summary>While the client waits, time goes on.</summary>
    private async Task<Ran> RunAsync(params string[] arguments)
    {
        var asked = _service.RunAsync(arguments);
        while (!asked.IsCompleted)
        {
            _clock.Advance(TimeSpan.FromSeconds(1));
            await Task.WhenAny(asked, Task.Delay(20));
        }
        return await asked;
    }

    private async Task<T> PostAsync<T>(string path, object body)
    {
        using var answer = await _service.Api.PostAsJsonAsync($"/api/v1/{path}", body, ContractJson.Options);
        Assert.True(answer.IsSuccessStatusCode, await answer.Content.ReadAsStringAsync());
        return (await answer.Content.ReadFromJsonAsync<T>(ContractJson.Options))!;
    }
}
