using System.Xml.Linq;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav.Verbs;

/// <summary>Asks for properties of a resource, and of what is directly in it (RFC 4918 §9.1).</summary>
internal static class PropFindVerb
{
    /// <param name="depth">0: the resource alone; 1: also what is in it.</param>
    public static DavRequest Of(Href path, int depth, params IEnumerable<XName> properties) =>
        DavRequest.Xml(
            "PROPFIND",
            path,
            new XElement(DavNames.Dav + "propfind", new XElement(DavNames.Prop, properties.Select(p => new XElement(p))))
        ) with
        {
            Depth = depth,
        };
}
