using System.Xml.Linq;

namespace EasyCaravan.Protocols.Dav.Wire;

/// <summary>
/// Names of elements (RFC 4918 §14, RFC 6578 §6, RFC 4791 §9, RFC 6352 §10, RFC 5397, RFC 3744, RFC 6638). Those that no RFC defines are
/// what calendar servers and programs have in common.
/// </summary>
internal static class DavNames
{
    public static readonly XNamespace Dav = "DAV:";

    public static readonly XNamespace CalDav = "urn:ietf:params:xml:ns:caldav";

    public static readonly XNamespace CardDav = "urn:ietf:params:xml:ns:carddav";

    /// <summary>Of the collection's tag, and of what is shared and subscribed.</summary>
    public static readonly XNamespace CalendarServer = "http://calendarserver.org/ns/";

    /// <summary>Of colour and order.</summary>
    public static readonly XNamespace Ical = "http://apple.com/ns/ical/";

    public static readonly XNamespace Cyrus = "http://cyrusimap.org/ns/";

    public static readonly XName MultiStatus = Dav + "multistatus";

    public static readonly XName Response = Dav + "response";

    public static readonly XName Href = Dav + "href";

    public static readonly XName Status = Dav + "status";

    public static readonly XName PropStat = Dav + "propstat";

    public static readonly XName Prop = Dav + "prop";

    public static readonly XName Error = Dav + "error";

    public static readonly XName SyncToken = Dav + "sync-token";

    public static readonly XName ETag = Dav + "getetag";

    public static readonly XName ContentLength = Dav + "getcontentlength";

    public static readonly XName ResourceType = Dav + "resourcetype";

    public static readonly XName DisplayName = Dav + "displayname";

    public static readonly XName Owner = Dav + "owner";

    public static readonly XName Privileges = Dav + "current-user-privilege-set";

    public static readonly XName Principal = Dav + "current-user-principal";

    public static readonly XName CollectionTag = CalendarServer + "getctag";

    public static readonly XName Colour = Ical + "calendar-color";

    public static readonly XName Order = Ical + "calendar-order";

    public static readonly XName CalendarHome = CalDav + "calendar-home-set";

    public static readonly XName AddressBookHome = CardDav + "addressbook-home-set";

    public static readonly XName Addresses = CalDav + "calendar-user-address-set";

    public static readonly XName Calendar = CalDav + "calendar";

    public static readonly XName AddressBook = CardDav + "addressbook";

    public static readonly XName CalendarDescription = CalDav + "calendar-description";

    public static readonly XName AddressBookDescription = CardDav + "addressbook-description";

    public static readonly XName CalendarTimeZone = CalDav + "calendar-timezone";

    public static readonly XName Components = CalDav + "supported-calendar-component-set";

    public static readonly XName Transparency = CalDav + "schedule-calendar-transp";

    public static readonly XName DefaultCalendar = CalDav + "schedule-default-calendar-URL";

    public static readonly XName SchedulingEnabled = Cyrus + "scheduling-enabled";

    public static readonly XName CalendarData = CalDav + "calendar-data";

    public static readonly XName AddressData = CardDav + "address-data";
}
