using System.Net;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Authentication;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Connecting;

/// <summary>TLS under HTTP: decides on the certificate, and knows why a handshake failed.</summary>
/// <param name="machineTrustServes">A certificate that this machine trusts is good, whatever the service's own trust is.</param>
/// <param name="reach">Which addresses may be reached; null: all.</param>
internal sealed class HttpTls(Trust trust, string host, bool machineTrustServes, ReachRule? reach = null)
{
    private CertificateCheck? _check;
    private HandshakeStart? _start;

    /// <summary>A handler whose connections are judged here.</summary>
    public SocketsHttpHandler Guard(SocketsHttpHandler handler)
    {
        handler.SslOptions = new SslClientAuthenticationOptions
        {
            EnabledSslProtocols = SslProtocols.Tls12 | SslProtocols.Tls13,
            RemoteCertificateValidationCallback = (sender, certificate, chain, errors) =>
            {
                if (machineTrustServes && new CertificateCheck(new Trust.System(), host).Judge(sender, certificate, chain, errors))
                    return true;
                return (_check = new CertificateCheck(trust, host)).Judge(sender, certificate, chain, errors);
            },
        };
        handler.ConnectCallback = ConnectAsync;
        return handler;
    }

    private async ValueTask<Stream> ConnectAsync(SocketsHttpConnectionContext context, CancellationToken cancel)
    {
        var place = context.DnsEndPoint;
        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            if (reach is null)
                await socket.ConnectAsync(place, cancel);
            else
                await socket.ConnectAsync(reach.Of(place.Host, await Dns.GetHostAddressesAsync(place.Host, cancel)), place.Port, cancel);
            var stream = new NetworkStream(socket, ownsSocket: true);
            return context.InitialRequestMessage.RequestUri?.Scheme == Uri.UriSchemeHttps
                ? new HandshakeWitness(stream, _start = new HandshakeStart())
                : stream;
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }

    /// <summary>Why a request failed, where that is for TLS; null: for something else.</summary>
    public (Cause Cause, string What)? Explain(Exception? error, Uri address)
    {
        if (_check?.Objection is { } objection)
            return (Cause.TlsUntrusted, objection);
        return error is HttpRequestException { HttpRequestError: HttpRequestError.SecureConnectionError } && _start is { } start
            ? start.Explain($"{address.Host} port {address.Port}", wasAsked: false)
            : null;
    }
}
