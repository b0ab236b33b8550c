using System.Net;
using System.Net.Sockets;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.SignIn;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Answers over HTTP that have no end.</summary>
public sealed class BoundedHttpTests
{
    private const long Endless = 300_000_000;

    [Theory]
    [InlineData("HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n{\"token_type\":\"Bearer\",\"access_token\":\"")]
    [InlineData("HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nX-Long: ")]
    [InlineData("HTTP/1.1 302 Found\r\nLocation: http://127.0.0.1:1/\r\n\r\n")]
    public async Task An_answer_without_end_is_cut_off_and_needs_no_memory(string begins)
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var serving = ServeAsync(listener, begins);
        var client = new OAuthClient(
            new Uri($"http://127.0.0.1:{((IPEndPoint)listener.LocalEndpoint).Port}/token"),
            null,
            null,
            "caravan",
            null,
            [],
            null,
            null,
            null,
            null
        );
        var service = new Service(
            "lanternpost",
            new MailConnection(MailProtocol.Imap, "h", 1, Security.None),
            new Core.Planning.SignIn.OAuth(OAuthGrant.RefreshToken, client, null),
            new Trust.System(),
            Limits.Default
        );
        using var tokens = new AccessTokens(_ => "", (_, _, _) => Task.CompletedTask, TimeProvider.System);
        await Assert.ThrowsAsync<FaultException>(() =>
            tokens.GetAsync(service, new Credentials("a", "a", "s"), null, CancellationToken.None)
        );
        // Some of it fits into buffers on the way, but far from all.
        Assert.InRange(await serving, 0, 30_000_000);
    }

    /// <summary>Octets that were taken before the client left.</summary>
    private static async Task<long> ServeAsync(TcpListener listener, string begins)
    {
        using var client = await listener.AcceptTcpClientAsync();
        var stream = client.GetStream();
        var sent = 0L;
        try
        {
            await stream.ReadAtLeastAsync(new byte[4096], 1);
            await stream.WriteAsync(Encoding.ASCII.GetBytes(begins));
            var piece = Encoding.ASCII.GetBytes(new string('a', 64 * 1024));
            for (; sent < Endless; sent += piece.Length)
                await stream.WriteAsync(piece);
        }
        catch (Exception e) when (e is IOException or SocketException)
        {
            // The client left.
        }
        return sent;
    }
}
