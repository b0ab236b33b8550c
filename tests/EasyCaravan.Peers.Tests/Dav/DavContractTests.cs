using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Peers.Dav.Tests;

/// <summary>Our DAV client against real servers.</summary>
public abstract class DavContractTests(DavServers servers, DavMake make, Kind kind) : CollectionAccountContract, IClassFixture<DavServers>
{
    protected override Kind Kind => kind;

    protected override async Task<ICollectionAccount> OpenAsync() => await servers.OpenAsync(make, kind, await servers.NewPersonAsync());
}

public sealed class RadicaleContactsTests(DavServers servers) : DavContractTests(servers, DavMake.Radicale, Kind.Contacts);

public sealed class RadicaleCalendarsTests(DavServers servers) : DavContractTests(servers, DavMake.Radicale, Kind.Calendars);

public sealed class XandikosContactsTests(DavServers servers) : DavContractTests(servers, DavMake.Xandikos, Kind.Contacts);

public sealed class XandikosCalendarsTests(DavServers servers) : DavContractTests(servers, DavMake.Xandikos, Kind.Calendars);

public sealed class CyrusContactsTests(DavServers servers) : DavContractTests(servers, DavMake.Cyrus, Kind.Contacts);

public sealed class CyrusCalendarsTests(DavServers servers) : DavContractTests(servers, DavMake.Cyrus, Kind.Calendars);
