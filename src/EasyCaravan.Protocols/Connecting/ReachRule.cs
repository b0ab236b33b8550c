using System.Net;
using System.Net.NetworkInformation;
using System.Net.Sockets;

namespace EasyCaravan.Protocols.Connecting;

/// <summary>
/// Where a host may lead that no plan names, but a record or an answer of somebody else: not to the service's own machine, and not to the
/// addresses under which clouds tell a machine its own secrets.
/// </summary>
/// <param name="named">Hosts that a plan names: they may be anywhere.</param>
public sealed class ReachRule(IReadOnlySet<string> named)
{
    private static readonly IPAddress[] s_metadata =
    [
        IPAddress.Parse("169.254.169.254"),
        IPAddress.Parse("100.100.100.200"),
        IPAddress.Parse("168.63.129.16"),
        IPAddress.Parse("192.0.0.192"),
        IPAddress.Parse("fd00:ec2::254"),
    ];

    public bool IsNamed(string host) => named.Contains(host.ToLowerInvariant());

    /// <exception cref="SocketException">None of them may be reached.</exception>
    public IPAddress[] Of(string host, IPAddress[] addresses)
    {
        if (IsNamed(host))
            return addresses;
        var own = NetworkInterface
            .GetAllNetworkInterfaces()
            .SelectMany(i => i.GetIPProperties().UnicastAddresses)
            .Select(a => Plain(a.Address))
            .ToHashSet();
        var may = addresses.Where(a => MayReach(Plain(a), own)).ToArray();
        return may.Length > 0 ? may : throw new SocketException((int)SocketError.AccessDenied);
    }

    private static bool MayReach(IPAddress address, HashSet<IPAddress> own) =>
        !IPAddress.IsLoopback(address)
        && !address.Equals(IPAddress.Any)
        && !address.Equals(IPAddress.IPv6Any)
        && !address.IsIPv6LinkLocal
        && !IsLinkLocal(address)
        && !s_metadata.Contains(address)
        && !own.Contains(address);

    /// <summary>RFC 3927 §2.1.</summary>
    private static bool IsLinkLocal(IPAddress address) =>
        address.AddressFamily is AddressFamily.InterNetwork && address.GetAddressBytes() is [169, 254, ..];

    private static IPAddress Plain(IPAddress address) =>
        address.IsIPv4MappedToIPv6 ? address.MapToIPv4()
        // Without the scope, which is the interface and no part of the address.
        : address.AddressFamily is AddressFamily.InterNetworkV6 ? new IPAddress(address.GetAddressBytes())
        : address;
}
