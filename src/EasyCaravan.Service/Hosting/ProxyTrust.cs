using System.Net;
using Microsoft.AspNetCore.HttpOverrides;
using IPNetwork = System.Net.IPNetwork;

namespace EasyCaravan.Service.Hosting;

/// <summary>Believes what a proxy tells of its caller (address and protocol) from the proxies alone that were named.</summary>
internal static class ProxyTrust
{
    public static void Use(WebApplication app, CaravanOptions options)
    {
        if (options.TrustedProxies.Count == 0)
            app.Use(new Warning(app.Logger).RunAsync);
        else
            app.UseForwardedHeaders(HeadersOf(options.TrustedProxies));
        // Whoever comes under the public name came the way that it says, also where the proxy does not tell.
        if (options.PublicUrl is { } known)
            app.Use(
                (context, next) =>
                {
                    if (context.Request.Host.Host.Equals(known.Host, StringComparison.OrdinalIgnoreCase))
                        context.Request.Scheme = known.Scheme;
                    return next(context);
                }
            );
    }

    private static ForwardedHeadersOptions HeadersOf(IReadOnlyCollection<IPNetwork> proxies)
    {
        var isEachOne = proxies.All(p => p.PrefixLength == p.BaseAddress.GetAddressBytes().Length * 8);
        var headers = new ForwardedHeadersOptions
        {
            ForwardedHeaders = ForwardedHeaders.XForwardedFor | ForwardedHeaders.XForwardedProto,
            // From the nearest on, as long as each is one of those named: what a caller writes in front of it counts for nothing. Not more
            // hops than proxies, else a caller on a proxy's own machine would be taken for another proxy and could name any address. How
            // many proxies a network holds is not known.
            ForwardLimit = isEachOne ? proxies.Count : null,
        };
        headers.KnownProxies.Clear();
        headers.KnownIPNetworks.Clear();
        foreach (var network in proxies)
            headers.KnownIPNetworks.Add(network);
        return headers;
    }

    /// <summary>Says once that there is a proxy which was not named: all its callers count as one then.</summary>
    private sealed class Warning(ILogger log)
    {
        private int _said;

        public Task RunAsync(HttpContext context, RequestDelegate next)
        {
            if (context.Request.Headers.ContainsKey("X-Forwarded-For") && Interlocked.Exchange(ref _said, 1) == 0)
                log.LogWarning(
                    "{Address} sends X-Forwarded-For and is not named with --trusted-proxy: all its callers count as one, also where "
                        + "sign-ins are slowed down",
                    context.Connection.RemoteIpAddress
                );
            return next(context);
        }
    }

    /// <summary>By which sign-ins are counted: an address, or the network of 64 bits that one machine has (RFC 6177 §2).</summary>
    public static IPNetwork CallerOf(IPAddress? address)
    {
        var plain =
            address is null ? IPAddress.None
            : address.IsIPv4MappedToIPv6 ? address.MapToIPv4()
            : address;
        if (plain.AddressFamily is System.Net.Sockets.AddressFamily.InterNetwork)
            return new IPNetwork(plain, 32);
        var octets = plain.GetAddressBytes();
        octets.AsSpan(8).Clear();
        return new IPNetwork(new IPAddress(octets), 64);
    }
}
