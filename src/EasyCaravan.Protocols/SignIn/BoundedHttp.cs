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
    public static HttpClient Make(Trust trust, string host, TimeSpan patience) =>
        Make(new HttpTls(trust, host, machineTrustServes: false), patience);

    internal static HttpClient Make(HttpTls tls, TimeSpan patience) =>
        new(tls.Guard(NewHandler(patience))) { Timeout = patience, MaxResponseContentBufferSize = LargestBody };

    private static SocketsHttpHandler NewHandler(TimeSpan patience) =>
        new()
        {
            AllowAutoRedirect = false,
            ConnectTimeout = patience,
            MaxResponseHeadersLength = LargestHeaders,
            MaxResponseDrainSize = LargestBody,
            PooledConnectionLifetime = TimeSpan.FromMinutes(5),
        };
}
