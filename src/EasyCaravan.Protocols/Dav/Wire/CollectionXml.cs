using System.Xml.Linq;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Dav.Wire;

/// <summary>Properties of address books and calendars as elements.</summary>
internal static class CollectionXml
{
    /// <summary>What a list of collections asks for.</summary>
    public static IEnumerable<XName> Wanted(Kind kind) =>
        [
            DavNames.ResourceType,
            DavNames.DisplayName,
            DavNames.Owner,
            DavNames.Privileges,
            DavNames.SyncToken,
            DavNames.CollectionTag,
            .. kind is Kind.Contacts
                ? (XName[])[DavNames.AddressBookDescription]
                :
                [
                    DavNames.CalendarDescription,
                    DavNames.Colour,
                    DavNames.Order,
                    DavNames.CalendarTimeZone,
                    DavNames.Components,
                    DavNames.Transparency,
                    DavNames.DefaultCalendar,
                ],
        ];

    /// <summary>Elements for what is set. Of an address book there is a name and a description.</summary>
    public static IEnumerable<XElement> Write(Kind kind, CollectionProperties properties)
    {
        if (properties.Name is { } name)
            yield return new XElement(DavNames.DisplayName, name);
        if (properties.Description is { } description)
            yield return new XElement(kind is Kind.Contacts ? DavNames.AddressBookDescription : DavNames.CalendarDescription, description);
        if (kind is Kind.Contacts)
            yield break;
        if (properties.Colour is { } colour)
            yield return new XElement(DavNames.Colour, colour);
        if (properties.Order is { } order)
            yield return new XElement(DavNames.Order, order);
        if (properties.TimeZone is { } zone)
            yield return new XElement(DavNames.CalendarTimeZone, zone);
        if (!properties.Components.IsEmpty)
            yield return new XElement(
                DavNames.Components,
                properties.Components.Select(c => new XElement(DavNames.CalDav + "comp", new XAttribute("name", c)))
            );
        if (properties.IsTransparent is { } transparent)
            yield return new XElement(DavNames.Transparency, new XElement(DavNames.CalDav + (transparent ? "transparent" : "opaque")));
    }

    public static CollectionProperties Read(Kind kind, DavResponse response)
    {
        string? Text(XName name) => response.Find(name)?.Value is { Length: > 0 } text ? text : null;
        return new CollectionProperties(
            Text(DavNames.DisplayName),
            Text(kind is Kind.Contacts ? DavNames.AddressBookDescription : DavNames.CalendarDescription),
            Text(DavNames.Colour),
            Text(DavNames.Order),
            Text(DavNames.CalendarTimeZone),
            response.Find(DavNames.Transparency) is { HasElements: true } transparency
                ? transparency.Elements().First().Name.LocalName == "transparent"
                : null
        )
        {
            Components =
            [
                .. (response.Find(DavNames.Components)?.Elements() ?? [])
                    .Select(c => c.Attribute("name")?.Value.ToUpperInvariant())
                    .OfType<string>()
                    .Order(StringComparer.Ordinal),
            ],
        };
    }
}
