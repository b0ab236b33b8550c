using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.StandIns;

/// <summary>Listens on loopback and talks with everybody who comes, each by itself, until it is disposed of.</summary>
public abstract class StandInServer : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly ConcurrentDictionary<Task, byte> _talks = new();
    private readonly CancellationTokenSource _stop = new();
    private readonly Task _accepting;

    protected StandInServer()
    {
        _listener.Start();
        Port = ((IPEndPoint)_listener.LocalEndpoint).Port;
        _accepting = AcceptAsync();
    }

    public int Port { get; }

    /// <summary>Connections open now.</summary>
    protected int Open => _talks.Count;

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        _listener.Stop();
        await _accepting;
        await Task.WhenAll(_talks.Keys);
        _stop.Dispose();
        GC.SuppressFinalize(this);
    }

    protected abstract Task TalkAsync(TcpClient client, CancellationToken cancel);

    private async Task AcceptAsync()
    {
        try
        {
            while (true)
            {
                var talk = OwnAsync(await _listener.AcceptTcpClientAsync(_stop.Token));
                _talks[talk] = 0;
                _ = talk.ContinueWith(done => _talks.TryRemove(done, out _), TaskScheduler.Default);
            }
        }
        catch (Exception e)
            when (e is OperationCanceledException or SocketException or ObjectDisposedException or InvalidOperationException)
        {
            // Stopped.
        }
    }

    private async Task OwnAsync(TcpClient client)
    {
        using (client)
        {
            try
            {
                await TalkAsync(client, _stop.Token);
            }
            catch (Exception e)
                when (e is IOException or OperationCanceledException or System.Security.Authentication.AuthenticationException)
            {
                // The caller left, or the server stops.
            }
        }
    }
}
