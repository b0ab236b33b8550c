using System.Buffers.Text;
using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using System.Text;

namespace EasyCaravan.Peers.Weeks;

/// <summary>One connection as the server's side of the line saw it, by the clock of the test.</summary>
public sealed class WatchedConnection(string account, DateTimeOffset signedIn)
{
    public string Account { get; } = account;

    public DateTimeOffset SignedIn { get; } = signedIn;

    /// <summary>When the client last said something other than goodbye.</summary>
    public DateTimeOffset LastSaid { get; set; } = signedIn;
}

/// <summary>
/// Stands before a real IMAP server: writes down who was signed in when, and how many connections were open at a time. On demand it is slow
/// for an account, or turns everybody away as a service does that has had enough.
/// </summary>
public sealed class WatchedServer : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly ConcurrentDictionary<Task, byte> _sessions = new();
    private readonly List<(string Account, Socket Client)> _open = [];
    private readonly Lock _lock = new();
    private readonly int _target;
    private readonly TimeProvider _clock;
    private readonly Task _accepting;

    public WatchedServer(int target, TimeProvider clock)
    {
        (_target, _clock) = (target, clock);
        _listener.Start();
        _accepting = AcceptAsync();
    }

    public int Port => ((IPEndPoint)_listener.LocalEndpoint).Port;

    public ConcurrentQueue<WatchedConnection> Connections { get; } = [];

    /// <summary>The most that were signed in at a time.</summary>
    public int Most { get; private set; }

    /// <summary>The most that one account had at a time.</summary>
    public int MostOfOne { get; private set; }

    /// <summary>Sign-ins that were turned away.</summary>
    public int TurnedAway { get; private set; }

    /// <summary>What sign-ins are answered instead of being let in; null: they are let in.</summary>
    public string? Answer { get; set; }

    /// <summary>Accounts whose octets pass slowly: 4 KB in so many milliseconds.</summary>
    public ConcurrentDictionary<string, int> Slow { get; } = new();

    /// <summary>Forgets what it saw; what is open still counts.</summary>
    public void Forget() => Connections.Clear();

    private async Task AcceptAsync()
    {
        while (true)
        {
            TcpClient client;
            try
            {
                client = await _listener.AcceptTcpClientAsync();
            }
            catch (Exception e) when (e is SocketException or ObjectDisposedException)
            {
                return;
            }
            var session = RunAsync(client);
            _sessions[session] = 0;
            _ = session.ContinueWith(done => _sessions.TryRemove(done, out _), TaskScheduler.Default);
        }
    }

    private async Task RunAsync(TcpClient client)
    {
        using var server = new TcpClient { NoDelay = true };
        using (client)
        {
            client.NoDelay = true;
            try
            {
                await server.ConnectAsync(IPAddress.Loopback, _target);
                var down = PumpDownAsync(server.GetStream(), client.GetStream());
                if (await SignInAsync(client.GetStream(), server.GetStream()) is { } watched)
                    await PumpUpAsync(watched, client.GetStream(), server.GetStream());
                Left(client.Client);
                server.Client.Shutdown(SocketShutdown.Send);
                await down;
            }
            catch (Exception e) when (e is IOException or SocketException or ObjectDisposedException)
            {
                // The server is down, or one of the two left.
            }
            finally
            {
                Left(client.Client);
            }
        }
    }

    private static async Task PumpDownAsync(NetworkStream server, NetworkStream client)
    {
        try
        {
            await server.CopyToAsync(client);
            client.Socket.Shutdown(SocketShutdown.Send);
        }
        catch (Exception e) when (e is IOException or SocketException or ObjectDisposedException)
        {
            // The client left first.
        }
    }

    /// <summary>Passes lines on until one signs in; null: the client left, or was turned away.</summary>
    private async Task<WatchedConnection?> SignInAsync(NetworkStream client, NetworkStream server)
    {
        var line = new List<byte>();
        var octet = new byte[1];
        while (await client.ReadAsync(octet) > 0)
        {
            line.Add(octet[0]);
            if (octet[0] != (byte)'\n')
                continue;
            var words = Encoding.Latin1.GetString([.. line]).TrimEnd().Split(' ');
            var isSignIn = words.Length > 2 && words[1].ToUpperInvariant() is "LOGIN" or "AUTHENTICATE";
            if (isSignIn && Answer is { } answer)
            {
                lock (_lock)
                    TurnedAway++;
                await client.WriteAsync(Encoding.ASCII.GetBytes($"{words[0]} {answer}\r\n"));
                return null;
            }
            var came = isSignIn ? Came(AccountOf(words), client.Socket) : null;
            await server.WriteAsync(line.ToArray());
            if (came is not null)
                return came;
            line.Clear();
        }
        return null;
    }

    private static string AccountOf(string[] words)
    {
        if (words[1].Equals("LOGIN", StringComparison.OrdinalIgnoreCase))
            return words[2].Trim('"');
        if (words.Length < 4 || !Base64.IsValid(words[3]))
            throw new InvalidOperationException($"A sign-in that the test does not know: {words[1]} {words[2]}");
        var said = Encoding.UTF8.GetString(Convert.FromBase64String(words[3]));
        return said.StartsWith("user=", StringComparison.Ordinal) ? said[5..said.IndexOf('\u0001', StringComparison.Ordinal)]
            : said.StartsWith("n,a=", StringComparison.Ordinal) ? said[4..said.IndexOf(',', 4)]
            : said.Split('\0')[1];
    }

    private WatchedConnection Came(string account, Socket client)
    {
        var watched = new WatchedConnection(account, _clock.GetUtcNow());
        Connections.Enqueue(watched);
        lock (_lock)
        {
            // Whose client has left counts no longer, although nobody has read that yet.
            _open.RemoveAll(o => HasLeft(o.Client));
            _open.Add((account, client));
            Most = Math.Max(Most, _open.Count);
            MostOfOne = Math.Max(MostOfOne, _open.Count(o => o.Account == account));
        }
        return watched;
    }

    private static bool HasLeft(Socket client)
    {
        try
        {
            return client.Poll(0, SelectMode.SelectRead) && client.Available == 0;
        }
        catch (Exception e) when (e is SocketException or ObjectDisposedException)
        {
            return true;
        }
    }

    private void Left(Socket client)
    {
        lock (_lock)
            _open.RemoveAll(o => o.Client == client);
    }

    private async Task PumpUpAsync(WatchedConnection watched, NetworkStream client, NetworkStream server)
    {
        var buffer = new byte[4096];
        int count;
        while ((count = await client.ReadAsync(buffer)) > 0)
        {
            if (buffer.AsSpan(0, count).TrimEnd("\r\n"u8).EndsWith(" LOGOUT"u8))
                Left(client.Socket);
            else
                watched.LastSaid = _clock.GetUtcNow();
            if (Slow.TryGetValue(watched.Account, out var pause))
                await Task.Delay(pause);
            await server.WriteAsync(buffer.AsMemory(0, count));
        }
    }

    public async ValueTask DisposeAsync()
    {
        _listener.Stop();
        await _accepting;
        await Task.WhenAll(_sessions.Keys);
    }
}
