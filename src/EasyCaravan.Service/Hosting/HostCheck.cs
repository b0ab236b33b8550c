using System.Net;
using EasyCaravan.Service.Api;

namespace EasyCaravan.Service.Hosting;

/// <summary>
/// Answers only under its own names. A page of a stranger may point its own name at this machine's address (DNS rebinding); the browser
/// then takes the service for a part of that page.
/// </summary>
internal sealed class HostCheck(CaravanOptions options)
{
    public async Task RunAsync(HttpContext context, RequestDelegate next)
    {
        if (IsOwn(context.Request.Host.Host, context.Connection.LocalIpAddress))
        {
            await next(context);
            return;
        }
        // What was sent is not read: it was meant for somebody else.
        context.Response.Headers.Connection = "close";
        await Problems
            .Misdirected(
                "This service is not known under the name that was asked for.",
                "Use the address that it listens on, or start it with --public-url and the address that people use"
            )
            .ExecuteAsync(context);
    }

    private bool IsOwn(string host, IPAddress? local)
    {
        host = host.Trim('[', ']');
        if (IsName(host, options.PublicUrl) || IsName(host, options.Listen))
            return true;
        // Nobody else can make these lead here. In a container they come to an address that is not the machine's own loopback.
        if (IPAddress.TryParse(host, out var address))
            return IPAddress.IsLoopback(address) || (local is not null && Plain(address).Equals(Plain(local)));
        return host.Equals("localhost", StringComparison.OrdinalIgnoreCase)
            || host.Equals(Dns.GetHostName(), StringComparison.OrdinalIgnoreCase);
    }

    private static bool IsName(string host, Uri? address) =>
        address is not null && host.Equals(address.Host.Trim('[', ']'), StringComparison.OrdinalIgnoreCase);

    private static IPAddress Plain(IPAddress address) => address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address;
}
