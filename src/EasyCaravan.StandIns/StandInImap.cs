using System.Collections.Concurrent;
using System.Net.Sockets;

namespace EasyCaravan.StandIns;

/// <summary>How a stand-in behaves.</summary>
/// <param name="Separator">Between names of folders.</param>
/// <param name="LargestMessage">In octets; larger ones are refused with TOOBIG. Null: any.</param>
/// <param name="PausePerMessage">Between two messages given out, so that a demonstration can be watched.</param>
/// <param name="Without">Capabilities withheld, such as <c>MULTIAPPEND</c>.</param>
public sealed record StandInManners(
    char? Separator = '/',
    long? LargestMessage = null,
    TimeSpan PausePerMessage = default,
    IReadOnlySet<string>? Without = null
)
{
    /// <summary>Names that nobody may give to a folder, at any level.</summary>
    public IReadOnlySet<string> Reserved { get; init; } = new HashSet<string>();

    /// <summary>Characters that no folder's name may have.</summary>
    public string Illegal { get; init; } = "";

    /// <summary>The most names in a path.</summary>
    public int Deepest { get; init; } = int.MaxValue;

    /// <summary>The most characters in one name.</summary>
    public int LongestName { get; init; } = int.MaxValue;

    /// <summary>Sets system flags only; keywords are lost.</summary>
    public bool DropsKeywords { get; init; }

    /// <summary>Names that differ only in case are one folder.</summary>
    public bool IgnoresCase { get; init; }

    /// <summary>Connections at a time; further ones are sent away with a reason.</summary>
    public int MostConnections { get; init; } = int.MaxValue;

    /// <summary>Sends everybody away with these words, such as <c>[UNAVAILABLE] Maintenance</c>; null: open.</summary>
    public string? Closed { get; init; }

    /// <summary>Takes access tokens of this server, and no passwords.</summary>
    public StandInOAuth? Tokens { get; init; }

    /// <summary>What a token must permit.</summary>
    public string Scope { get; init; } = "mail";

    /// <summary>An administrator who may act for every account, and the password; null: nobody may.</summary>
    public (string Login, string Password)? Administrator { get; init; }

    /// <summary>A session ends when its token does.</summary>
    public bool EndsWithToken { get; init; }

    /// <summary>Messages that it tells shorter by a few octets than it then gives them.</summary>
    public Func<byte[], bool> TellsShort { get; init; } = _ => false;

    private static readonly string[] s_all =
    [
        "IMAP4rev1",
        "NAMESPACE",
        "QUOTA",
        "UIDPLUS",
        "MULTIAPPEND",
        "LITERAL+",
        "LIST-EXTENDED",
        "LIST-STATUS",
        "SPECIAL-USE",
        "CREATE-SPECIAL-USE",
        "ESEARCH",
        "CONDSTORE",
    ];

    public bool Offers(string capability) => Without?.Contains(capability) != true;

    internal string Capabilities =>
        string.Join(' ', s_all.Where(Offers))
        + (Tokens is null ? " AUTH=PLAIN" : " AUTH=OAUTHBEARER AUTH=XOAUTH2 LOGINDISABLED")
        + (LargestMessage is { } largest ? $" APPENDLIMIT={largest}" : "");
}

/// <summary>A small IMAP service in memory, on loopback: for the demonstration and for faults on demand.</summary>
public sealed class StandInImap(StandInManners manners) : StandInServer
{
    private readonly ConcurrentDictionary<string, StandInAccount> _accounts = new(StringComparer.OrdinalIgnoreCase);
    private int _calls;

    /// <summary>May change while it runs; sessions follow at once.</summary>
    public StandInManners Manners { get; set; } = manners;

    /// <summary>Connections open now.</summary>
    public int Sessions => Open;

    /// <summary>Connections since it started, those sent away included.</summary>
    public int Calls => Volatile.Read(ref _calls);

    /// <summary>Commands that sessions ran, by verb: for tests of what a pass costs.</summary>
    public ConcurrentDictionary<string, int> Commands { get; } = new(StringComparer.OrdinalIgnoreCase);

    public StandInAccount AddAccount(string login, string password)
    {
        var account = new StandInAccount(login, password) { IgnoresCase = Manners.IgnoresCase };
        account.Make("INBOX");
        _accounts[login] = account;
        return account;
    }

    public StandInAccount? Find(string login) => _accounts.GetValueOrDefault(login);

    protected override Task TalkAsync(TcpClient client, CancellationToken cancel)
    {
        Interlocked.Increment(ref _calls);
        return new StandInSession(this, client).RunAsync(cancel);
    }
}
