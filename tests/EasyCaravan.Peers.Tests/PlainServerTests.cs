using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>
/// With a server that has none of the extensions that make a pass cheap, keeps everything below INBOX, and takes headers in UTF-8 only when
/// they are announced (UTF8=ACCEPT, RFC 6855).
/// </summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class PlainServerTests(TwoServers servers)
{
    private const string Account = "aoife@saltmarsh.example";

    /// <summary>As Dovecot writes them, and as Courier does once it was asked for UTF-8.</summary>
    private static readonly (string Dovecot, string Courier)[] s_folders =
    [
        ("INBOX", "INBOX"),
        ("Work", "INBOX.Work"),
        ("Work/Deep/Deeper", "INBOX.Work.Deep.Deeper"),
        ("WORK", "INBOX.WORK"),
        ("a b  c", "INBOX.a b  c"),
        ("Ropes &- tides", "INBOX.Ropes & tides"),
        ("&ANw-berfahrten/M&AOQ-rz", "INBOX.\u00dcberfahrten.M\u00e4rz"),
        ("&iCptd2XliqY-", "INBOX.\u882a\u6d77\u65e5\u8aa6"),
        ("50%", "INBOX.50%"),
    ];

    [Fact]
    public async Task From_Dovecot_to_Courier_exactly_and_later_what_changed()
    {
        await using var courier = await CourierServer.StartAsync([(Account, TwoServers.Password)]);
        var account = servers.NewAccounts(1)[0];
        using var from = await servers.AtFromAsync(account);
        foreach (var (folder, _) in s_folders.Where(f => f.Dovecot is not "INBOX"))
            await from.RunAsync($"CREATE \"{folder}\"");
        for (var f = 0; f < s_folders.Length; f++)
            await from.AppendAsync(
                s_folders[f].Dovecot,
                [.. Enumerable.Range(f * 20, 20).Select(i => TwoServers.Message(Account, i, 1500)), Wide(f), Latin(f)]
            );
        await using var service = await TestService.StartAsync();
        var applied = await service.ApplyAsync(
            TwoServers.PlanBetween(servers.From.PlainPort, courier.Port),
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + $"Aoife,{account},{Account},{TwoServers.Password},{TwoServers.Password}\n"
            )
        );
        Assert.True(applied.Code == 0, applied.Error);
        // Courier adds a line end to a message that ends without one. This is reported unasked, and nothing else is.
        Assert.Equal(3, (await service.RunAsync("start", "crew", "--wait")).Code);
        Assert.All(await service.ListAsync<DifferenceView>("batches/crew/differences"), d =>
            Assert.Equal(
                (DifferenceWord.Altered, "the new side stores its line ends or NUL octets in another way; nothing else of it is changed"),
                (d.Kind, d.What)
            )
        );
        Assert.Equal(0, (await service.RunAsync("differences", "crew", "--accept")).Code);
        using var to = await SignInAsync(courier);
        foreach (var (here, there) in s_folders)
            await AssertSameAsync(from, here, to, Utf8(there));

        await from.RunAsync("SELECT INBOX");
        await from.RunAsync("STORE 1:3 +FLAGS (\\Flagged)");
        await from.RunAsync("MOVE 4:9 \"Work\"");
        await from.AppendAsync("a b  c", [TwoServers.Message(account, 900, 800)]);
        await TwoServers.RunToEndAsync(service, "catch-up");
        foreach (var (here, there) in s_folders)
            await AssertSameAsync(from, here, to, Utf8(there));
        var pass = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{account}")).Passes[0].Legs[0];
        Assert.Equal((1, 3), (pass.Carried, pass.FlagsChanged));
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    [Fact]
    public async Task From_Courier_to_Dovecot_exactly_and_later_what_changed()
    {
        await using var courier = await CourierServer.StartAsync([(Account, TwoServers.Password)]);
        var account = servers.NewAccounts(1)[0];
        using var from = await SignInAsync(courier);
        for (var f = 0; f < s_folders.Length; f++)
        {
            var folder = Utf8(s_folders[f].Courier);
            if (f > 0)
                await from.RunAsync($"CREATE \"{folder}\"");
            await from.AppendEachAsync(folder, Enumerable.Range(f * 20, 20).Select(i => TwoServers.Message(Account, i, 1500)));
            await from.AppendEachAsync(folder, [Wide(f)], utf8: true);
        }
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(
            TwoServers.PlanBetween(courier.Port, servers.To.PlainPort),
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + $"Aoife,{Account},{account},{TwoServers.Password},{TwoServers.Password}\n"
            )
        );
        await TwoServers.RunToEndAsync(service);
        using var to = await servers.AtToAsync(account);
        static string Place(string folder) => folder.Replace('/', '.');
        foreach (var (there, here) in s_folders)
            await AssertSameAsync(from, Utf8(here), to, Place(there));

        await from.RunAsync("SELECT INBOX.Work");
        await from.RunAsync("STORE 1:2 FLAGS (\\Answered)");
        await from.RunAsync("COPY 5:7 INBOX");
        await from.RunAsync("STORE 5:7 +FLAGS (\\Deleted)");
        await from.RunAsync("UID EXPUNGE 5:7");
        await from.AppendEachAsync("INBOX.Work", [TwoServers.Message(account, 901, 800)]);
        await TwoServers.RunToEndAsync(service, "catch-up");
        foreach (var (there, here) in s_folders)
            await AssertSameAsync(from, Utf8(here), to, Place(there));
        await TwoServers.RunToEndAsync(service, "catch-up");
        var pass = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{Account}")).Passes[0].Legs[0];
        Assert.Equal((0, 0, 0, 0), (pass.Carried, pass.Paired, pass.FlagsChanged, pass.Moved));
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    /// <summary>
    /// Courier gives out NUL as it stands. It travels in a literal8 (RFC 3516 §4.4), and the server that takes it keeps the octets in its
    /// own way: Cyrus as base64.
    /// </summary>
    [Fact]
    public async Task A_message_with_NUL_reaches_a_server_that_takes_binary()
    {
        await using var courier = await CourierServer.StartAsync([(Account, TwoServers.Password)]);
        await using var cyrus = await CyrusServer.StartAsync([(Account, TwoServers.Password)]);
        using var from = await SignInAsync(courier);
        var body = Encoding.Latin1.GetBytes("before\0after\0\0\u00ff\r\n");
        byte[] message =
        [
            .. "Message-ID: <nul@saltmarsh.example>\r\nMIME-Version: 1.0\r\n"u8,
            .. "Content-Type: application/octet-stream\r\nContent-Transfer-Encoding: binary\r\n\r\n"u8,
            .. body,
        ];
        await from.AppendEachAsync("INBOX", [("\\Seen", DateTimeOffset.UnixEpoch, message)]);
        Assert.Equal(message, (await from.ReadFolderAsync("INBOX")).Single().Octets);
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(
            TwoServers.PlanBetween(courier.Port, cyrus.Port),
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + $"Aoife,{Account},{Account},{TwoServers.Password},{TwoServers.Password}\n"
            )
        );
        // Reading back finds what the server altered without a comparison being asked for; a person decides.
        Assert.Equal(3, (await service.RunAsync("start", "crew", "--wait")).Code);
        var altered = Assert.Single(await service.ListAsync<DifferenceView>("batches/crew/differences"));
        Assert.Equal(DifferenceWord.Altered, altered.Kind);
        Assert.False((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
        await service.RunAsync("differences", "crew", "--accept");
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
        using var to = await PlainImap.SignInAsync(cyrus.Port, Account, TwoServers.Password);
        var arrived = Encoding.ASCII.GetString((await to.ReadFolderAsync("INBOX")).Single().Octets);
        Assert.Contains("Content-Transfer-Encoding: base64", arrived, StringComparison.Ordinal);
        Assert.Equal(body, Convert.FromBase64String(arrived[(arrived.IndexOf("\r\n\r\n", StringComparison.Ordinal) + 4)..]));
    }

    private static async Task<PlainImap> SignInAsync(CourierServer courier)
    {
        var imap = await PlainImap.SignInAsync(courier.Port, Account, TwoServers.Password);
        await imap.RunAsync("ENABLE UTF8=ACCEPT");
        return imap;
    }

    /// <summary>Octets as the witness sends them.</summary>
    private static string Utf8(string name) => Encoding.Latin1.GetString(Encoding.UTF8.GetBytes(name));

    private static (string Flags, DateTimeOffset Date, byte[] Octets) Wide(int i) =>
        (
            "\\Seen",
            new DateTimeOffset(2021, 5, 4, 3, 2, 1, TimeSpan.Zero),
            Encoding.UTF8.GetBytes(
                $"Message-ID: <wide{i}@saltmarsh.example>\r\nFrom: Br\u00edd <brid@saltmarsh.example>\r\n"
                    + $"Date: Tue, 4 May 2021 03:02:01 +0000\r\nSubject: \u00dcberfahrt {i} \u882a\u6d77\r\n\r\nAll well.\r\n"
            )
        );

    /// <summary>Beyond ASCII and not UTF-8 either, as old programs wrote.</summary>
    private static (string Flags, DateTimeOffset Date, byte[] Octets) Latin(int i) =>
        (
            "",
            new DateTimeOffset(1998, 5, 4, 3, 2, 1, TimeSpan.Zero),
            Encoding.Latin1.GetBytes($"Message-ID: <latin{i}@saltmarsh.example>\r\nSubject: \u00fcber {i}\r\n\r\n\u00e9\u00ff\r\n")
        );

    private static async Task AssertSameAsync(PlainImap from, string folder, PlainImap to, string place)
    {
        // Quirk (Courier): a message whose last line has no end is given one when it is stored.
        static string Describe(StoredMessage message)
        {
            byte[] octets = message.Octets[^1] == '\n' ? message.Octets : [.. message.Octets, (byte)'\r', (byte)'\n'];
            var digest = Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(octets));
            return $"{digest} ({message.Flags}) {DateTimeOffset.Parse(message.Date, System.Globalization.CultureInfo.InvariantCulture):u}";
        }
        Assert.Equal(
            (await from.ReadFolderAsync(folder)).Select(Describe).Order(),
            (await to.ReadFolderAsync(place)).Select(Describe).Order()
        );
    }
}
