using System.Globalization;
using System.Text;
using EasyCaravan.Peers;
using EasyCaravan.Testing;

[assembly: AssemblyFixture(typeof(EasyCaravan.Peers.Tests.TwoServers))]

namespace EasyCaravan.Peers.Tests;

/// <summary>Two Dovecots that differ in separator and in the names of their special folders.</summary>
public sealed class TwoServers : IAsyncLifetime
{
    public const string Password = "rope-and-tide";

    /// <summary>Folders as the from side writes them, and where they land, as the to side writes them.</summary>
    public static readonly (string From, string To)[] Folders =
    [
        ("INBOX", "INBOX"),
        ("Sent", "Sent Items"),
        ("Projects", "Projects"),
        ("Projects/Ramp 2", "Projects.Ramp 2"),
        ("Projects/v1.5", "Projects.v1_5"),
        ("&ANw-berfahrten/M&AOQ-rz", "&ANw-berfahrten.M&AOQ-rz"),
        ("&iCptd2XliqY-", "&iCptd2XliqY-"),
        ("Ropes &- tides", "Ropes &- tides"),
    ];

    private const int Pool = 140;

    private int _accounts;

    public DovecotServer From { get; private set; } = null!;

    public DovecotServer To { get; private set; } = null!;

    public async ValueTask InitializeAsync()
    {
        From = await DovecotServer.StartAsync('/');
        To = await DovecotServer.StartAsync('.');
        // All at once: Dovecot looks at its file of users once a second at most.
        for (var i = 0; i < Pool; i++)
        {
            From.SetUser(AccountOf(i), Password);
            To.SetUser(AccountOf(i), Password);
        }
    }

    /// <summary>Accounts that no other test uses, on both sides.</summary>
    public string[] NewAccounts(int count)
    {
        var last = Interlocked.Add(ref _accounts, count);
        return last <= Pool
            ? [.. Enumerable.Range(last - count, count).Select(AccountOf)]
            : throw new InvalidOperationException("The pool of accounts is too small.");
    }

    private static string AccountOf(int i) => $"p{i}@saltmarsh.example";

    public Task<PlainImap> AtFromAsync(string account) => PlainImap.SignInAsync(From.PlainPort, account, Password);

    public Task<PlainImap> AtToAsync(string account) => PlainImap.SignInAsync(To.PlainPort, account, Password);

    public string Plan(string route = "") => PlanBetween(From.PlainPort, To.PlainPort, route);

    /// <summary>Two services and a batch that moves from one to the other.</summary>
    public static string PlanBetween(int from, int to, string route = "") =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{from}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{to}}, security: none}
            routes:
              crossing:
                from: lanternpost
                to: northquay
            {{route}}
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    public static string Roster(IEnumerable<string> accounts, string password = Password) =>
        "name,from_account,to_account,from_secret,to_secret\n"
        + string.Concat(accounts.Select(a => $"{a.Split('@')[0]},{a},{a},{password},{password}\n"));

    /// <summary>Plants messages of every kind that matters over the folders.</summary>
    public async Task PlantAsync(string account, int count, int octets = 1500)
    {
        using var imap = await AtFromAsync(account);
        var there = await imap.ListFoldersAsync();
        foreach (var (folder, _) in Folders)
        {
            if (!there.Contains(folder))
                await imap.RunAsync($"CREATE \"{folder}\"");
        }
        for (var f = 0; f < Folders.Length; f++)
        {
            var own = Enumerable.Range(0, count).Where(i => i % Folders.Length == f).Select(i => Message(account, i, octets)).ToList();
            if (own.Count > 0)
                await imap.AppendAsync(Folders[f].From, own);
        }
    }

    public static (string Flags, DateTimeOffset Date, byte[] Octets) Message(string account, int i, int octets)
    {
        string[] flags =
        [
            "",
            "\\Seen",
            "\\Seen \\Answered",
            "\\Flagged",
            "\\Draft \\Seen",
            "\\Seen $Forwarded",
            "\\Seen Follow-up $Label1",
            "\\Deleted",
        ];
        var date = new DateTimeOffset(2019, 3, 30, 23, 59, 58, TimeSpan.FromMinutes(60 * ((i % 5) - 2) + (i % 2 * 30))).AddMinutes(i * 37);
        var header = $"From: {account}\r\nSubject: =?utf-8?Q?=C3=9Cber_{i}?=\r\nDate: Sat, 30 Mar 2019 23:59:58 +0000\r\n";
        // Every ninth has no Message-ID, as drafts and old mail often have none.
        if (i % 9 != 0)
            header += $"Message-ID: <{i}.{account}>\r\n";
        var body = (i % 7) switch
        {
            0 => "",
            1 => "8-bit without a name: " + Encoding.Latin1.GetString([0xE9, 0xFC, 0xFF, 0x80]) + "\r\n",
            2 => new string('x', 9000) + "\r\n",
            3 => "no line end at the end",
            4 => "\r\n\r\n.\r\n..\r\nFrom here on\r\n)\r\n* 1 FETCH (UID 1 BODY[] {5}\r\n",
            _ => string.Concat(
                Enumerable
                    .Range(0, Math.Max(1, octets / 60))
                    .Select(l => string.Create(CultureInfo.InvariantCulture, $"Line {l} of message {i}, about the tide and the ropes.\r\n"))
            ),
        };
        return (flags[i % flags.Length], date, Encoding.Latin1.GetBytes($"{header}\r\n{body}"));
    }

    /// <summary>Both sides, message by message: octets, flags, keywords, internal date; nothing missing and nothing twice.</summary>
    public async Task AssertSameAsync(string account, string? toAccount = null)
    {
        using var from = await AtFromAsync(account);
        using var to = await AtToAsync(toAccount ?? account);
        foreach (var (fromFolder, toFolder) in Folders)
        {
            var here = (await from.ReadFolderAsync(fromFolder)).Select(Describe).Order().ToList();
            var there = (await to.ReadFolderAsync(toFolder)).Select(Describe).Order().ToList();
            Assert.Equal(here, there);
        }
    }

    public static async Task RunToEndAsync(TestService service, string verb = "start")
    {
        var ran = await service.RunAsync(verb, "crew", "--wait");
        Assert.True(
            ran.Code == 0,
            ran.Out + ran.Error + (await service.RunAsync("differences", "crew")).Out + (await service.RunAsync("journal")).Out
        );
    }

    public async ValueTask DisposeAsync()
    {
        await From.DisposeAsync();
        await To.DisposeAsync();
    }

    private static string Describe(StoredMessage message) =>
        $"{Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(message.Octets))} {message.Octets.Length} ({message.Flags}) "
        + $"{message.Date}";
}
