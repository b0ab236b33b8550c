using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>
/// Nobody gets an invitation, an update or a cancellation because an event was carried to a server that sends such things.
/// </summary>
public sealed class SilenceTests(SendingDavServers servers) : IClassFixture<SendingDavServers>
{
    private const string Outside = "guest@lanternpost.example";

    /// <param name="hasSwitch">Whether the server lets its sending be switched off.</param>
    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task Events_with_guests_are_carried_edited_and_deleted_in_silence(bool hasSwitch)
    {
        var (organiser, guest) = (await servers.NewPersonAsync(), await servers.NewPersonAsync());
        using var old = servers.Witness(DavMake.Radicale, organiser);
        var calendar = $"{DavServers.HomeOf(DavMake.Radicale, organiser, contacts: false)}work/";
        await old.MakeAsync(calendar, "Work", contacts: false);
        for (var i = 0; i < 4; i++)
            Assert.Equal(201, await old.PutAsync($"{calendar}own{i}.ics", Event($"own{i}", organiser, guest, $"Meeting {i}"), false));
        for (var i = 0; i < 4; i++)
            Assert.Equal(201, await old.PutAsync($"{calendar}theirs{i}.ics", Event($"theirs{i}", guest, organiser, $"Their {i}"), false));
        using var invited = servers.Witness(DavMake.Cyrus, guest);
        var (inbox, own) = (
            DavServers.HomeOf(DavMake.Cyrus, guest, false) + "Inbox/",
            DavServers.HomeOf(DavMake.Cyrus, guest, false) + "Default/"
        );
        var before = servers.Counted;

        await using var log = new RequestLog(servers.AddressOf(DavMake.Cyrus), hasSwitch ? null : "scheduling-enabled");
        await using var service = await TestService.StartAsync();
        var plan = DavServers.PlanBetween(servers.AddressOf(DavMake.Radicale), log.Address, ", carry: [calendars], deletions: follow");
        Assert.Equal("", (await service.ApplyAsync(plan, ("crew.csv", DavServers.Roster([organiser])))).Error);
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew");
        Assert.InRange(await old.PutAsync($"{calendar}own1.ics", Event("own1", organiser, guest, "Meeting 1 elsewhere"), false), 200, 299);
        Assert.InRange(
            await old.PutAsync($"{calendar}theirs1.ics", Event("theirs1", guest, organiser, "Their 1 elsewhere"), false),
            200,
            299
        );
        await old.DeleteAsync($"{calendar}own2.ics");
        await service.RunAsync("catch-up", "crew");
        await service.UntilInStepAsync("crew");

        using var fresh = servers.Witness(DavMake.Cyrus, organiser);
        // The only calendar is the standard one, on either side.
        var there = $"{DavServers.HomeOf(DavMake.Cyrus, organiser, false)}Default/";
        var events = (await fresh.GetAllAsync(there)).Values.ToDictionary(e => new PlainItem(e).Uid);
        // Without the switch a deletion cannot be silent, so that it is not made.
        Assert.Equal(hasSwitch ? 7 : 8, events.Count);
        Assert.Contains("Meeting 1 elsewhere", events["own1"], StringComparison.Ordinal);
        Assert.Contains("Their 1 elsewhere", events["theirs1"], StringComparison.Ordinal);
        Assert.Equal((before, 0, 0), (servers.Counted, (await invited.ListAsync(inbox)).Count, (await invited.ListAsync(own)).Count));

        // To take it all back is silent too. Without the switch a deletion would send cancellations, so that those events stay.
        var taken = await service.RunAsync("take-back", "crew", "--move", organiser, "--account", organiser);
        Assert.True(taken.Code == (hasSwitch ? 0 : 3), taken.Out + taken.Error);
        Assert.Equal(hasSwitch ? 0 : 8, (await fresh.ListAsync(there)).Count);
        Assert.Equal(!hasSwitch, taken.Out.Contains("would send a cancellation", StringComparison.Ordinal));
        Assert.Equal((before, 0, 0), (servers.Counted, (await invited.ListAsync(inbox)).Count, (await invited.ListAsync(own)).Count));

        // That this server sends at all, and that it does so again for what the person does now.
        Assert.Equal(201, await fresh.PutAsync($"{there}later.ics", Event("later", organiser, guest, "Later"), false));
        await TestService.UntilAsync(async () =>
            servers.Counted.Accepted > before.Accepted
            && servers.Counted.Recipients > before.Recipients
            && (await invited.ListAsync(own)).Count + (await invited.ListAsync(inbox)).Count > 0
        );
    }

    private static string Event(string uid, string organiser, string guest, string summary) =>
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Saltmarsh Ferries//Timetable//EN\r\nBEGIN:VEVENT\r\n"
        + $"UID:{uid}\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20991212T180000Z\r\nDTEND:20991212T190000Z\r\nSUMMARY:{summary}\r\n"
        + $"ORGANIZER:mailto:{organiser}\r\nATTENDEE;PARTSTAT=ACCEPTED:mailto:{organiser}\r\n"
        + $"ATTENDEE;PARTSTAT=NEEDS-ACTION;RSVP=TRUE:mailto:{guest}\r\nATTENDEE;PARTSTAT=NEEDS-ACTION;RSVP=TRUE:mailto:{Outside}\r\n"
        + "END:VEVENT\r\nEND:VCALENDAR\r\n";
}
