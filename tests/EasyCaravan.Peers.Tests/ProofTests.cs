using System.Globalization;
using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>
/// The waybill against a client that shares no code with it: on three makes as the new side, each item of each side, also where something
/// was broken there on purpose.
/// </summary>
public sealed class ProofTests(TwoServers servers)
{
    private const int Messages = 48;

    private static readonly string[] s_folders = ["INBOX", "Work", "Lists"];

    /// <summary>One message as the witness sees it: in which folder, and what.</summary>
    private sealed record Seen(string Folder, string Subject, string Octets, string Flags, DateTimeOffset Date, uint Uid);

    [Theory]
    [InlineData("Dovecot")]
    [InlineData("Cyrus")]
    [InlineData("Courier")]
    public async Task The_waybill_and_an_independent_client_agree_on_every_message(string make)
    {
        var account = servers.NewAccounts(1)[0];
        await using var there = await NewSide.StartAsync(make, servers, account);
        using var from = await servers.AtFromAsync(account);
        foreach (var folder in s_folders.Skip(1))
            await from.RunAsync($"CREATE {folder}");
        for (var f = 0; f < s_folders.Length; f++)
            await from.AppendAsync(s_folders[f], Enumerable.Range(0, Messages).Where(i => i % s_folders.Length == f).Select(Message));

        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(TwoServers.PlanBetween(servers.From.PlainPort, there.Port), ("crew.csv", TwoServers.Roster([account])));
        await service.RunAsync("start", "crew", "--wait");
        await AgreesAsync(service, from, there, account);

        // What this make of server alters by itself is accepted first; then something is broken on purpose.
        await service.RunAsync("differences", "crew", "--accept");
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
        using (var to = await there.SignInAsync())
        {
            await ExpungeAsync(to, there.Path("INBOX"), ["Tide 0", "Tide 3", "Tide 6"]);
            var work = await to.ReadFolderAsync(there.Path("Work"));
            // Quirk (Courier): nothing may be added to a folder that the connection has open for reading.
            await to.RunAsync("SELECT INBOX");
            foreach (var message in work.Take(2))
                await to.AppendEachAsync(there.Path("Work"), [("", DateTimeOffset.UnixEpoch, message.Octets)]);
            await to.AppendEachAsync(
                there.Path("Work"),
                [
                    (
                        "",
                        DateTimeOffset.UnixEpoch,
                        Encoding.ASCII.GetBytes("Message-ID: <new@saltmarsh.example>\r\nSubject: Only here\r\n\r\nHello\r\n")
                    ),
                ]
            );
            await to.RunAsync($"SELECT \"{there.Path("Lists")}\"");
            await to.RunAsync("UID STORE 1:2 +FLAGS (\\Flagged)");
        }
        Assert.Equal(3, (await service.RunAsync("catch-up", "crew", "--wait")).Code);
        await AgreesAsync(service, from, there, account);
        var waybill = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((3L, 2L, false), (waybill.Missing, waybill.Twice, waybill.Closes));
        Assert.Contains("wait for a decision", waybill.Sentence, StringComparison.Ordinal);

        // It is mended: missing messages are carried again, second copies are removed.
        Assert.Equal(0, (await service.RunAsync("differences", "crew", "--carry-again")).Code);
        Assert.Equal(0, (await service.RunAsync("differences", "crew", "--remove-second")).Code);
        await service.RunAsync("catch-up", "crew", "--wait");
        await AgreesAsync(service, from, there, account);
        waybill = (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0];
        Assert.Equal((0L, 0L), (waybill.Missing, waybill.Twice));
        using (var to = await there.SignInAsync())
            Assert.Equal(Messages + 1, (await ReadAsync(to, there)).Count);

        // The whole folder is emptied.
        using (var to = await there.SignInAsync())
            foreach (var folder in s_folders)
                await ExpungeAsync(to, there.Path(folder), null);
        await service.RunAsync("catch-up", "crew", "--wait");
        await AgreesAsync(service, from, there, account);
        Assert.Equal(Messages, (await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Moves[0].Missing);
        await service.RunAsync("differences", "crew", "--carry-again");
        await service.RunAsync("catch-up", "crew", "--wait");
        await AgreesAsync(service, from, there, account);
        await service.RunAsync("differences", "crew", "--accept");
        Assert.True((await service.GetAsync<BatchWaybill>("batches/crew/waybill")).Closes);
    }

    /// <summary>All of both sides is compared by the product and by the witness; they name the same messages.</summary>
    private static async Task AgreesAsync(TestService service, PlainImap from, NewSide there, string account)
    {
        await service.RunAsync("compare", "crew", "--all", "--wait");
        var told = (await service.ListAsync<DifferenceView>($"batches/crew/differences?decided=true&move={account}"))
            .Select(d => $"{d.Kind} {d.Folder} {d.Subject}")
            .Order(StringComparer.Ordinal)
            .ToList();
        using var to = await there.SignInAsync();
        Assert.Equal(Witness(await ReadAsync(from, null), await ReadAsync(to, there)), told);
        var comparison = Assert.Single(await service.ListAsync<ComparisonView>("batches/crew/comparison"));
        Assert.NotNull(comparison.EndedAt);
    }

    /// <summary>What differs, message by message, by the subjects, each of which stands for one message.</summary>
    private static List<string> Witness(List<Seen> here, List<Seen> there)
    {
        var found = new List<string>();
        foreach (var original in here)
        {
            var copies = there.Where(t => t.Subject == original.Subject && t.Folder == original.Folder).OrderBy(t => t.Uid).ToList();
            if (copies.Count == 0)
                found.Add($"Missing {original.Folder} {original.Subject}");
            if (copies.Count > 1)
                found.AddRange(copies.Skip(1).Select(_ => $"Twice {original.Folder} {original.Subject}"));
            if (copies is not [var copy, ..])
                continue;
            if (copy.Octets != original.Octets || copy.Date != original.Date)
                found.Add($"Altered {original.Folder} {original.Subject}");
            if (copy.Flags != original.Flags)
                found.Add($"Flags {original.Folder} {original.Subject}");
        }
        return [.. found.Order(StringComparer.Ordinal)];
    }

    private static async Task<List<Seen>> ReadAsync(PlainImap imap, NewSide? there)
    {
        var seen = new List<Seen>();
        foreach (var folder in s_folders)
            seen.AddRange(
                (await imap.ReadFolderAsync(there?.Path(folder) ?? folder)).Select(m => new Seen(
                    folder,
                    SubjectOf(m.Octets),
                    Convert.ToHexString(m.Octets),
                    m.Flags,
                    DateTimeOffset.Parse(m.Date, CultureInfo.InvariantCulture),
                    m.Uid
                ))
            );
        return seen;
    }

    private static string SubjectOf(byte[] octets) =>
        Encoding.Latin1.GetString(octets).Split("\r\n").First(l => l.StartsWith("Subject:", StringComparison.Ordinal))[9..];

    private static async Task ExpungeAsync(PlainImap to, string folder, string[]? subjects)
    {
        var numbers = (await to.ReadFolderAsync(folder))
            .Where(m => subjects is null || subjects.Contains(SubjectOf(m.Octets)))
            .Select(m => m.Uid)
            .ToList();
        if (numbers.Count == 0)
            return;
        await to.RunAsync($"SELECT \"{folder}\"");
        await to.RunAsync($"UID STORE {string.Join(',', numbers)} +FLAGS (\\Deleted)");
        await to.RunAsync("EXPUNGE");
        await to.RunAsync("CLOSE");
    }

    /// <summary>Plain ones, and such as servers like to alter: 8-bit headers, no end of the last line.</summary>
    private static (string Flags, DateTimeOffset Date, byte[] Octets) Message(int i)
    {
        string[] flags = ["", "\\Seen", "\\Answered \\Seen", "\\Flagged"];
        var name = i % 8 == 5 ? "Br\u00edd" : "Desk";
        var text =
            $"From: {name} <desk@saltmarsh.example>\r\nMessage-ID: <{i}@saltmarsh.example>\r\nDate: Tue, 4 May 2021 03:02:01 +0000\r\n"
            + $"Subject: Tide {i}\r\n\r\nHigh water at {i}{(i % 7 == 3 ? "" : "\r\n")}";
        return (
            flags[i % flags.Length],
            new DateTimeOffset(2021, 5, 4, 3, 2, 1, TimeSpan.Zero).AddHours(i),
            Encoding.Latin1.GetBytes(text)
        );
    }

    /// <summary>The new side: one of three makes, with its own way to write folders.</summary>
    private sealed class NewSide(int port, string prefix, string account, IAsyncDisposable? server) : IAsyncDisposable
    {
        public int Port => port;

        public string Path(string folder) => folder == "INBOX" ? folder : prefix + folder;

        public Task<PlainImap> SignInAsync() => PlainImap.SignInAsync(port, account, TwoServers.Password);

        public static async Task<NewSide> StartAsync(string make, TwoServers servers, string account)
        {
            switch (make)
            {
                case "Cyrus":
                    var cyrus = await CyrusServer.StartAsync([(account, TwoServers.Password)]);
                    return new NewSide(cyrus.Port, "", account, cyrus);
                case "Courier":
                    var courier = await CourierServer.StartAsync([(account, TwoServers.Password)]);
                    return new NewSide(courier.Port, "INBOX.", account, courier);
                default:
                    return new NewSide(servers.To.PlainPort, "", account, null);
            }
        }

        public ValueTask DisposeAsync() => server?.DisposeAsync() ?? ValueTask.CompletedTask;
    }
}
