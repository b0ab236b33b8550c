using System.Diagnostics;
using EasyCaravan.Peers.Dav;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Parcels;

/// <summary>
/// Accounts go from one server into parcels and from there to another server, compared by clients that share no code with the product.
/// </summary>
public sealed class ParcelRoadTests(TwoServers servers, DavServers dav) : IClassFixture<DavServers>
{
    private string Plan(string parcels = "", string pack = "", string open = "") =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{servers.From.PlainPort}}, security: none}
                contacts: {speaks: carddav, url: "{{dav.AddressOf(DavMake.Radicale)}}", security: none}
                calendars: {speaks: caldav, url: "{{dav.AddressOf(DavMake.Radicale)}}", security: none}
              archive:
                parcels: {place: "parcels/"{{parcels}}}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{servers.To.PlainPort}}, security: none}
                contacts: {speaks: carddav, url: "{{dav.AddressOf(DavMake.Cyrus)}}", security: none}
                calendars: {speaks: caldav, url: "{{dav.AddressOf(DavMake.Cyrus)}}", security: none}
            routes:
              packing: {from: lanternpost, to: archive{{pack}}}
              opening: {from: archive, to: northquay{{open}}}
            batches:
              pack: {route: packing, roster: pack.csv}
              crew: {route: opening, roster: crew.csv}
            """;

    [Fact]
    public async Task An_account_is_the_same_on_another_server_after_a_stay_in_a_parcel()
    {
        var person = await dav.NewPersonAsync();
        servers.From.SetUser(person, TwoServers.Password);
        servers.To.SetUser(person, TwoServers.Password);
        await servers.PlantAsync(person, 120);
        await dav.FillAsync(DavMake.Radicale, person);
        await using var service = await TestService.StartAsync();
        var pack = $"name,from_account,to_account,from_secret\nAoife,{person},{person},{TwoServers.Password}\n";
        var open = $"name,from_account,to_account,to_secret\nAoife,{person},{person},{TwoServers.Password}\n";
        var applied = await service.ApplyAsync(Plan(), ("pack.csv", pack), ("crew.csv", open));
        Assert.True(applied.Code == 0, applied.Error);
        var ran = await service.RunAsync("start", "pack", "--wait");
        Assert.True(ran.Code == 0, ran.Out + ran.Error + (await service.RunAsync("journal")).Out);
        var file = Assert.Single(Directory.GetFiles(Path.Combine(service.Folder, "files", "parcels")));
        Assert.Contains("No errors detected", Run("unzip", "-t", file), StringComparison.Ordinal);
        ran = await service.RunAsync("start", "crew", "--wait");
        Assert.True(ran.Code is 0 or 3, ran.Out + ran.Error + (await service.RunAsync("journal")).Out);
        await servers.AssertSameAsync(person);
    }

    private static string Run(string program, params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var output = process.StandardOutput.ReadToEnd() + process.StandardError.ReadToEnd();
        process.WaitForExit();
        return output;
    }
}
