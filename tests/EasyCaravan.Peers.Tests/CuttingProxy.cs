using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.Peers;

/// <summary>Stands between a client and a server and cuts connections after so many octets, in whatever they are doing.</summary>
public sealed class CuttingProxy : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly int _target;
    private readonly Func<long?> _life;
    private readonly Task _accepting;
    private readonly HashSet<Task> _sessions = [];
    private readonly Lock _lock = new();
    private readonly List<(long At, TaskCompletionSource Reached)> _marks = [];
    private long _cut;
    private long _passed;

    /// <param name="target">The server's port.</param>
    /// <param name="life">Octets, of both directions together, that the next connection lives for; null: as long as it likes.</param>
    public CuttingProxy(int target, Func<long?> life)
    {
        (_target, _life) = (target, life);
        _listener.Start();
        _accepting = AcceptAsync();
    }

    public int Port => ((IPEndPoint)_listener.LocalEndpoint).Port;

    /// <summary>Connections cut so far.</summary>
    public long Cut => Interlocked.Read(ref _cut);

    /// <summary>Waits until so many more octets have passed, of both directions and all connections together.</summary>
    public async Task PassedAsync(long octets)
    {
        var reached = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        lock (_lock)
            _marks.Add((_passed + octets, reached));
        await reached.Task.WaitAsync(TimeSpan.FromMinutes(2));
    }

    private void Count(int octets)
    {
        lock (_lock)
        {
            _passed += octets;
            foreach (var mark in _marks.Where(m => m.At <= _passed))
                mark.Reached.TrySetResult();
            _marks.RemoveAll(m => m.At <= _passed);
        }
    }

    /// <summary>
    /// Waits until the server has ended every session, also those whose client was cut off: whatever it was told, it has done by then.
    /// </summary>
    public async Task RestAsync()
    {
        Task[] open;
        lock (_lock)
            open = [.. _sessions];
        await Task.WhenAll(open);
    }

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
            var session = RunAsync(client, _life());
            lock (_lock)
                _sessions.Add(session);
            _ = session.ContinueWith(
                done =>
                {
                    lock (_lock)
                        _sessions.Remove(done);
                },
                TaskScheduler.Default
            );
        }
    }

    private async Task RunAsync(TcpClient client, long? life)
    {
        using var server = new TcpClient { NoDelay = true };
        using (client)
        {
            client.NoDelay = true;
            try
            {
                await server.ConnectAsync(IPAddress.Loopback, _target);
            }
            catch (SocketException)
            {
                // The server is down: whoever called is sent away.
                return;
            }
            var left = life ?? long.MaxValue;
            var cut = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
            async Task PumpAsync(NetworkStream from, NetworkStream to)
            {
                var buffer = new byte[16 * 1024];
                try
                {
                    int count;
                    while ((count = await from.ReadAsync(buffer)) > 0)
                    {
                        var before = Interlocked.Add(ref left, -count) + count;
                        await to.WriteAsync(buffer.AsMemory(0, (int)Math.Clamp(before, 0, count)));
                        Count(count);
                        if (before > count)
                            continue;
                        cut.TrySetResult();
                        return;
                    }
                }
                catch (Exception e) when (e is IOException or ObjectDisposedException)
                {
                    // One of the two left.
                }
            }
            var (up, down) = (PumpAsync(client.GetStream(), server.GetStream()), PumpAsync(server.GetStream(), client.GetStream()));
            await Task.WhenAny(up, down, cut.Task);
            if (cut.Task.IsCompleted)
                Interlocked.Increment(ref _cut);
        }
        // The client is gone; the server is told, and ends in its own time.
        try
        {
            server.Client.Shutdown(SocketShutdown.Send);
            var rest = new byte[16 * 1024];
            while (await server.GetStream().ReadAsync(rest) > 0) { }
        }
        catch (Exception e) when (e is IOException or SocketException or InvalidOperationException or ObjectDisposedException)
        {
            // It was gone before.
        }
    }

    public async ValueTask DisposeAsync()
    {
        _listener.Stop();
        await _accepting;
        await RestAsync();
    }
}
