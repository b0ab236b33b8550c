using System.Xml.Linq;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav.Verbs;

/// <summary>Asks for all objects of a collection with their data (RFC 4791 §7.8, RFC 6352 §8.6).</summary>
internal static class QueryVerb
{
    /// <summary>Its filter lets everything through: an empty one, or for calendars the component that every object has.</summary>
    public static DavRequest Of(Kind kind, Href collection)
    {
        var (space, name, data) =
            kind is Kind.Contacts
                ? (DavNames.CardDav, "addressbook-query", DavNames.AddressData)
                : (DavNames.CalDav, "calendar-query", DavNames.CalendarData);
        return DavRequest.Xml(
            "REPORT",
            collection,
            new XElement(
                space + name,
                new XElement(DavNames.Prop, new XElement(DavNames.ETag), new XElement(DavNames.ContentLength), new XElement(data)),
                new XElement(
                    space + "filter",
                    kind is Kind.Contacts ? null : new XElement(space + "comp-filter", new XAttribute("name", "VCALENDAR"))
                )
            )
        ) with
        {
            // The items of the collection, and not the collection alone (RFC 4791 §7.8).
            Depth = 1,
        };
    }
}
