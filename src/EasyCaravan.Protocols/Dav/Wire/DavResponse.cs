using System.Xml.Linq;

namespace EasyCaravan.Protocols.Dav.Wire;

/// <summary>What a server says of one resource in a multistatus (RFC 4918 §14.24).</summary>
/// <param name="Href">As the server writes it: relative or absolute, encoded in its own way.</param>
/// <param name="Status">Of the resource as a whole; null where its properties have their own.</param>
/// <param name="Precondition">The condition that was not met (RFC 4918 §16); null where none is named.</param>
/// <param name="Data">The vCard or iCalendar object, where it was asked for; null where it was not given.</param>
internal sealed record DavResponse(
    string Href,
    int? Status,
    XName? Precondition,
    IReadOnlyList<DavProperty> Properties,
    ReadOnlyMemory<byte>? Data
)
{
    /// <summary>A property that the server gave with success.</summary>
    public XElement? Find(XName name) => Properties.FirstOrDefault(p => p.Value.Name == name && p.Status is null or 200)?.Value;
}

/// <summary>A property and how asking for it, or setting it, went.</summary>
/// <param name="Status">Of its propstat; null where the server left it out.</param>
/// <param name="Precondition">The condition that was not met; null where none is named.</param>
internal sealed record DavProperty(XElement Value, int? Status, XName? Precondition);
