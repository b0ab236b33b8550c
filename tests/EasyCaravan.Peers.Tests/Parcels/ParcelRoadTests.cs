using System.Globalization;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Peers.Dav;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Parcels;

/// <summary>
/// Accounts go from one server into parcels and from there to another server, compared by clients that share no code with the product.
/// </summary>
public sealed class ParcelRoadTests(TwoServers servers, DavServers dav) : IClassFixture<DavServers>
{
    private string Plan(int? toPort = null) =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{servers.From.PlainPort}}, security: none}
                contacts: {speaks: carddav, url: "{{dav.AddressOf(DavMake.Radicale)}}", security: none}
                calendars: {speaks: caldav, url: "{{dav.AddressOf(DavMake.Radicale)}}", security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{toPort ?? servers.To.PlainPort}}, security: none}
                contacts: {speaks: carddav, url: "{{dav.AddressOf(DavMake.Cyrus)}}", security: none}
                calendars: {speaks: caldav, url: "{{dav.AddressOf(DavMake.Cyrus)}}", security: none}
            routes:
              crossing: {from: lanternpost, to: northquay}
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private async Task<string> NewPersonAsync(int messages)
    {
        var person = await dav.NewPersonAsync();
        servers.From.SetUser(person, TwoServers.Password);
        servers.To.SetUser(person, TwoServers.Password);
        // Dovecot looks at its file of users once a second at most.
        foreach (var port in new[] { servers.From.PlainPort, servers.To.PlainPort })
            await TestService.UntilAsync(() => LetsInAsync(port, person));
        await servers.PlantAsync(person, messages);
        await dav.FillAsync(DavMake.Radicale, person);
        return person;
    }

    private static async Task<bool> LetsInAsync(int port, string person)
    {
        try
        {
            using var imap = await PlainImap.SignInAsync(port, person, TwoServers.Password);
            return true;
        }
        catch (InvalidOperationException)
        {
            return false;
        }
    }

    private static string PathOf(TestService service, string name) => Path.Combine(service.Folder, "files", "parcels", name + ".zip");

    private static string Today => DateTime.UtcNow.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static async Task<Ran> DoneAsync(TestService service, params string[] args)
    {
        var ran = await service.RunAsync(args);
        Assert.True(ran.Code == 0, $"{string.Join(' ', args)}: {ran.Code}\n{ran.Out}{ran.Error}{(await service.RunAsync("journal")).Out}");
        return ran;
    }

    [Fact]
    public async Task An_account_is_the_same_on_another_server_after_a_stay_in_a_parcel()
    {
        var person = await NewPersonAsync(120);
        await using var service = await TestService.StartAsync();
        var applied = await service.ApplyAsync(Plan(), ("crew.csv", DavServers.Roster([person])));
        Assert.True(applied.Code == 0, applied.Error);
        await DoneAsync(service, "parcel", "pack", person, "--wait");
        var name = $"{person} {Today}";
        await AssertPackedAsync(person, PathOf(service, name));
        foreach (var (program, argument) in new[] { ("unzip", "-tq"), ("7z", "t") })
            PythonZip.Run(program, argument, PathOf(service, name));
        await DoneAsync(service, "parcel", "check", PathOf(service, name));

        // What Cyrus does not take as it is stays behind and is told; mail has to be there to the last octet.
        await service.RunAsync("parcel", "open", name, "--into", person, "--at", "northquay", "--wait");
        await servers.AssertSameAsync(person);
        await AssertCollectionsAsync(service, person, "open-2");

        // A second time, by an errand that knows nothing of the first.
        await service.RunAsync("parcel", "open", name + ".zip", "--into", person, "--at", "northquay", "--wait");
        var again = (await service.MovesAsync("open-3"))[0];
        Assert.Equal(0, again.Counts.Carried);
        Assert.Equal(again.Counts.Found, again.Counts.Paired + again.Counts.LeftBehind);
        await servers.AssertSameAsync(person);
    }

    [Fact]
    public async Task Packed_twice_it_is_the_same_and_a_later_run_adds_what_changed()
    {
        var person = await NewPersonAsync(48);
        await using var service = await TestService.StartAsync();
        Assert.Equal(0, (await service.ApplyAsync(Plan(), ("crew.csv", DavServers.Roster([person])))).Code);
        await DoneAsync(service, "parcel", "pack", person, "--wait");
        await DoneAsync(service, "parcel", "pack", person, "--wait");
        var (one, two) = ($"{person} {Today}", $"{person} {Today} (2)");
        Assert.Equal(await ContentsAsync(service, one), await ContentsAsync(service, two));

        // Nothing changed: nothing is written, and the parcel is not even touched.
        var before = Directory.GetFiles(Path.Combine(service.Folder, "files", "parcels"));
        await DoneAsync(service, "catch-up", "pack-1", "--wait");
        Assert.Equal(before, Directory.GetFiles(Path.Combine(service.Folder, "files", "parcels")));

        using (var imap = await servers.AtFromAsync(person))
        {
            await imap.AppendAsync("Sent", [TwoServers.Message(person, 900, 1500)]);
            await imap.RunAsync("SELECT INBOX");
            await imap.RunAsync("UID STORE 1 +FLAGS.SILENT (\\Flagged Later)");
            await imap.RunAsync("SELECT \"Projects\"");
            await imap.RunAsync("UID COPY 1 \"Projects/Ramp 2\"");
            await imap.RunAsync("UID STORE 1 +FLAGS.SILENT (\\Deleted)");
            await imap.RunAsync("UID EXPUNGE 1");
        }
        await DoneAsync(service, "catch-up", "pack-1", "--wait");
        Assert.True(File.Exists(PathOf(service, one + ".part-2")));
        await AssertPackedAsync(person, PathOf(service, one));
        await DoneAsync(service, "parcel", "check", PathOf(service, one));
        var state = await ContentsAsync(service, one);
        Assert.NotEqual(state, await ContentsAsync(service, two));
    }

    [Fact]
    public async Task Encrypted_in_parts_it_goes_below_a_folder_of_another_person_once_that_is_confirmed()
    {
        var person = await NewPersonAsync(64);
        var stranger = servers.NewAccounts(1)[0];
        await using var service = await TestService.StartAsync();
        var roster = DavServers.Roster([person]) + $"S,{stranger},{stranger},{TwoServers.Password},{TwoServers.Password}\n";
        Assert.Equal(0, (await service.ApplyAsync(Plan(), ("crew.csv", roster))).Code);
        var secret = Path.Combine(service.Folder, "secret.txt");
        await File.WriteAllTextAsync(secret, "salt and pepper\n");
        await DoneAsync(service, "parcel", "pack", person, "--kind", "mail", "--password-file", secret, "--part-size", "30kB", "--wait");
        var name = $"{person} {Today}";
        Assert.True(Directory.GetFiles(Path.Combine(service.Folder, "files", "parcels")).Length > 2);
        PythonZip.Run("7z", "t", "-psalt and pepper", PathOf(service, name));
        var wrong = Path.Combine(service.Folder, "wrong.txt");
        await File.WriteAllTextAsync(wrong, "salt and sugar\n");
        Assert.Equal(1, (await service.RunAsync("parcel", "check", PathOf(service, name), "--password-file", wrong)).Code);
        await DoneAsync(service, "parcel", "check", PathOf(service, name), "--password-file", secret);

        string[] open = ["parcel", "open", name, "--into", stranger, "--at", "northquay", "--under", "From elsewhere", "--wait"];
        var without = await service.RunAsync(open);
        Assert.Equal((1, true), (without.Code, without.Error.Contains("encrypted", StringComparison.Ordinal)));
        var unconfirmed = await service.RunAsync([.. open, "--password-file", secret]);
        Assert.Equal(1, unconfirmed.Code);
        Assert.Contains($"holds the account {person}", unconfirmed.Error, StringComparison.Ordinal);
        using (var nothing = await servers.AtToAsync(stranger))
            Assert.Equal(["INBOX"], (await nothing.ListFoldersAsync()).Where(f => !f.Contains("Sent", StringComparison.Ordinal)).Take(1));
        await DoneAsync(service, [.. open, "--password-file", secret, "--whose", person]);
        using var from = await servers.AtFromAsync(person);
        using var to = await servers.AtToAsync(stranger);
        var here = (await from.ReadFolderAsync("Projects/Ramp 2")).Select(m => Convert.ToHexString(m.Octets)).Order();
        var there = (await to.ReadFolderAsync("From elsewhere.Projects.Ramp 2")).Select(m => Convert.ToHexString(m.Octets)).Order();
        Assert.Equal(here, there);
        Assert.Empty(await to.ReadFolderAsync("INBOX"));
    }

    [Fact]
    public async Task A_parcel_goes_into_the_archive_of_an_account_as_it_was_on_an_earlier_day()
    {
        var person = await NewPersonAsync(24);
        await using var to = await DovecotServer.StartAsync('.', new DovecotManners(Archive: true));
        to.SetUser(person, TwoServers.Password);
        await using var service = await TestService.StartAsync();
        Assert.Equal(0, (await service.ApplyAsync(Plan(to.PlainPort), ("crew.csv", DavServers.Roster([person])))).Code);
        await DoneAsync(service, "parcel", "pack", person, "--kind", "mail", "--folder", "INBOX", "--folder", "Projects/**", "--wait");
        var name = $"{person} {Today}";
        await DoneAsync(service, "parcel", "open", name, "--into", person, "--at", "northquay", "--root", "Archive", "--wait");
        using var there = await PlainImap.SignInAsync(to.PlainPort, person, TwoServers.Password);
        using var from = await servers.AtFromAsync(person);
        Assert.Equal((await from.ReadFolderAsync("INBOX")).Count, (await there.ReadFolderAsync("Archive.INBOX")).Count);
        Assert.Equal((await from.ReadFolderAsync("Projects/Ramp 2")).Count, (await there.ReadFolderAsync("Archive.Projects.Ramp 2")).Count);
        Assert.Empty(await there.ReadFolderAsync("INBOX"));
        Assert.DoesNotContain(await there.ListFoldersAsync(), f => f.StartsWith("Archive.Sent", StringComparison.Ordinal));
        var early = await service.RunAsync("parcel", "open", name, "--into", person, "--at", "northquay", "--as-of", "2020-01-01");
        Assert.Contains("There is no complete parcel", early.Error, StringComparison.Ordinal);
    }

    /// <summary>The old side's mail and the parcel's, message by message.</summary>
    private async Task AssertPackedAsync(string person, string path)
    {
        var held = PythonZip.Read(path);
        using var from = await servers.AtFromAsync(person);
        foreach (var (folder, _) in TwoServers.Folders)
        {
            var name = System.Text.RegularExpressions.Regex.Replace(folder, "&([A-Za-z0-9+,]*)-", m =>
                m.Length == 2 ? "&" : System.Text.Encoding.BigEndianUnicode.GetString(Unpad(m.Groups[1].Value))
            );
            var here = (await from.ReadFolderAsync(folder))
                .Select(m =>
                    $"{Convert.ToHexStringLower(SHA256.HashData(m.Octets))} "
                    + $"{DateOf(m.Date):O} "
                    + string.Join(
                        ' ',
                        m.Flags.Split(' ', StringSplitOptions.RemoveEmptyEntries)
                            .Where(f => f != "\\Recent")
                            .Order(StringComparer.OrdinalIgnoreCase)
                    )
                )
                .Order(StringComparer.Ordinal);
            var there = held
                .Messages.Where(m => m.Folder == name)
                .Select(m => $"{m.Sha256} {m.Received:O} {m.Flags}")
                .Order(StringComparer.Ordinal);
            Assert.Equal(here.Prepend(name), there.Prepend(name));
        }
    }

    private static DateTimeOffset DateOf(string internalDate) =>
        DateTimeOffset.ParseExact(
            internalDate.Trim(),
            ["d-MMM-yyyy HH:mm:ss zzz", "dd-MMM-yyyy HH:mm:ss zzz"],
            CultureInfo.InvariantCulture,
            DateTimeStyles.AllowWhiteSpaces
        );

    /// <summary>Of modified base64 (RFC 3501 §5.1.3).</summary>
    private static byte[] Unpad(string text) =>
        Convert.FromBase64String(text.Replace(',', '/').PadRight((text.Length + 3) / 4 * 4, '=')) is var octets
            ? octets[..(octets.Length / 2 * 2)]
            : [];

    private async Task AssertCollectionsAsync(TestService service, string person, string errand)
    {
        var left = await service.ListAllAsync<LeftBehindView>($"batches/{errand}/left-behind");
        using var old = dav.Witness(DavMake.Radicale, person);
        using var fresh = dav.Witness(DavMake.Cyrus, person);
        foreach (var contacts in new[] { true, false })
        {
            var there = new List<PlainItem>();
            foreach (var (path, _) in await fresh.CollectionsAsync(DavServers.HomeOf(DavMake.Cyrus, person, contacts), contacts))
                there.AddRange((await fresh.GetAllAsync(path)).Values.Select(t => new PlainItem(t)));
            foreach (var (path, _) in await old.CollectionsAsync(DavServers.HomeOf(DavMake.Radicale, person, contacts), contacts))
            foreach (var text in (await old.GetAllAsync(path)).Values)
            {
                var item = new PlainItem(text);
                var isSame = there.Exists(t => t.Uid == item.Uid && t.SaysAllOf(item));
                var isReported = left.Exists(l => item.Lines.Any(s => s.EndsWith($":{l.Subject}", StringComparison.Ordinal)));
                Assert.True(isSame || isReported, $"not the same and not reported:\n{string.Join('\n', item.Lines)}");
            }
        }
    }

    private static async Task<string> ContentsAsync(TestService service, string name)
    {
        var ran = await DoneAsync(service, "parcel", "check", PathOf(service, name), "--output", "csv");
        return ran.Out;
    }
}
