using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>What is said of address books and calendars before anything moves.</summary>
public sealed class CollectionSurveyTests(DavServers servers) : IClassFixture<DavServers>
{
    [Theory]
    [InlineData(DavMake.Radicale, DavMake.Cyrus)]
    [InlineData(DavMake.Cyrus, DavMake.Radicale)]
    public async Task A_survey_counts_and_a_preview_and_a_trial_say_what_would_happen(DavMake from, DavMake to)
    {
        var person = await servers.NewPersonAsync();
        await servers.FillAsync(from, person);
        await using var service = await TestService.StartAsync();
        var rules =
            ", contacts: {collections: [{match: Crew, to: Colleagues}]}, calendars: {collections: [{match: Harbour*, leave: true}]}";
        var plan = DavServers.PlanBetween(servers.AddressOf(from), servers.AddressOf(to), rules);
        Assert.Equal("", (await service.ApplyAsync(plan, ("crew.csv", DavServers.Roster([person])))).Error);

        var surveyed = await service.RunAsync("survey", "crew", "--wait");
        Assert.True(surveyed.Code is 0 or 3, surveyed.Error);
        var inventory = await service.GetAsync<MoveInventory>($"batches/crew/inventory/{person}");
        var own = inventory.Collections.Where(c => c.Name is "Crew" or "Harbour & quay").ToList();
        Assert.Equal(
            [("Crew", 10L, 1L, 0L), ("Crew", 13, 0, 1), ("Harbour & quay", 10, 1, 0), ("Harbour & quay", 13, 0, 1)],
            own.Select(c => (c.Name, c.Items, c.Recurring, c.Versions.GetValueOrDefault("4.0"))).Order()
        );
        Assert.Equal(2020, own.Where(c => c.Kind is MoveKind.Calendars).Min(c => c.Oldest)!.Value.Year);

        var landings = (await service.ListAllAsync<CollectionLandingView>("batches/crew/collections")).Where(l => l.Items > 0).ToList();
        Assert.Equal("Colleagues", landings.Single(l => l is { Kind: MoveKind.Contacts, From: "Crew" }).To);
        Assert.Null(landings.Single(l => l is { Kind: MoveKind.Calendars, From: "Harbour & quay" }).To);
        var told = await service.RunAsync("collections", "crew", "--output", "csv");
        Assert.Equal((0, ""), (told.Code, told.Error));
        Assert.Contains(",contacts,Crew,13,Colleagues,rule 1 (Crew)", told.Out, StringComparison.Ordinal);

        // And so it is.
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew");
        using var fresh = servers.Witness(to, person);
        var books = (await fresh.CollectionsAsync(DavServers.HomeOf(to, person, contacts: true), contacts: true))
            .Select(c => c.Name)
            .ToList();
        var calendars = (await fresh.CollectionsAsync(DavServers.HomeOf(to, person, contacts: false), contacts: false)).Select(c => c.Name);
        Assert.Contains("Colleagues", books);
        Assert.DoesNotContain("Harbour & quay", calendars);
        var waybill = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((46, 10), (waybill.Total.Found, waybill.Total.Excluded));
        Assert.Equal(waybill.Total.Found, waybill.Total.Carried + waybill.Total.Excluded + waybill.Total.LeftBehind);

        var trial = await service.RunAsync("service", "try", "northquay", "--account", person);
        Assert.Equal(0, trial.Code);
        Assert.Contains("an item was written, read back", trial.Out, StringComparison.Ordinal);
        Assert.DoesNotContain(
            "Write test",
            string.Join(' ', await fresh.CollectionsAsync(DavServers.HomeOf(to, person, true), true)),
            StringComparison.Ordinal
        );
    }
}
