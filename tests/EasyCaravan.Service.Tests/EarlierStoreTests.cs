using System.Text;
using System.Text.Json;
using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>
/// A data folder that an earlier version left behind is opened by this one, and its moves go on. Each folder below <c>Earlier</c> holds
/// such a data folder and both services' mailboxes as they were. A new one is made by running these tests with CARAVAN_WRITE_EARLIER=NAME,
/// before the store changes.
/// </summary>
public sealed class EarlierStoreTests : IAsyncLifetime
{
    private const string Aoife = "aoife@saltmarsh.example",
        Bram = "bram@saltmarsh.example",
        Cleo = "cleo@saltmarsh.example",
        Dora = "dora@saltmarsh.example",
        Eoin = "eoin@saltmarsh.example";

    private static readonly string s_earlier = Path.Combine(SourceFolder(), "Earlier");

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners('.', LargestMessage: 20_000));

    public ValueTask InitializeAsync() => ValueTask.CompletedTask;

    public async ValueTask DisposeAsync()
    {
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    public static TheoryData<string> Versions() => [.. Directory.GetDirectories(s_earlier).Select(f => Path.GetFileName(f)!)];

    [Theory]
    [MemberData(nameof(Versions))]
    public async Task Moves_of_an_earlier_version_go_on(string version)
    {
        var folder = Directory.CreateTempSubdirectory("caravan-earlier").FullName;
        var data = Path.Combine(folder, "data");
        Directory.CreateDirectory(data);
        foreach (var file in Directory.GetFiles(Path.Combine(s_earlier, version, "data"), "*", SearchOption.AllDirectories))
        {
            var copy = Path.Combine(data, Path.GetRelativePath(Path.Combine(s_earlier, version, "data"), file));
            Directory.CreateDirectory(Path.GetDirectoryName(copy)!);
            File.Copy(file, copy);
        }
        Restore(_from, Path.Combine(s_earlier, version, "from.json"));
        Restore(_to, Path.Combine(s_earlier, version, "to.json"));
        try
        {
            await using var service = await TestService.StartAsync(data);

            // The store still knows everything.
            var moves = (await service.MovesAsync("crew")).ToDictionary(m => m.Account);
            Assert.Equal(
                [MoveStage.InStep, MoveStage.InStep, MoveStage.Surveyed, MoveStage.Copying, MoveStage.Listed],
                new[] { Aoife, Bram, Cleo, Dora, Eoin }.Select(a => moves[a].Stage)
            );
            Assert.Equal((MoveCondition.NeedsYou, MoveCondition.Held), (moves[Dora].Condition, moves[Eoin].Condition));
            Assert.Equal(new Counts(16, 13, 1, 1, 1), Counted(moves[Aoife]));
            Assert.Equal(new Counts(14, 12, 0, 1, 1), Counted(moves[Bram]));
            Assert.Equal((0, 1), (moves[Aoife].OpenLeftBehind, moves[Bram].OpenLeftBehind));
            Assert.Equal(3, (await service.GetAsync<MoveDetail>($"batches/crew/moves/{Aoife}")).Passes.Count);
            Assert.Contains("Tide 3", (await service.RunAsync("differences", "crew")).Out, StringComparison.Ordinal);
            Assert.Contains("Tide 900", (await service.RunAsync("left-behind", "crew")).Out, StringComparison.Ordinal);

            // The services listen on other ports now, and Dora's password is right.
            Assert.Equal(0, (await service.ApplyAsync(Plan, ("crew.csv", Roster("s")))).Code);
            _from.Find(Aoife)!.Find("INBOX")!.Add(Message(500, 300), ["\\Flagged"], DateTimeOffset.UtcNow);
            await service.RunAsync("differences", "crew", "--carry-again", "--kind", "missing");
            await service.RunAsync("retry", "crew");
            await service.RunAsync("resume", "crew");
            await service.RunAsync("start", "crew", "--wait");
            await service.RunAsync("catch-up", "crew", "--wait");
            await TestService.UntilAsync(async () =>
                (await service.MovesAsync("crew")).TrueForAll(m => m is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle })
            );

            // Nothing doubled, nothing lost: each message of the old side once, but for those too large.
            foreach (var account in new[] { Aoife, Bram, Cleo, Dora, Eoin })
            {
                string[] expected =
                [
                    .. _from
                        .Find(account)!
                        .Find("INBOX")!
                        .Messages.Where(m => m.Octets.Length < 20_000)
                        .Select(m => Text(m.Octets))
                        .Order(),
                ];
                Assert.Equal(expected, _to.Find(account)!.Find("INBOX")!.Messages.Select(m => Text(m.Octets)).Order());
            }
            moves = (await service.MovesAsync("crew")).ToDictionary(m => m.Account);
            Assert.Equal(new Counts(17, 14, 1, 1, 1), Counted(moves[Aoife]));
            Assert.Equal(new Counts(13, 12, 0, 1, 0), Counted(moves[Dora]));
            var waybill = await service.GetAsync<BatchWaybill>("batches/crew/waybill");
            Assert.Equal(
                waybill.Total.Found,
                waybill.Total.Carried + waybill.Total.Paired + waybill.Total.Excluded + waybill.Total.LeftBehind
            );
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact(Skip = "Makes a store for later versions to open; see the class", SkipUnless = nameof(Writes))]
    public async Task Write_a_store_for_later_versions()
    {
        var folder = Directory
            .CreateDirectory(Path.Combine(s_earlier, Environment.GetEnvironmentVariable("CARAVAN_WRITE_EARLIER")!))
            .FullName;
        foreach (var account in new[] { Aoife, Bram, Cleo, Dora, Eoin })
        {
            var box = _from.AddAccount(account, "s");
            for (var i = 0; i < 12; i++)
                box.Find("INBOX")!.Add(Message(i, 400), i % 2 == 0 ? ["\\Seen"] : [], Day(i));
            box.Make("Spam", "\\Junk").Add(Message(99, 300), [], Day(50));
            _to.AddAccount(account, "s");
        }
        _from.Find(Aoife)!.Make("Sent", "\\Sent").Add(Message(600, 200), ["\\Seen"], Day(60));
        _from.Find(Aoife)!.Find("INBOX")!.Add(Message(700, 200), [], Day(61));
        _to.Find(Aoife)!.Find("INBOX")!.Add(Message(700, 200), [], Day(61));
        foreach (var account in new[] { Aoife, Bram })
            _from.Find(account)!.Find("INBOX")!.Add(Message(900, 30_000), [], Day(90));
        await using (var service = await TestService.StartAsync(Path.Combine(folder, "data")))
        {
            await service.ApplyAsync(Plan, ("crew.csv", Roster("wrong")));
            await service.RunAsync("survey", "crew", "--move", Cleo, "--wait");
            await service.RunAsync("hold", "crew", "--move", Eoin);
            foreach (var account in new[] { Aoife, Bram, Dora })
                await service.RunAsync("start", "crew", "--move", account, "--wait");
            await service.RunAsync("left-behind", "crew", "--move", Aoife, "--accept");
            var there = _to.Find(Aoife)!.Find("INBOX")!;
            lock (_to.Find(Aoife)!.Lock)
                there.Remove(there.Messages.First(m => Text(m.Octets).Contains("Tide 3\r\n", StringComparison.Ordinal)));
            foreach (var _ in new[] { 1, 2 })
            {
                await service.RunAsync("catch-up", "crew", "--move", Aoife, "--wait");
                await TestService.UntilAsync(async () => (await service.MovesAsync("crew"))[0].Condition is MoveCondition.Idle);
            }
        }
        Save(_from, Path.Combine(folder, "from.json"));
        Save(_to, Path.Combine(folder, "to.json"));
    }

    public static bool Writes => Environment.GetEnvironmentVariable("CARAVAN_WRITE_EARLIER") is { Length: > 0 };

    private string Plan =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
            routes:
              crossing:
                from: lanternpost
                to: northquay
                folders: [{match: Spam, leave: true}]
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private static string Roster(string passwordOfDora) =>
        string.Join(
            '\n',
            "name,from_account,to_account,from_secret,to_secret",
            $"Aoife Marsh,{Aoife},{Aoife},s,s",
            $"Bram Tolland,{Bram},{Bram},s,s",
            $"Cleo Ness,{Cleo},{Cleo},s,s",
            $"Dora Quill,{Dora},{Dora},{passwordOfDora},s",
            $"Eoin Reef,{Eoin},{Eoin},s,s",
            ""
        );

    private static Counts Counted(MoveView move) => move.Counts;

    private static DateTimeOffset Day(int day) => new DateTimeOffset(2026, 1, 1, 9, 0, 0, TimeSpan.Zero).AddDays(day);

    private static byte[] Message(int i, int octets) =>
        Encoding.ASCII.GetBytes(
            $"Message-ID: <{i}@saltmarsh.example>\r\nDate: Sat, 3 Jan 2026 00:00:00 +0000\r\nFrom: desk@saltmarsh.example\r\n"
                + $"Subject: Tide {i}\r\n\r\n{new string('t', octets)}\r\n"
        );

    private static string Text(byte[] octets) => Encoding.ASCII.GetString(octets);

    private sealed record Kept(uint Uid, string Text, string[] Flags, DateTimeOffset Received);

    private sealed record KeptFolder(string Name, string? Use, uint Next, Kept[] Messages);

    private sealed record KeptAccount(string Login, string Password, KeptFolder[] Folders);

    private static void Save(StandInImap service, string file) =>
        File.WriteAllText(
            file,
            JsonSerializer.Serialize(
                new[] { Aoife, Bram, Cleo, Dora, Eoin }
                    .Select(login => service.Find(login)!)
                    .Select(account => new KeptAccount(
                        account.Login,
                        account.Password,
                        [
                            .. account
                                .Folders.OrderBy(f => f.Epoch)
                                .Select(f => new KeptFolder(
                                    f.Name,
                                    f.Use,
                                    f.Next,
                                    [.. f.Messages.Select(m => new Kept(m.Uid, Text(m.Octets), [.. m.Flags], m.Received))]
                                )),
                        ]
                    ))
            )
        );

    /// <summary>
    /// UIDs and UIDVALIDITY are given in order, so that the same steps give the same ones; a number without a message is of one that was
    /// removed.
    /// </summary>
    private static void Restore(StandInImap service, string file)
    {
        foreach (var account in JsonSerializer.Deserialize<KeptAccount[]>(File.ReadAllText(file))!)
        {
            var made = service.AddAccount(account.Login, account.Password);
            foreach (var kept in account.Folders)
            {
                var folder = made.Find(kept.Name) ?? made.Make(kept.Name, kept.Use);
                var byUid = kept.Messages.ToDictionary(m => m.Uid);
                for (var uid = 1u; uid < kept.Next; uid++)
                {
                    if (byUid.TryGetValue(uid, out var message))
                        folder.Add(Encoding.ASCII.GetBytes(message.Text), message.Flags, message.Received);
                    else
                        folder.Remove(folder.Add([], [], DateTimeOffset.UnixEpoch));
                }
            }
        }
    }

    private static string SourceFolder([System.Runtime.CompilerServices.CallerFilePath] string file = "") => Path.GetDirectoryName(file)!;
}
