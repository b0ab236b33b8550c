using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>Between servers of two makes, in both directions: what one of them takes for granted the other does not.</summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class OtherMakeTests(TwoServers servers)
{
    private const string Account = "aoife@saltmarsh.example";

    /// <summary>
    /// Names that are legal on both sides, though hardly anybody would think so: one with an accent stands twice, in either Unicode form.
    /// </summary>
    private static readonly string[] s_folders =
    [
        "INBOX",
        "Work",
        "Work/Deep/Deeper/Deepest",
        "a b  c",
        "per cent 5",
        "WORK",
        "Ropes &- tides",
        "&ANw-berfahrten",
        "&iCptd2XliqY-",
        "dots.in.a.name",
        "brackets (1)",
        "Caf&AOk-",
        "Cafe&AwE-",
        "INBOX/below",
    ];

    [Fact]
    public async Task From_Dovecot_to_Cyrus_exactly_and_later_what_changed()
    {
        await using var cyrus = await CyrusServer.StartAsync([(Account, TwoServers.Password)]);
        var account = servers.NewAccounts(1)[0];
        using var from = await servers.AtFromAsync(account);
        foreach (var folder in s_folders.Where(f => f is not "INBOX" and not "INBOX/below"))
            await from.RunAsync($"CREATE \"{folder}\"");
        await PlantAsync(from, [.. s_folders.Where(f => f != "INBOX/below")]);
        await using var service = await TestService.StartAsync();
        var applied = await service.ApplyAsync(
            TwoServers.PlanBetween(servers.From.PlainPort, cyrus.Port),
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + $"Aoife,{account},{Account},{TwoServers.Password},{TwoServers.Password}\n"
            )
        );
        Assert.True(applied.Code == 0, applied.Error);
        await TwoServers.RunToEndAsync(service);
        using var to = await PlainImap.SignInAsync(cyrus.Port, Account, TwoServers.Password);
        foreach (var folder in s_folders.Where(f => f != "INBOX/below"))
            await AssertSameAsync(from, folder, to, folder);

        // Later messages move, change flags, and arrive.
        await from.RunAsync("SELECT INBOX");
        await from.RunAsync("STORE 1:3 +FLAGS (\\Flagged)");
        await from.RunAsync("MOVE 4:9 \"Work\"");
        await from.AppendAsync("a b  c", [TwoServers.Message(account, 900, 800)]);
        await from.RunAsync("RENAME dots.in.a.name \"Renamed\"");
        await TwoServers.RunToEndAsync(service, "catch-up");
        foreach (var folder in s_folders.Where(f => f is not "INBOX/below" and not "dots.in.a.name").Append("Renamed"))
            await AssertSameAsync(from, folder, to, folder);
        var pass = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{account}")).Passes[0].Legs[0];
        Assert.Equal((1, 3, true), (pass.Carried, pass.FlagsChanged, pass.Moved > 6));
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    [Fact]
    public async Task From_Cyrus_to_Dovecot_exactly_and_later_what_changed()
    {
        await using var cyrus = await CyrusServer.StartAsync([(Account, TwoServers.Password)]);
        var account = servers.NewAccounts(1)[0];
        using var from = await PlainImap.SignInAsync(cyrus.Port, Account, TwoServers.Password);
        var there = await from.ListFoldersAsync();
        string[] folders = [.. s_folders.Where(f => f is not "INBOX/below"), "Sent Items"];
        foreach (var folder in folders.Where(f => !there.Contains(f) && f != "INBOX"))
            await from.RunAsync($"CREATE \"{folder}\"");
        await PlantAsync(from, folders);
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(
            TwoServers.PlanBetween(cyrus.Port, servers.To.PlainPort),
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + $"Aoife,{Account},{account},{TwoServers.Password},{TwoServers.Password}\n"
            )
        );
        await TwoServers.RunToEndAsync(service);
        using var to = await servers.AtToAsync(account);
        static string Place(string folder) => folder.Replace('.', '_').Replace('/', '.');
        foreach (var folder in folders)
            await AssertSameAsync(from, folder, to, Place(folder));

        await from.RunAsync("SELECT Work");
        await from.RunAsync("STORE 1:2 FLAGS (\\Answered)");
        await from.RunAsync("UID MOVE 5:7 INBOX");
        await from.RunAsync("STORE 3 +FLAGS (\\Deleted)");
        await from.AppendAsync("Work", [TwoServers.Message(account, 901, 800)]);
        await TwoServers.RunToEndAsync(service, "catch-up");
        foreach (var folder in folders)
            await AssertSameAsync(from, folder, to, Place(folder));
        await TwoServers.RunToEndAsync(service, "catch-up");
        var pass = (await service.GetAsync<MoveDetail>($"batches/crew/moves/{Account}")).Passes[0].Legs[0];
        Assert.Equal((0, 0, 0, 0), (pass.Carried, pass.Paired, pass.FlagsChanged, pass.Moved));
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    private static async Task PlantAsync(PlainImap imap, string[] folders)
    {
        for (var f = 0; f < folders.Length; f++)
            await imap.AppendAsync(
                folders[f],
                Enumerable
                    .Range(f * 20, 20)
                    .Select(i => TwoServers.Message(Account, i, 1500))
                    .Where(m => m.Octets.Length > 0)
                    .Append(Odd(f))
            );
    }

    /// <summary>A message that no program writes, but that servers store.</summary>
    private static (string Flags, DateTimeOffset Date, byte[] Octets) Odd(int i) =>
        (
            "\\Seen Odd",
            new DateTimeOffset(1999, 12, 31, 23, 59, 59, TimeSpan.FromHours(-11)),
            (i % 5) switch
            {
                0 => Encoding.ASCII.GetBytes($"Message-ID: <line{i}@saltmarsh.example>\r\n\r\n{new string('l', 1_100_000)}\r\n"),
                1 => Encoding.ASCII.GetBytes(
                    $"Message-ID: <head{i}@saltmarsh.example>\r\n"
                        + string.Concat(
                            Enumerable.Range(0, 20_000).Select(n => $"X-Trace-{n}: from the old quay to the new one and back\r\n")
                        )
                        + "\r\nbody\r\n"
                ),
                2 => Encoding.ASCII.GetBytes(
                    $"Message-ID: <parts{i}@saltmarsh.example>\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n"
                        + $"{string.Concat(Enumerable.Range(0, 10_000).Select(n => $"--b\r\n\r\npart {n}\r\n"))}--b--\r\n"
                ),
                3 => Encoding.ASCII.GetBytes($"Message-ID: <nobody{i}@saltmarsh.example>\r\nSubject: no body\r\n\r\n"),
                _ => Encoding.Latin1.GetBytes(
                    $"Message-ID: <wide{i}@saltmarsh.example>\r\nSubject: \u00fcber 8 Bit\r\n\r\n\u00e9\u00ff\r\n"
                ),
            }
        );

    private static async Task AssertSameAsync(PlainImap from, string folder, PlainImap to, string place)
    {
        static string Describe(StoredMessage message) =>
            $"{Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(message.Octets))} ({message.Flags}) "
            + $"{DateTimeOffset.Parse(message.Date, System.Globalization.CultureInfo.InvariantCulture):u}";
        Assert.Equal(
            (await from.ReadFolderAsync(folder)).Select(Describe).Order(),
            (await to.ReadFolderAsync(place)).Select(Describe).Order()
        );
    }
}
