using System.Xml.Linq;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav.Verbs;

/// <summary>Asks for many objects of a collection at once (RFC 4791 §7.9, RFC 6352 §8.7).</summary>
internal static class MultiGetVerb
{
    /// <param name="version">Of vCard, in which they are wanted; null: as the server likes to give them.</param>
    public static DavRequest Of(Kind kind, Href collection, IEnumerable<Href> items, string? version)
    {
        var (name, data) =
            kind is Kind.Contacts
                ? (DavNames.CardDav + "addressbook-multiget", DavNames.AddressData)
                : (DavNames.CalDav + "calendar-multiget", DavNames.CalendarData);
        return DavRequest.Xml(
            "REPORT",
            collection,
            new XElement(
                name,
                new XElement(
                    DavNames.Prop,
                    new XElement(DavNames.ETag),
                    new XElement(DavNames.ContentLength),
                    ObjectVersion.Of(data, version)
                ),
                items.Select(i => new XElement(DavNames.Href, i.ToString()))
            )
        ) with
        {
            // RFC 3253 §3.6: what is asked for stands in the body.
            Depth = 0,
        };
    }
}
