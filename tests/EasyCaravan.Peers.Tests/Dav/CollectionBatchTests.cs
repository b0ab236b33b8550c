using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>
/// Whole batches of address books and calendars between servers of unlike makes, compared object by object by a client that shares no code
/// with the product.
/// </summary>
public sealed class CollectionBatchTests(DavServers servers) : IClassFixture<DavServers>
{
    [Theory]
    [InlineData(DavMake.Radicale, DavMake.Cyrus)]
    [InlineData(DavMake.Cyrus, DavMake.Xandikos)]
    [InlineData(DavMake.Xandikos, DavMake.Radicale)]
    public Task Every_object_is_the_same_or_is_reported(DavMake from, DavMake to) => CarryAsync(from, to, persons: 3);

    [Theory(Explicit = true)]
    [InlineData(DavMake.Radicale, DavMake.Cyrus)]
    [InlineData(DavMake.Cyrus, DavMake.Xandikos)]
    [InlineData(DavMake.Xandikos, DavMake.Radicale)]
    public Task Every_object_of_twenty_people_is_the_same_or_is_reported(DavMake from, DavMake to) => CarryAsync(from, to, persons: 20);

    private async Task CarryAsync(DavMake from, DavMake to, int persons)
    {
        var people = new List<string>();
        for (var i = 0; i < persons; i++)
            people.Add(await servers.NewPersonAsync());
        foreach (var person in people)
            await servers.FillAsync(from, person);
        await using var service = await TestService.StartAsync();
        var applied = await service.ApplyAsync(servers.PlanBetween(from, to), ("crew.csv", DavServers.Roster(people)));
        Assert.Equal("", applied.Error);
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew", seconds: 60 + 30 * persons);
        var left = await service.ListAllAsync<LeftBehindView>("batches/crew/left-behind");
        foreach (var person in people)
            await CompareAsync(from, to, person, [.. left.Where(l => l.Account == person)]);
    }

    private async Task CompareAsync(DavMake from, DavMake to, string person, List<LeftBehindView> left)
    {
        using var old = servers.Witness(from, person);
        using var fresh = servers.Witness(to, person);
        foreach (var contacts in new[] { true, false })
        {
            var there = new List<(string Collection, PlainItem Item)>();
            foreach (var (path, name) in await fresh.CollectionsAsync(DavServers.HomeOf(to, person, contacts), contacts))
                there.AddRange((await fresh.GetAllAsync(path)).Values.Select(t => (name, new PlainItem(t))));
            foreach (var (path, name) in await old.CollectionsAsync(DavServers.HomeOf(from, person, contacts), contacts))
            foreach (var (file, text) in await old.GetAllAsync(path))
            {
                var item = new PlainItem(text);
                var found = there.Where(t => t.Item.Uid == item.Uid && t.Collection == name).ToList();
                Assert.InRange(found.Count, 0, 1);
                var isSame = found.Count == 1 && found[0].Item.SaysAllOf(item);
                var isReported = left.Exists(l => item.Lines.Any(s => s.EndsWith($":{l.Subject}", StringComparison.Ordinal)));
                var told = string.Join(", ", left.Select(l => l.Subject));
                var others = string.Join('\n', found.SelectMany(f => f.Item.Lines));
                Assert.True(
                    isSame || isReported,
                    $"{from} to {to}, {file} is not the same and not reported:\n{string.Join('\n', item.Lines)}\n--- there:\n{others}\n"
                        + $"--- reported: {told}"
                );
                if (isSame && isReported)
                    TestContext.Current.TestOutputHelper?.WriteLine(
                        $"{from} to {to}: {name}/{file} is reported although it looks the same"
                    );
            }
        }
    }
}
