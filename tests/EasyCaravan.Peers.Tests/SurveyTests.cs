using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests;

/// <summary>
/// Two hundred accounts on two real servers, with problems of each kind planted in some of them: all are found, none is invented, and once
/// ways out are chosen the first pass arrives where the preview said.
/// </summary>
[Collection("one at a time: a server that is killed serves all")]
public sealed class SurveyTests
{
    private const int People = 200;
    private const string Password = "rope-and-tide";

    // Mail from the future cannot be planted here: Dovecot sets such dates to now. The stand-in gives it out.
    /// <summary>What is planted, for which people, and which finding it must give. Everybody else must give none of them.</summary>
    private static readonly (string Code, int First, int Count)[] s_planted =
    [
        ("cannot-get-in", 0, 4),
        ("unreadable-folder", 4, 4),
        ("missing-right", 8, 4),
        ("no-room", 12, 6),
        ("message-too-large", 18, 6),
        ("keywords-lost", 24, 6),
        ("reserved-name", 30, 6),
        ("illegal-name", 36, 6),
        ("too-deep", 42, 6),
        ("long-name", 48, 6),
        ("name-clash", 54, 6),
        ("merged-folders", 60, 6),
        ("labels-as-folders", 66, 6),
        ("to-not-empty", 72, 6),
        ("already-forwards", 78, 6),
        ("same-person", 84, 6),
        ("own-rules", 90, 6),
        ("unused", 96, 6),
        ("nothing-there", 102, 6),
        // The dot in the name is the separator of the new side.
        ("illegal-name", 54, 6),
    ];

    private static string Account(int i) => $"s{i}@saltmarsh.example";

    private static string Name(int i) => i is >= 84 and < 90 ? $"Twin {(i - 84) / 2}" : $"Person {i}";

    private static byte[] Message(int person, int number, int octets = 600) =>
        Encoding.ASCII.GetBytes(
            $"Message-ID: <{number}.{person}@saltmarsh.example>\r\nFrom: desk@saltmarsh.example\r\nSubject: Note {number}\r\n"
                + $"Date: Sat, 30 Mar 2019 23:59:58 +0000\r\n\r\n{new string('x', octets)}\r\n"
        );

    private static bool Is(string code, int person) =>
        s_planted.Any(p => p.Code == code && person >= p.First && person < p.First + p.Count);

    [Fact]
    public async Task All_that_was_planted_is_found_none_is_invented_and_the_first_pass_has_no_surprise()
    {
        await using var from = await DovecotServer.StartAsync('/', new DovecotManners(Sieve: true, Rights: true));
        await using var to = await DovecotServer.StartAsync(
            '.',
            new DovecotManners(Rights: true, Quota: "10M", Administrator: ("harbourmaster", "keys"))
        );
        await PlantAsync(from, to);
        await using var service = await TestService.StartAsync();
        await File.WriteAllTextAsync(Path.Combine(service.Folder, "secrets", "harbourmaster"), "keys");
        var roster =
            "name,from_account,to_account,from_secret\n"
            + string.Concat(
                Enumerable
                    .Range(0, People)
                    .Select(i => $"{Name(i)},{Account(i)},{Account(i)},{(Is("cannot-get-in", i) ? "wrong" : Password)}\n")
            );
        var applied = await service.ApplyAsync(
            Plan(from, to),
            ("crew.csv", roster),
            ("from.pem", from.AuthorityPem),
            ("to.pem", to.AuthorityPem)
        );
        Assert.True(applied.Code == 0, applied.Error);

        Assert.Equal(3, (await service.RunAsync("survey", "crew", "--wait")).Code);
        var rows = await service.ListAsync<FindingRow>("batches/crew/findings/rows");
        foreach (var planted in s_planted.GroupBy(p => p.Code))
        {
            var expected = planted.SelectMany(p => Enumerable.Range(p.First, p.Count)).Select(Account).Order(StringComparer.Ordinal);
            var found = rows.Where(r => r.Code == planted.Key).Select(r => r.Account).Distinct().Order(StringComparer.Ordinal);
            Assert.Equal((planted.Key, string.Join(' ', expected)), (planted.Key, string.Join(' ', found)));
        }
        Assert.Empty(rows.Select(r => r.Code).Except(s_planted.Select(p => p.Code)));

        await DecideAsync(service, from, to);
        var open = (await service.GetAsync<List<FindingGroup>>("batches/crew/findings"))
            .Where(g => g.Open > 0 && g.Weight is not FindingWeight.Note)
            .Select(g => g.Code);
        Assert.Empty(open);

        var promised = new Dictionary<int, FolderPreview>();
        for (var i = 0; i < People; i++)
            promised[i] = await service.GetAsync<FolderPreview>($"batches/crew/folders?move={Account(i)}");
        var started = await service.RunAsync("start", "crew", "--wait");
        var moves = await service.MovesAsync("crew");
        Assert.All(moves, m => Assert.True(m.Stage is MoveStage.InStep, $"{m.Name}: {m.Stage} {m.Problem?.What}"));
        Assert.Equal(Enumerable.Range(18, 6).Select(Account), moves.Where(m => m.OpenLeftBehind > 0).Select(m => m.Account));
        Assert.Equal(3, started.Code);
        for (var i = 0; i < People; i++)
            await AssertArrivedAsync(i, promised[i], to);
    }

    private static string Plan(DovecotServer from, DovecotServer to) =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{from.TlsPort}}, security: tls}
                rules: {speaks: managesieve, host: 127.0.0.1, port: {{from.SievePort}} }
                trust: {ca-file: from.pem}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{to.TlsPort}}, security: tls}
                trust: {ca-file: to.pem}
                sign-in: {with: on-behalf, admin: harbourmaster, secret: {file: harbourmaster} }
                limits: {largest-message: 100kB}
                folder-names: {reserved: [Outbox], illegal: ":", deepest: 3, longest: 30}
            routes:
              crossing:
                from: lanternpost
                to: northquay
                folders: [{match: Older, to: Old}]
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private static async Task PlantAsync(DovecotServer from, DovecotServer to)
    {
        from.SetUsers([.. Enumerable.Range(0, People).Select(i => (Account(i), Password, (string?)null))]);
        to.SetUsers([.. Enumerable.Range(0, People).Select(i => (Account(i), Password, Is("no-room", i) ? "20k" : null))]);
        await Parallel.ForEachAsync(Enumerable.Range(0, People), new ParallelOptions { MaxDegreeOfParallelism = 8 }, async (i, _) =>
        {
            using var imap = await PlainImap.SignInAsync(from.PlainPort, Account(i), Password);
            var date = Is("unused", i) ? DateTimeOffset.UtcNow.AddYears(-2) : DateTimeOffset.UtcNow.AddDays(-3);
            async Task FolderAsync(string name, int number, string flags = "")
            {
                await imap.RunAsync($"CREATE \"{name}\"");
                await imap.AppendAsync(name, [(flags, date, Message(i, number))]);
            }
            if (Is("nothing-there", i))
                return;
            await imap.AppendAsync("INBOX", Enumerable.Range(0, 3).Select(n => ("\\Seen", date, Message(i, n))));
            await FolderAsync("Work/Ramp", 10);
            if (Is("no-room", i))
                await imap.AppendAsync("INBOX", Enumerable.Range(20, 5).Select(n => ("", date, Message(i, n, 9_000))));
            if (Is("message-too-large", i))
                await imap.AppendAsync("INBOX", [("", date, Message(i, 30, 150_000))]);
            if (Is("keywords-lost", i))
                await imap.AppendAsync("INBOX", [("\\Seen $Ropes", date, Message(i, 31))]);
            if (Is("reserved-name", i))
                await FolderAsync("Outbox", 32);
            if (Is("illegal-name", i))
                await FolderAsync("Deck: plans", 33);
            if (Is("too-deep", i))
                await FolderAsync("A/B/C/D", 34);
            if (Is("long-name", i))
                await FolderAsync("Minutes of the harbour board and its committees", 35);
            if (Is("name-clash", i))
            {
                await FolderAsync("v1.5", 36);
                await FolderAsync("v1_5", 37);
            }
            if (Is("merged-folders", i))
            {
                await FolderAsync("Old", 38);
                await FolderAsync("Older", 39);
            }
            if (Is("labels-as-folders", i))
                await FolderAsync("Everything", 40);
            if (Is("unreadable-folder", i))
            {
                await FolderAsync("Sealed", 42);
                from.SetRights(Account(i), "Sealed", "l");
            }
            if (Is("already-forwards", i))
                from.SetSieve(
                    Account(i),
                    "require [\"copy\"];\n# redirect \"nobody@saltmarsh.example\"\nredirect :copy \"elsewhere@ferries.example\";\n"
                );
            if (Is("own-rules", i))
                from.SetSieve(
                    Account(i),
                    "require [\"fileinto\", \"vacation\"];\nif header :contains \"subject\" \"tide\" { fileinto \"INBOX\"; }\n"
                        + "vacation \"redirect \\\"nobody@saltmarsh.example\\\"\";\n"
                );
            using var there = await PlainImap.SignInAsync(to.PlainPort, Account(i), Password);
            if (Is("to-not-empty", i))
                await there.AppendAsync("INBOX", [("\\Seen", date, Message(i, 0)), ("", date, Message(i, 77))]);
            // Dovecot creates an account's folder at its first use.
            if (Is("missing-right", i) || Is("keywords-lost", i))
                await there.RunAsync("SELECT INBOX");
            if (Is("missing-right", i))
                to.SetRights(Account(i), "INBOX", "lrswt");
            if (Is("keywords-lost", i))
                to.SetRights(Account(i), "INBOX", "lrsi");
        });
    }

    /// <summary>Mends what only the services can, and chooses a way out of everything else.</summary>
    private static async Task DecideAsync(TestService service, DovecotServer from, DovecotServer to)
    {
        foreach (
            var decision in new[]
            {
                "reserved-name suffix --value _mail",
                "illegal-name substitute --value -",
                "too-deep flatten --value +",
                "long-name accept",
                "name-clash number",
                "keywords-lost drop-keywords",
                "message-too-large accept",
                "labels-as-folders leave-all",
                "own-rules accept",
                $"no-room largest --value 5kB --move {string.Join(' ', Enumerable.Range(12, 6).Select(Account))}",
            }
        )
        {
            var chosen = await service.RunAsync(["choose", "crew", .. decision.Split(' ')]);
            Assert.True(chosen.Code == 0, chosen.Error);
        }
        for (var i = 0; i < People; i++)
        {
            if (Is("unreadable-folder", i))
                from.SetRights(Account(i), "Sealed", "lrswt");
            if (Is("missing-right", i))
                to.SetRights(Account(i), "INBOX", "lrswitk");
        }
        var roster =
            "name,from_account,to_account,from_secret\n"
            + string.Concat(Enumerable.Range(0, People).Select(i => $"{Name(i)},{Account(i)},{Account(i)},{Password}\n"));
        Assert.Equal(
            0,
            (
                await service.ApplyAsync(Plan(from, to), ("crew.csv", roster), ("from.pem", from.AuthorityPem), ("to.pem", to.AuthorityPem))
            ).Code
        );
        await service.RunAsync("survey", "crew", "--wait");
    }

    private static async Task AssertArrivedAsync(int person, FolderPreview promised, DovecotServer to)
    {
        using var there = await PlainImap.SignInAsync(to.PlainPort, Account(person), Password);
        var expected = promised
            .Landings.Where(l => l.To is not null)
            .GroupBy(l => Raw(l.To!))
            .ToDictionary(g => g.Key, g => g.Sum(l => l.CarryMessages));
        foreach (var folder in await there.ListFoldersAsync())
        {
            var count = (await there.ReadFolderAsync(folder)).Count;
            var promise = expected.GetValueOrDefault(folder);
            // The message over the limit stays behind. Of those that were there before, one is the same and one is not.
            if (folder == "INBOX" && Is("message-too-large", person))
                promise--;
            if (folder == "INBOX" && Is("to-not-empty", person))
                promise++;
            Assert.Equal((person, folder, promise), (person, folder, (long)count));
            expected.Remove(folder);
        }
        Assert.Empty(expected);
    }

    /// <summary>As the new side writes it.</summary>
    private static string Raw(string path) => path.Replace('/', '.');
}
