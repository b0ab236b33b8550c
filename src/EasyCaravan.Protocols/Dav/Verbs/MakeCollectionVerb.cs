using System.Xml.Linq;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav.Verbs;

/// <summary>Makes an address book or a calendar, with its properties at once (RFC 5689 §3; RFC 4791 §5.3.1 for older servers).</summary>
internal static class MakeCollectionVerb
{
    public static DavRequest Extended(Kind kind, Href path, CollectionProperties properties) =>
        DavRequest.Xml(
            "MKCOL",
            path,
            new XElement(
                DavNames.Dav + "mkcol",
                new XElement(
                    DavNames.Dav + "set",
                    new XElement(
                        DavNames.Prop,
                        new XElement(
                            DavNames.ResourceType,
                            new XElement(DavNames.Dav + "collection"),
                            new XElement(kind is Kind.Contacts ? DavNames.AddressBook : DavNames.Calendar)
                        ),
                        CollectionXml.Write(kind, properties)
                    )
                )
            )
        );

    public static DavRequest Calendar(Href path, CollectionProperties properties) =>
        DavRequest.Xml(
            "MKCALENDAR",
            path,
            new XElement(
                DavNames.CalDav + "mkcalendar",
                new XElement(DavNames.Dav + "set", new XElement(DavNames.Prop, CollectionXml.Write(Kind.Calendars, properties)))
            )
        );

    /// <summary>Sets properties of what is there (RFC 4918 §9.2).</summary>
    public static DavRequest Set(Href path, IEnumerable<XElement> properties) =>
        DavRequest.Xml(
            "PROPPATCH",
            path,
            new XElement(DavNames.Dav + "propertyupdate", new XElement(DavNames.Dav + "set", new XElement(DavNames.Prop, properties)))
        );
}
