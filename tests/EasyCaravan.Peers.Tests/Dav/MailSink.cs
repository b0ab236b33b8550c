using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.Peers.Dav;

/// <summary>Takes all mail that anybody sends (RFC 5321) and keeps whom it was for.</summary>
public sealed class MailSink : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly ConcurrentQueue<string> _recipients = [];
    private readonly CancellationTokenSource _stop = new();
    private readonly Task _running;

    public MailSink()
    {
        _listener.Start();
        _running = RunAsync();
    }

    public int Port => ((IPEndPoint)_listener.LocalEndpoint).Port;

    public IReadOnlyCollection<string> Recipients => _recipients;

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
                _ = TakeAsync(await _listener.AcceptTcpClientAsync(_stop.Token));
        }
        catch (Exception e) when (e is OperationCanceledException or SocketException or InvalidOperationException)
        {
            // The end: it was told to stop, or does not listen any more.
        }
    }

    private async Task TakeAsync(TcpClient client)
    {
        using (client)
        {
            try
            {
                using var reader = new StreamReader(client.GetStream());
                await using var writer = new StreamWriter(client.GetStream()) { AutoFlush = true, NewLine = "\r\n" };
                await writer.WriteLineAsync("220 sink.saltmarsh.example ESMTP");
                var inData = false;
                while (await reader.ReadLineAsync(_stop.Token) is { } line)
                {
                    if (inData)
                    {
                        inData = line != ".";
                        if (!inData)
                            await writer.WriteLineAsync("250 taken");
                        continue;
                    }
                    if (line.StartsWith("RCPT", StringComparison.OrdinalIgnoreCase))
                        _recipients.Enqueue(line);
                    inData = line.Equals("DATA", StringComparison.OrdinalIgnoreCase);
                    await writer.WriteLineAsync(
                        inData ? "354 go on"
                        : line.StartsWith("QUIT", StringComparison.Ordinal) ? "221 bye"
                        : "250 ok"
                    );
                }
            }
            catch (Exception e) when (e is IOException or OperationCanceledException or ObjectDisposedException)
            {
                // The sender has gone.
            }
        }
    }
}
