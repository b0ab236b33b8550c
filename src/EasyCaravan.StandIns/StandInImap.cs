using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.StandIns;

/// <summary>How a stand-in behaves.</summary>
/// <param name="Separator">Between names of folders.</param>
/// <param name="LargestMessage">In octets; larger ones are refused with TOOBIG. Null: any.</param>
/// <param name="PausePerMessage">Between two messages given out, so that a demonstration can be watched.</param>
/// <param name="Without">Capabilities withheld, such as <c>MULTIAPPEND</c>.</param>
public sealed record StandInManners(char Separator = '/', long? LargestMessage = null, TimeSpan PausePerMessage = default, IReadOnlySet<string>? Without = null)
{
    private static readonly string[] s_all =
        ["IMAP4rev1", "AUTH=PLAIN", "NAMESPACE", "UIDPLUS", "MULTIAPPEND", "LITERAL+", "LIST-EXTENDED", "LIST-STATUS", "SPECIAL-USE", "CREATE-SPECIAL-USE", "ESEARCH", "CONDSTORE"];

    public bool Offers(string capability) => Without?.Contains(capability) != true;

    internal string Capabilities =>
        string.Join(' ', s_all.Where(Offers)) + (LargestMessage is { } largest ? $" APPENDLIMIT={largest}" : "");
}

/// <summary>A small IMAP service in memory, on loopback: for the demonstration and for faults on demand.</summary>
public sealed class StandInImap : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly CancellationTokenSource _stop = new();
    private readonly ConcurrentDictionary<string, StandInAccount> _accounts = new(StringComparer.OrdinalIgnoreCase);
    private readonly ConcurrentDictionary<Task, byte> _sessions = new();
    private readonly Task _accepting;

    public StandInImap(StandInManners manners)
    {
        Manners = manners;
        _listener.Start();
        Port = ((IPEndPoint)_listener.LocalEndpoint).Port;
        _accepting = AcceptAsync();
    }

    /// <summary>May change while it runs; sessions follow at once.</summary>
    public StandInManners Manners { get; set; }

    public int Port { get; }

    /// <summary>Commands that sessions ran, by verb: for tests of what a pass costs.</summary>
    public ConcurrentDictionary<string, int> Commands { get; } = new(StringComparer.OrdinalIgnoreCase);

    public StandInAccount AddAccount(string login, string password)
    {
        var account = new StandInAccount(login, password);
        account.Make("INBOX");
        _accounts[login] = account;
        return account;
    }

    public StandInAccount? Find(string login) => _accounts.GetValueOrDefault(login);

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        _listener.Stop();
        await _accepting;
        await Task.WhenAll(_sessions.Keys);
        _stop.Dispose();
    }

    private async Task AcceptAsync()
    {
        while (!_stop.IsCancellationRequested)
        {
            TcpClient client;
            try
            {
                client = await _listener.AcceptTcpClientAsync(_stop.Token);
            }
            catch (Exception e) when (e is OperationCanceledException or SocketException or ObjectDisposedException)
            {
                return;
            }
            var session = new StandInSession(this, client).RunAsync(_stop.Token);
            _sessions[session] = 0;
            _ = session.ContinueWith(done => _sessions.TryRemove(done, out _), TaskScheduler.Default);
        }
    }
}
