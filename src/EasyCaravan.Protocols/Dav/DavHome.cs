using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Dav;

/// <summary>Where an account has its address books or calendars, as discovery found it.</summary>
/// <param name="Principal">The account itself; null where the server names none.</param>
/// <param name="Homes">Collections that hold its collections.</param>
/// <param name="Addresses">Of the calendar user (RFC 6638 §2.4.1).</param>
/// <param name="Schedules">The server says that it sends invitations by itself (RFC 6638 §2).</param>
public sealed record DavHome(Href? Principal, IReadOnlyList<Href> Homes, IReadOnlyList<string> Addresses, bool Schedules);
