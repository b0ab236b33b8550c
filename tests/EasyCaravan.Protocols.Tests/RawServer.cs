using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Takes connections on loopback and does with each whatever the test says; ends each afterwards.</summary>
internal sealed class RawServer : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly CancellationTokenSource _stop = new();
    private readonly Task _run;
    private long _sent;

    public RawServer(Func<NetworkStream, Task> serve)
    {
        _listener.Start();
        _run = RunAsync(serve);
    }

    public int Port => ((IPEndPoint)_listener.LocalEndpoint).Port;

    /// <summary>Octets that callers took, of those sent by <see cref="WithoutEndAsync"/>.</summary>
    public long Sent => Interlocked.Read(ref _sent);

    /// <summary>The same octets again and again, until the caller has had enough.</summary>
    public async Task WithoutEndAsync(Stream stream, byte[] octets)
    {
        while (true)
        {
            await stream.WriteAsync(octets, _stop.Token);
            Interlocked.Add(ref _sent, octets.Length);
        }
    }

    private async Task RunAsync(Func<NetworkStream, Task> serve)
    {
        try
        {
            while (true)
                _ = ServeAsync(await _listener.AcceptTcpClientAsync(_stop.Token), serve);
        }
        catch (Exception e) when (e is SocketException or OperationCanceledException or InvalidOperationException)
        {
            // Stopped.
        }
    }

    private static async Task ServeAsync(TcpClient caller, Func<NetworkStream, Task> serve)
    {
        using (caller)
        {
            try
            {
                await serve(caller.GetStream());
                // What was sent last is to arrive before the connection ends.
                caller.Client.Shutdown(SocketShutdown.Send);
                while (await caller.GetStream().ReadAsync(new byte[4096]) > 0) { }
            }
            catch (Exception e)
                when (e is IOException or OperationCanceledException or ObjectDisposedException or SocketException
                    || e is System.Security.Authentication.AuthenticationException
                )
            {
                // The caller has had enough.
            }
        }
    }

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        _listener.Stop();
        await _run;
        _stop.Dispose();
    }
}
