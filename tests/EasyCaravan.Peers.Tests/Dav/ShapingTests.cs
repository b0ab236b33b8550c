using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>What one server takes and another refuses arrives where the route allows that it is changed, and is told.</summary>
public sealed class ShapingTests(DavServers servers) : IClassFixture<DavServers>
{
    private const string All =
        "[schedule-agent, missing-uid, missing-prodid, missing-name, method, no-duration, split-uids, vcard-version]";

    [Fact]
    public async Task What_Cyrus_refuses_arrives_shaped_and_the_waybill_counts_it()
    {
        var person = await servers.NewPersonAsync();
        using var old = servers.Witness(DavMake.Xandikos, person);
        var calendar = $"{DavServers.HomeOf(DavMake.Xandikos, person, contacts: false)}odd/";
        var book = $"{DavServers.HomeOf(DavMake.Xandikos, person, contacts: true)}odd/";
        await old.MakeAsync(calendar, "Odd", contacts: false);
        await old.MakeAsync(book, "Odd", contacts: true);
        (string File, string Text)[] events =
        [
            ("several.ics", Calendar("", Event("one"), Event("two"), Event("three"))),
            ("method.ics", Calendar("METHOD:PUBLISH\r\n", Event("method"))),
            ("both.ics", Calendar("METHOD:PUBLISH\r\n", Event("left"), Event("right"))),
            ("plain.ics", Calendar("", Event("plain"))),
            ("instant.ics", Calendar("", Event("instant").Replace("DURATION:PT1H\r\n", "", StringComparison.Ordinal))),
        ];
        (string File, string Text)[] cards =
        [
            ("nameless.vcf", "BEGIN:VCARD\r\nVERSION:3.0\r\nUID:nameless\r\nN:Marsh;Aoife;;;\r\nEND:VCARD\r\n"),
            ("nobody.vcf", "BEGIN:VCARD\r\nVERSION:3.0\r\nFN:Without a UID\r\nN:UID;Without;;;\r\nEND:VCARD\r\n"),
            ("old.vcf", "BEGIN:VCARD\r\nVERSION:2.1\r\nUID:old\r\nN:Weir;Bram\r\nFN:Bram Weir\r\nTEL;HOME;VOICE:+353 1\r\nEND:VCARD\r\n"),
        ];
        foreach (var (file, text) in events)
            Assert.InRange(await old.PutAsync($"{calendar}{file}", text, contacts: false), 200, 299);
        foreach (var (file, text) in cards)
            Assert.InRange(await old.PutAsync($"{book}{file}", text, contacts: true), 200, 299);

        await using var service = await TestService.StartAsync();
        var rules = $", contacts: {{shaping: {All}}}, calendars: {{shaping: {All}}}, carry: [contacts, calendars]";
        var plan = DavServers.PlanBetween(servers.AddressOf(DavMake.Xandikos), servers.AddressOf(DavMake.Cyrus), rules);
        Assert.Equal("", (await service.ApplyAsync(plan, ("crew.csv", DavServers.Roster([person])))).Error);
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew");

        using var fresh = servers.Witness(DavMake.Cyrus, person);
        Assert.Equal(["instant", "left", "method", "one", "plain", "right", "three", "two"], await UidsAsync(fresh, person, false));
        Assert.Equal(3, (await UidsAsync(fresh, person, true)).Count);
        var waybill = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((11L, 11L, 0L, true), (waybill.Total.Found, waybill.Total.Carried, waybill.Total.LeftBehind, waybill.Closes));
        var shaped = waybill.Shaped.ToDictionary(s => (s.Kind, s.Shaping), s => s.Items);
        // Of an object that was parted the first part stands for it.
        Assert.Equal(2, shaped[(MoveKind.Calendars, "split-uids")]);
        Assert.Equal(1, shaped[(MoveKind.Contacts, "vcard-version")]);
        Assert.Equal(1, shaped[(MoveKind.Contacts, "missing-uid")]);
        Assert.Equal(1, shaped[(MoveKind.Contacts, "missing-name")]);
        Assert.Equal(3, shaped[(MoveKind.Calendars, "method")]);
        Assert.Equal(1, shaped[(MoveKind.Calendars, "no-duration")]);

        await service.RunAsync("catch-up", "crew");
        await service.UntilInStepAsync("crew");
        Assert.Equal(["instant", "left", "method", "one", "plain", "right", "three", "two"], await UidsAsync(fresh, person, false));
        // One event of three is edited, and goes its own way.
        Assert.InRange(
            await old.PutAsync(
                $"{calendar}several.ics",
                Calendar(
                    "",
                    Event("one"),
                    Event("two").Replace("SUMMARY:two", "SUMMARY:two, later", StringComparison.Ordinal),
                    Event("three")
                ),
                contacts: false
            ),
            200,
            299
        );
        await service.RunAsync("catch-up", "crew");
        await service.UntilInStepAsync("crew");
        var now = await TextsAsync(fresh, person, false);
        Assert.Equal(8, now.Count);
        Assert.Single(now, t => t.Contains("two, later", StringComparison.Ordinal) || t.Contains("two\\, later", StringComparison.Ordinal));
        // Both sides read anew say so too.
        await service.RunAsync("compare", "crew", "--all", "--wait");
        var compared = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0].Comparison!;
        Assert.Equal((11L, 0L, 0L), (compared.Compared, compared.Differing, compared.Arrived));
    }

    private static async Task<List<string>> TextsAsync(PlainDav dav, string person, bool contacts)
    {
        var texts = new List<string>();
        foreach (var (path, _) in await dav.CollectionsAsync(DavServers.HomeOf(DavMake.Cyrus, person, contacts), contacts))
            texts.AddRange((await dav.GetAllAsync(path)).Values);
        return texts;
    }

    private static async Task<List<string>> UidsAsync(PlainDav dav, string person, bool contacts) =>
        [.. (await TextsAsync(dav, person, contacts)).Select(t => new PlainItem(t).Uid).Order(StringComparer.Ordinal)];

    private static string Calendar(string head, params string[] events) =>
        $"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Saltmarsh Ferries//Timetable//EN\r\n{head}{string.Concat(events)}END:VCALENDAR\r\n";

    private static string Event(string uid) =>
        $"BEGIN:VEVENT\r\nUID:{uid}\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20270212T180000Z\r\n"
        + $"DURATION:PT1H\r\nSUMMARY:{uid}\r\nEND:VEVENT\r\n";
}
