using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>Catch-ups carry what changed, cost what changed, and overwrite nothing that somebody edited on the new side.</summary>
public sealed class CollectionCatchUpTests(DavServers servers) : IClassFixture<DavServers>
{
    [Theory]
    [InlineData(DavMake.Radicale, DavMake.Cyrus)]
    [InlineData(DavMake.Cyrus, DavMake.Xandikos)]
    [InlineData(DavMake.Xandikos, DavMake.Radicale)]
    public async Task Edits_additions_deletions_and_conflicts_arrive_and_nothing_else_is_asked(DavMake from, DavMake to)
    {
        var person = await servers.NewPersonAsync();
        await servers.FillAsync(from, person);
        await using var fromLog = new RequestLog(servers.AddressOf(from));
        await using var toLog = new RequestLog(servers.AddressOf(to));
        await using var service = await TestService.StartAsync();
        var plan = DavServers.PlanBetween(fromLog.Address, toLog.Address);
        Assert.Equal("", (await service.ApplyAsync(plan, ("crew.csv", DavServers.Roster([person])))).Error);
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew");
        using var old = servers.Witness(from, person);
        using var fresh = servers.Witness(to, person);

        // Nothing changed: a request to each home, for each kind.
        await CatchUpAsync(service, fromLog, toLog);
        Assert.Equal((2, 2), (fromLog.Take().Count(r => r.StartsWith("PROPFIND", StringComparison.Ordinal)), toLog.Take().Count));

        foreach (var contacts in new[] { true, false })
        {
            var book = await FindAsync(old, from, person, contacts);
            var there = await FindAsync(fresh, to, person, contacts);
            var before = await fresh.GetAllAsync(there);
            var items = (await old.GetAllAsync(book)).OrderBy(i => i.Key, StringComparer.Ordinal).Skip(6).Take(4).ToList();
            var (edited, deleted, clashing) = (items[0], items[1], items[2]);
            await old.PutAsync(edited.Key, Edit(edited.Value, "edited on the old side"), contacts);
            await old.PutAsync(clashing.Key, Edit(clashing.Value, "one way"), contacts);
            var clash = before.Single(i => new PlainItem(i.Value).Uid == new PlainItem(clashing.Value).Uid);
            await fresh.PutAsync(clash.Key, Edit(clash.Value, "another way"), contacts);
            await old.DeleteAsync(deleted.Key);
            var added = Edit(edited.Value.Replace(new PlainItem(edited.Value).Uid, "added-later", StringComparison.Ordinal), "added later");
            await old.PutAsync($"{book}added-later{(contacts ? ".vcf" : ".ics")}", added, contacts);

            await CatchUpAsync(service, fromLog, toLog);
            var now = (await fresh.GetAllAsync(there)).Values.ToDictionary(t => new PlainItem(t).Uid);
            Assert.Contains("edited on the old side", now[new PlainItem(edited.Value).Uid], StringComparison.Ordinal);
            Assert.Contains("added later", now["added-later"], StringComparison.Ordinal);
            Assert.Contains("another way", now[new PlainItem(clashing.Value).Uid], StringComparison.Ordinal);
            // By default what was carried stays.
            Assert.Contains(new PlainItem(deleted.Value).Uid, now.Keys);
            Assert.Equal(before.Count + 1, now.Count);
            var left = await service.ListAllAsync<LeftBehindView>("batches/crew/left-behind");
            Assert.Contains("edited-on-both-sides", left.Select(l => l.Problem.Cause));
        }

        // And it costs nothing again.
        await CatchUpAsync(service, fromLog, toLog);
        Assert.Equal((2, 2), (fromLog.Take().Count, toLog.Take().Count));
    }

    private static async Task<string> FindAsync(PlainDav dav, DavMake make, string person, bool contacts) =>
        (await dav.CollectionsAsync(DavServers.HomeOf(make, person, contacts), contacts)).Single(c => c.Name == "Crew").Path;

    /// <summary>A pass whose requests alone are in the logs afterwards.</summary>
    private static async Task CatchUpAsync(TestService service, RequestLog from, RequestLog to)
    {
        _ = from.Take();
        _ = to.Take();
        var ran = await service.RunAsync("catch-up", "crew");
        Assert.Equal(0, ran.Code);
        await service.UntilInStepAsync("crew");
    }

    private static string Edit(string text, string note)
    {
        var at = text.Contains("END:VCARD", StringComparison.Ordinal) ? "END:VCARD" : "END:VEVENT";
        var property = at == "END:VCARD" ? "NOTE" : "COMMENT";
        return text.Replace(at, $"{property}:{note}\r\n{at}", StringComparison.Ordinal);
    }
}
