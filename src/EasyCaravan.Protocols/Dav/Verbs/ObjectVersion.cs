using System.Xml.Linq;

namespace EasyCaravan.Protocols.Dav.Verbs;

/// <summary>
/// The version of vCard in which an object is wanted (RFC 6352 §10.4). A server may convert what it holds in another, and lose a photo.
/// </summary>
internal static class ObjectVersion
{
    /// <param name="version">Null: as the server likes to give it.</param>
    public static XElement Of(XName data, string? version) =>
        version is null
            ? new XElement(data)
            : new XElement(data, new XAttribute("content-type", "text/vcard"), new XAttribute("version", version));

    /// <summary>The same for a GET of one object (RFC 6352 §5.1.1).</summary>
    public static string? Accept(string? version) => version is null ? null : $"text/vcard; version={version}";
}
