using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>The service is killed, and its connections are cut, while it carries contacts and events: nothing is lost or doubled.</summary>
public sealed class CollectionKillTests(DavServers servers) : IClassFixture<DavServers>
{
    /// <summary>What one contact or event takes at least on its way, in octets of both directions.</summary>
    private const int ItemOctets = 700;

    private const int Fresh = 25;

    [Fact]
    public Task Killed_in_mid_pass_it_goes_on() => KillAsync(6);

    /// <summary>Minutes long: run by <c>./test --long</c>.</summary>
    [Fact(Explicit = true)]
    public Task Killed_fifty_times_it_goes_on() => KillAsync(50);

    [Theory]
    [InlineData(DavMake.Cyrus)]
    [InlineData(DavMake.Xandikos)]
    public Task Cut_at_any_octet_it_goes_on(DavMake to) => CutAsync(to, 25);

    /// <summary>Minutes long: run by <c>./test --long</c>.</summary>
    [Theory(Explicit = true)]
    [InlineData(DavMake.Cyrus)]
    [InlineData(DavMake.Radicale)]
    public Task Cut_a_thousand_times_it_goes_on(DavMake to) => CutAsync(to, 1000);

    private async Task KillAsync(int kills)
    {
        var person = await servers.NewPersonAsync();
        using var old = await MakeAsync(person);
        await using var way = new CuttingProxy(servers.AddressOf(DavMake.Cyrus).Port, () => null);
        var folder = Directory.CreateTempSubdirectory("caravan-kill").FullName;
        await using (var service = await TestService.StartAsync(folder))
            await ApplyAsync(service, person, way);
        var chance = new Random(4711);
        var planted = 0;
        for (var life = 0; life < kills; life++)
        {
            planted = await PlantAsync(old, person, planted);
            using var process = await ServiceProcess.StartAsync(folder);
            var reached = way.PassedAsync(chance.Next(1, 2 * Fresh * ItemOctets));
            await process.ActAsync(life == 0 ? MoveAction.Start : MoveAction.CatchUp);
            await process.ActAsync(MoveAction.Retry);
            await reached;
            process.Kill();
        }
        await using (var last = await TestService.StartAsync(folder))
            await EndAsync(last, DavMake.Cyrus, person, planted);
        Directory.Delete(folder, recursive: true);
    }

    private async Task CutAsync(DavMake to, int cuts)
    {
        var person = await servers.NewPersonAsync();
        using var old = await MakeAsync(person);
        var chance = new Random(4711);
        var lives = true;
        await using var way = new CuttingProxy(servers.AddressOf(to).Port, () =>
            Volatile.Read(ref lives) ? chance.NextInt64(1, Fresh * ItemOctets) : null
        );
        await using var service = await TestService.StartAsync();
        await ApplyAsync(service, person, way);
        var planted = 0;
        await service.RunAsync("start", "crew");
        while (way.Cut < cuts)
        {
            planted = await PlantAsync(old, person, planted);
            var before = way.Cut;
            await service.RunAsync("catch-up", "crew");
            await TestService.UntilAsync(async () =>
            {
                // Whatever it waits for after a fault, it does not wait here.
                await service.RunAsync("retry", "crew");
                return way.Cut > before + (cuts / 10)
                    || way.Cut >= cuts
                    || (await service.MovesAsync("crew"))[0].Condition is MoveCondition.Idle;
            });
        }
        Volatile.Write(ref lives, false);
        await EndAsync(service, to, person, planted);
    }

    private async Task<PlainDav> MakeAsync(string person)
    {
        var old = servers.Witness(DavMake.Radicale, person);
        foreach (var contacts in new[] { true, false })
            await old.MakeAsync(BookOf(person, contacts), contacts ? "People" : "Sailings", contacts);
        return old;
    }

    private static string BookOf(string person, bool contacts) =>
        $"{DavServers.HomeOf(DavMake.Radicale, person, contacts)}{(contacts ? "people" : "sailings")}/";

    private async Task ApplyAsync(TestService service, string person, CuttingProxy way)
    {
        var plan = DavServers.PlanBetween(servers.AddressOf(DavMake.Radicale), new Uri($"http://127.0.0.1:{way.Port}/"));
        Assert.Equal("", (await service.ApplyAsync(plan, ("crew.csv", DavServers.Roster([person])))).Error);
    }

    /// <summary>More contacts and as many events.</summary>
    private static async Task<int> PlantAsync(PlainDav old, string person, int planted)
    {
        for (var i = planted; i < planted + Fresh; i++)
            foreach (var contacts in new[] { true, false })
            {
                var (file, text) = contacts ? Items.Contact(i) : Items.Event(i);
                Assert.Equal(201, await old.PutAsync($"{BookOf(person, contacts)}{file}", text, contacts));
            }
        return planted + Fresh;
    }

    /// <summary>A pass comes to its end, and each contact and event is there once, as it was.</summary>
    private async Task EndAsync(TestService service, DavMake to, string person, int planted)
    {
        await TestService.UntilAsync(
            async () =>
            {
                await service.RunAsync("retry", "crew");
                return (await service.MovesAsync("crew")).TrueForAll(m => m is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle });
            },
            seconds: 120
        );
        await service.RunAsync("catch-up", "crew");
        await service.UntilInStepAsync("crew");
        using var fresh = servers.Witness(to, person);
        foreach (var contacts in new[] { true, false })
        {
            var there = new List<PlainItem>();
            foreach (var (path, _) in await fresh.CollectionsAsync(DavServers.HomeOf(to, person, contacts), contacts))
                there.AddRange((await fresh.GetAllAsync(path)).Values.Select(t => new PlainItem(t)));
            var byUid = there.ToLookup(i => i.Uid);
            for (var i = 0; i < planted; i++)
            {
                var wanted = new PlainItem((contacts ? Items.Contact(i) : Items.Event(i)).Text);
                Assert.True(Assert.Single(byUid[wanted.Uid]).SaysAllOf(wanted));
            }
            Assert.Equal(planted, there.Count);
        }
        var waybill = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((2 * planted, true, 0L), (waybill.Total.Found, waybill.Closes, waybill.Missing));
        Assert.Equal(2 * planted, waybill.Total.Carried + waybill.Total.Paired);
    }
}
