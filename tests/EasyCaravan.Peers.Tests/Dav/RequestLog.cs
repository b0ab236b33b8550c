using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.RegularExpressions;

namespace EasyCaravan.Peers.Dav;

/// <summary>Stands before a server and notes the first line of every request. What it passes on it does not change.</summary>
public sealed partial class RequestLog : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly ConcurrentQueue<string> _requests = [];
    private readonly CancellationTokenSource _stop = new();
    private readonly Uri _server;
    private readonly Task _running;
    private readonly string? _refused;

    /// <param name="refused">Requests with this text in them are answered with 403 here, and never get to the server.</param>
    public RequestLog(Uri server, string? refused = null)
    {
        (_server, _refused) = (server, refused);
        _listener.Start();
        _running = RunAsync();
    }

    public Uri Address => new($"http://127.0.0.1:{((IPEndPoint)_listener.LocalEndpoint).Port}/");

    /// <summary>What came since the last call.</summary>
    public List<string> Take()
    {
        var taken = new List<string>();
        while (_requests.TryDequeue(out var line))
            taken.Add(line);
        return taken;
    }

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        _listener.Stop();
        await _running;
        _stop.Dispose();
    }

    private async Task RunAsync()
    {
        try
        {
            while (true)
                _ = PassAsync(await _listener.AcceptTcpClientAsync(_stop.Token));
        }
        catch (Exception e) when (e is OperationCanceledException or SocketException or InvalidOperationException)
        {
            // The end: it was told to stop, or does not listen any more.
        }
    }

    private async Task PassAsync(TcpClient client)
    {
        using var server = new TcpClient { NoDelay = true };
        using (client)
        {
            client.NoDelay = true;
            try
            {
                await server.ConnectAsync(_server.Host, _server.Port, _stop.Token);
                var there = CopyAsync(client, server, note: true);
                var back = CopyAsync(server, client, note: false);
                await Task.WhenAny(there, back);
                await back;
            }
            catch (Exception e) when (e is IOException or SocketException or OperationCanceledException or ObjectDisposedException)
            {
                // One side has gone.
            }
        }
    }

    private async Task CopyAsync(TcpClient from, TcpClient to, bool note)
    {
        var piece = new byte[64 * 1024];
        for (int count; (count = await from.GetStream().ReadAsync(piece, _stop.Token)) > 0; )
        {
            if (note)
                foreach (Match line in RequestLine().Matches(Encoding.Latin1.GetString(piece, 0, count)))
                    _requests.Enqueue(line.Groups[1].Value);
            if (note && _refused is not null && Encoding.Latin1.GetString(piece, 0, count).Contains(_refused, StringComparison.Ordinal))
                await from.GetStream().WriteAsync("HTTP/1.1 403 Forbidden\r\nContent-Length: 0\r\n\r\n"u8.ToArray(), _stop.Token);
            else
                await to.GetStream().WriteAsync(piece.AsMemory(0, count), _stop.Token);
        }
        to.Client.Shutdown(SocketShutdown.Send);
    }

    [GeneratedRegex(@"(?:^|\n)([A-Z]+ /\S*) HTTP/1\.1\r")]
    private static partial Regex RequestLine();
}
