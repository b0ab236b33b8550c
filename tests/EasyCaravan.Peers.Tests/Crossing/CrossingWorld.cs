using System.Text;
using EasyCaravan.Peers.Dav;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Crossing;

/// <summary>
/// Two mail systems that really deliver: a Postfix, which brings mail for each domain to its server over LMTP, and takes what their rules
/// send on.
/// </summary>
public sealed class CrossingWorld : IAsyncDisposable
{
    public const string Password = "rope-and-tide";

    public const string OldDomain = "saltmarsh.example",
        OtherOldDomain = "lanternpost.example",
        NewDomain = "northquay.example";

    private CrossingWorld() { }

    public PostfixServer Post { get; private set; } = null!;

    /// <summary>The old side of accounts at <see cref="OldDomain"/>.</summary>
    public DovecotServer Old { get; private set; } = null!;

    /// <summary>The old side of accounts at <see cref="OtherOldDomain"/>; null: there is none.</summary>
    public CyrusServer? OtherOld { get; private set; }

    public DovecotServer New { get; private set; } = null!;

    public static bool CanRun => PostfixServer.CanRun;

    /// <param name="people">Local parts of the accounts at the Dovecot; each has an account on the new side.</param>
    /// <param name="others">Those at the Cyrus.</param>
    public static async Task<CrossingWorld> StartAsync(
        IReadOnlyCollection<string> people,
        IReadOnlyCollection<string>? others = null,
        string? newQuota = null,
        string? oldRulesWithout = null
    )
    {
        var port = DovecotServer.FreePort();
        var world = new CrossingWorld
        {
            Old = await DovecotServer.StartAsync('/', new DovecotManners(Sieve: true) { Relay = port, RulesWithout = oldRulesWithout }),
            New = await DovecotServer.StartAsync('.', new DovecotManners(Sieve: true, Quota: newQuota) { Relay = port }),
        };
        world.Old.SetUsers([.. people.Select(p => ($"{p}@{OldDomain}", Password, (string?)null))]);
        world.New.SetUsers([.. people.Concat(others ?? []).Select(p => ($"{p}@{NewDomain}", Password, (string?)null))]);
        if (others is not null)
        {
            world.OtherOld = await CyrusServer.StartAsync(others.Select(p => ($"{p}@{OtherOldDomain}", Password)), port);
            // It makes an account at its first sign-in, and takes no mail before.
            foreach (var other in others)
                using (await PlainImap.SignInAsync(world.OtherOld.Port, $"{other}@{OtherOldDomain}", Password)) { }
        }
        world.Post = await PostfixServer.StartAsync(
            [
                (OldDomain, world.Old.LmtpPort),
                (NewDomain, world.New.LmtpPort),
                .. world.OtherOld is { } cyrus ? [(OtherOldDomain, cyrus.LmtpPort)] : Array.Empty<(string, int)>(),
            ],
            port
        );
        return world;
    }

    /// <summary>A plan for people of the Dovecot (batch crew), and for those of the Cyrus (batch mates) where there is one.</summary>
    /// <param name="batch">Keys of the batches, such as <c>crossing: {wave: 5}</c>.</param>
    /// <param name="old">Keys of the old service.</param>
    public string Plan(string batch = "", string old = "", bool withRules = true) =>
        $$"""
            notices:
              from: "Moving desk <desk@{{NewDomain}}>"
              sending: {speaks: smtp, host: 127.0.0.1, port: {{Post.Port}}, security: none}
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{Old.PlainPort}}, security: none}
                {{(withRules ? $"rules: {{speaks: managesieve, host: 127.0.0.1, port: {Old.SievePort}, security: none}}" : "")}}
                sending: {speaks: smtp, host: 127.0.0.1, port: {{Post.Port}}, security: none}
                limits: {connections: 100}
                {{old}}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{New.PlainPort}}, security: none}
                rules: {speaks: managesieve, host: 127.0.0.1, port: {{New.SievePort}}, security: none}
                sending: {speaks: smtp, host: 127.0.0.1, port: {{Post.Port}}, security: none}
                limits: {connections: 100}
            {{(OtherOld is null ? "" : $$"""
              tidehouse:
                mail: {speaks: imap, host: 127.0.0.1, port: {{OtherOld.Port}}, security: none}
                rules: {speaks: managesieve, host: 127.0.0.1, port: {{OtherOld.SievePort}}, security: none}
                sending: {speaks: smtp, host: 127.0.0.1, port: {{Post.Port}}, security: none}
                limits: {connections: 100}
            """)}}
            routes:
              crossing: {from: lanternpost, to: northquay}
              {{(OtherOld is null ? "" : "other-crossing: {from: tidehouse, to: northquay}")}}
            batches:
              crew:
                route: crossing
                roster: crew.csv
            {{Indented(batch)}}
              {{(OtherOld is null ? "" : "mates:\n    route: other-crossing\n    roster: mates.csv\n" + Indented(batch))}}
            """;

    private static string Indented(string keys) => string.Concat(keys.Split('\n').Where(l => l.Length > 0).Select(l => $"    {l}\n"));

    public static string Roster(IEnumerable<string> people, string domain = OldDomain) =>
        "name,from_account,to_account,from_secret,to_secret\n"
        + string.Concat(people.Select(p => $"{p},{p}@{domain},{p}@{NewDomain},{Password},{Password}\n"));

    public Task<PlainImap> AtOldAsync(string person) => PlainImap.SignInAsync(Old.PlainPort, $"{person}@{OldDomain}", Password);

    public Task<PlainImap> AtNewAsync(string person) => PlainImap.SignInAsync(New.PlainPort, $"{person}@{NewDomain}", Password);

    public static byte[] Message(string from, string to, string id, string subject, string body) =>
        Encoding.ASCII.GetBytes(
            $"From: {from}\r\nTo: {to}\r\nSubject: {subject}\r\nDate: Sat, 30 Mar 2019 23:59:58 +0000\r\n"
                + $"Message-ID: <{id}>\r\n\r\n{body}\r\n"
        );

    /// <summary>As mail from outside comes.</summary>
    public Task SendAsync(string to, string id, string subject, CancellationToken cancel, string body = "The tide is in.") =>
        PlainSmtp.SendAsync(Post.Port, "friend@outside.example", [to], Message("friend@outside.example", to, id, subject, body), cancel);

    /// <summary>Message-IDs of all that a person has on the new side, by folder, as a client of our own sees it.</summary>
    public async Task<List<(string Folder, string Id)>> NewIdsAsync(string person)
    {
        using var imap = await AtNewAsync(person);
        return await IdsAsync(imap);
    }

    public static async Task<List<(string Folder, string Id)>> IdsAsync(PlainImap imap)
    {
        var all = new List<(string, string)>();
        foreach (var folder in await imap.ListFoldersAsync())
        foreach (var message in await imap.ReadFolderAsync(folder))
            all.Add((folder, IdOf(message.Octets)));
        return all;
    }

    public static string IdOf(byte[] octets)
    {
        var text = Encoding.Latin1.GetString(octets);
        var start = text.IndexOf("Message-ID: <", StringComparison.OrdinalIgnoreCase) + 13;
        return text[start..text.IndexOf('>', start)];
    }

    /// <summary>Applies the plan and copies everybody once.</summary>
    public static async Task<TestService> StartServiceAsync(
        string plan,
        IReadOnlyCollection<string> people,
        IReadOnlyCollection<string>? others = null,
        string? roster = null
    )
    {
        var service = await TestService.StartAsync();
        var files = new List<(string, string)> { ("crew.csv", roster ?? Roster(people)) };
        if (others is not null)
            files.Add(("mates.csv", Roster(others, OtherOldDomain)));
        var applied = await service.ApplyAsync(plan, [.. files]);
        Assert.True(applied.Code == 0, applied.Error);
        foreach (var batch in others is null ? ["crew"] : new[] { "crew", "mates" })
        {
            await service.RunAsync("start", batch);
            await service.UntilInStepAsync(batch, 200);
        }
        return service;
    }

    public async ValueTask DisposeAsync()
    {
        await Post.DisposeAsync();
        await Old.DisposeAsync();
        await New.DisposeAsync();
        if (OtherOld is not null)
            await OtherOld.DisposeAsync();
    }
}
