using System.Xml.Linq;

namespace EasyCaravan.Protocols.Dav.Wire;

/// <summary>Names of elements (RFC 4918 §14, RFC 6578 §6, RFC 4791 §9, RFC 6352 §10).</summary>
internal static class DavNames
{
    public static readonly XNamespace Dav = "DAV:";

    public static readonly XNamespace CalDav = "urn:ietf:params:xml:ns:caldav";

    public static readonly XNamespace CardDav = "urn:ietf:params:xml:ns:carddav";

    public static readonly XName MultiStatus = Dav + "multistatus";

    public static readonly XName Response = Dav + "response";

    public static readonly XName Href = Dav + "href";

    public static readonly XName Status = Dav + "status";

    public static readonly XName PropStat = Dav + "propstat";

    public static readonly XName Prop = Dav + "prop";

    public static readonly XName Error = Dav + "error";

    public static readonly XName SyncToken = Dav + "sync-token";

    public static readonly XName CalendarData = CalDav + "calendar-data";

    public static readonly XName AddressData = CardDav + "address-data";
}
