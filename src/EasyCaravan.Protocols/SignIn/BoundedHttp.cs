using System.Net.Security;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Connecting;

namespace EasyCaravan.Protocols.SignIn;

/// <summary>
/// The only way in which the service reads from others over HTTP: bodies, headers and times are limited, and redirects are not followed. An
/// endless answer would otherwise use the memory of all moves.
/// </summary>
public static class BoundedHttp
{
    /// <summary>Octets of a body. The largest that is wanted is an answer with two tokens, some kilobytes each.</summary>
    public const int LargestBody = 256 * 1024;

    /// <summary>Kilobytes of all headers of an answer.</summary>
    private const int LargestHeaders = 32;

    /// <param name="patience">For a whole exchange, from the connection to the last octet of the body.</param>
    /// <param name="machineTrustServes">A certificate that this machine trusts is good, whatever the service's own trust is.</param>
    public static HttpClient Make(Trust trust, string host, TimeSpan patience, bool machineTrustServes)
    {
        var handler = new SocketsHttpHandler
        {
            AllowAutoRedirect = false,
            ConnectTimeout = patience,
            MaxResponseHeadersLength = LargestHeaders,
            MaxResponseDrainSize = LargestBody,
            PooledConnectionLifetime = TimeSpan.FromMinutes(5),
            SslOptions = new SslClientAuthenticationOptions
            {
                RemoteCertificateValidationCallback = (sender, certificate, chain, errors) =>
                    (machineTrustServes && errors is SslPolicyErrors.None)
                    || new CertificateCheck(trust, host).Judge(sender, certificate, chain, errors),
            },
        };
        return new HttpClient(handler) { Timeout = patience, MaxResponseContentBufferSize = LargestBody };
    }
}
