using System.Net;
using System.Net.Sockets;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.Pop3;

namespace EasyCaravan.Protocols.Tests;

/// <summary>
/// Servers that take a connection and close it without a word, as a relay does whose server is down: that is worth another try, and is no
/// wrong setting.
/// </summary>
public sealed class SilentServerTests : IDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);

    public SilentServerTests()
    {
        _listener.Start();
        _ = AcceptAsync();
    }

    private async Task AcceptAsync()
    {
        try
        {
            while (true)
                (await _listener.AcceptTcpClientAsync()).Close();
        }
        catch (Exception e) when (e is SocketException or ObjectDisposedException)
        {
            // Stopped.
        }
    }

    [Theory]
    [InlineData(MailProtocol.Imap, Security.None)]
    [InlineData(MailProtocol.Imap, Security.Tls)]
    [InlineData(MailProtocol.Imap, Security.StartTls)]
    [InlineData(MailProtocol.Pop3, Security.None)]
    public async Task It_is_tried_again_later(MailProtocol speaks, Security security)
    {
        var port = ((IPEndPoint)_listener.LocalEndpoint).Port;
        var service = new Service(
            "lanternpost",
            new MailConnection(speaks, "127.0.0.1", port, security),
            new Core.Planning.SignIn.Password(null),
            new Trust.System(),
            Limits.Default
        );
        var who = new Credentials("aoife@saltmarsh.example", "aoife@saltmarsh.example", "s");
        var fault = await Assert.ThrowsAsync<FaultException>(async () =>
        {
            var cancel = TestContext.Current.CancellationToken;
            if (speaks is MailProtocol.Pop3)
                await Pop3SignIn.SignInAsync(await Pop3SignIn.ConnectAsync(service, null, cancel), service, who, null, cancel);
            else
                await ImapSignIn.SignInAsync(await ImapConnector.ConnectAsync(service, null, cancel), service, who, null, cancel);
        });
        Assert.Equal((Cause.ConnectionLost, FaultAction.RetryLater), (fault.Fault.Cause, fault.Fault.Action));
    }

    public void Dispose() => _listener.Dispose();
}
