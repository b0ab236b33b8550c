using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;

namespace EasyCaravan.Protocols.Dav;

/// <summary>Connects to a server of address books or calendars and says nothing: whether it can be reached and is protected.</summary>
public static class DavConnector
{
    /// <exception cref="FaultException">It cannot be reached; the fault says at which step and why.</exception>
    public static async Task TryAsync(Service service, CollectionConnection.Dav place, Action<ConnectStep>? step, CancellationToken cancel)
    {
        var security = place.IsUnprotected ? Security.None : Security.Tls;
        var endpoint = new Endpoint(service.Name, place.Url.Host, place.Url.Port, security, service.Trust);
        await using var stream = await Connector.ConnectAsync(
            endpoint,
            (_, _) => throw new InvalidOperationException("HTTP is not upgraded."),
            step,
            cancel
        );
    }
}
