using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>
/// Contacts and calendars are taken back on servers of three makes, and a client that shares no code with the product compares what the new
/// side holds before and after.
/// </summary>
public sealed class CollectionTakeBackTests(DavServers servers) : IClassFixture<DavServers>
{
    [Theory]
    [InlineData(DavMake.Radicale, DavMake.Cyrus)]
    [InlineData(DavMake.Cyrus, DavMake.Xandikos)]
    [InlineData(DavMake.Xandikos, DavMake.Radicale)]
    public async Task Contacts_and_events_go_and_what_was_there_is_as_it_was(DavMake from, DavMake to)
    {
        var person = await servers.NewPersonAsync();
        using var fresh = servers.Witness(to, person);
        var book = $"{DavServers.HomeOf(to, person, contacts: true)}mine/";
        await fresh.MakeAsync(book, "Mine", contacts: true);
        // The same person as one on the old side, who gets a telephone number from there, and another one.
        await fresh.PutAsync($"{book}aoife.vcf", Card("aoife", "EMAIL:aoife@lanternpost.example", "NOTE:hers"), contacts: true);
        await fresh.PutAsync($"{book}cathal.vcf", Card("cathal", "NOTE:his"), contacts: true);
        using (var old = servers.Witness(from, person))
        {
            var (crew, work) = (
                $"{DavServers.HomeOf(from, person, contacts: true)}crew/",
                $"{DavServers.HomeOf(from, person, contacts: false)}work/"
            );
            await old.MakeAsync(crew, "Crew", contacts: true);
            await old.MakeAsync(work, "Work", contacts: false);
            for (var i = 0; i < 6; i++)
            {
                await old.PutAsync($"{crew}{Items.Contact(i).File}", Items.Contact(i).Text, contacts: true);
                await old.PutAsync($"{work}{Items.Event(i).File}", Items.Event(i).Text, contacts: false);
            }
            var there = $"{DavServers.HomeOf(from, person, contacts: true)}mine/";
            await old.MakeAsync(there, "Mine", contacts: true);
            await old.PutAsync(
                $"{there}aoife.vcf",
                Card("aoife", "EMAIL:aoife@lanternpost.example", "TEL;TYPE=CELL:+353 1 555 0100"),
                contacts: true
            );
        }
        var before = await SnapshotAsync(to, person);
        await using var service = await TestService.StartAsync();
        var plan = DavServers.PlanBetween(
            servers.AddressOf(from),
            servers.AddressOf(to),
            ", carry: [contacts, calendars], contacts: {doubles: merge}"
        );
        Assert.Equal("", (await service.ApplyAsync(plan, ("crew.csv", DavServers.Roster([person])))).Error);
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew", seconds: 120);
        Assert.Contains("555 0100", string.Concat((await fresh.GetAllAsync(book)).Values), StringComparison.Ordinal);
        var carried = await SnapshotAsync(to, person);

        Assert.Equal(0, (await service.RunAsync("take-back", "crew", "--move", person, "--check")).Code);
        Assert.Equal(carried, await SnapshotAsync(to, person));
        var done = await service.RunAsync("take-back", "crew", "--move", person, "--account", person);
        var view = await service.GetAsync<TakeBackView>($"batches/crew/take-back?move={person}");
        Assert.Equal((12L, 1L, 0L), (view.Removed, view.Restored, view.NotThere));
        Assert.True(done.Code == 0, done.Out + done.Error);
        Assert.Equal(before, await SnapshotAsync(to, person));
    }

    private static string Card(string uid, params string[] lines) =>
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:{uid}\r\nFN:Sailor {uid}\r\nN:{uid};Sailor;;;\r\n{string.Concat(lines.Select(l => $"{l}\r\n"))}"
        + "END:VCARD\r\n";

    /// <summary>Every collection, and every item by what it says: some servers write down anew what they are given.</summary>
    private async Task<List<string>> SnapshotAsync(DavMake make, string person)
    {
        using var witness = servers.Witness(make, person);
        var lines = new List<string>();
        foreach (var contacts in new[] { true, false })
        foreach (var (path, name) in await witness.CollectionsAsync(DavServers.HomeOf(make, person, contacts), contacts))
        {
            lines.Add($"{path} {name}");
            foreach (var (file, text) in (await witness.GetAllAsync(path)).OrderBy(i => i.Key, StringComparer.Ordinal))
                lines.Add($"{path}{file} {string.Join(' ', new PlainItem(text).Lines.Order(StringComparer.Ordinal))}");
        }
        return lines;
    }
}
