using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Dav.Verbs;

/// <summary>Reads, writes and deletes one object (RFC 9110 §9.3). A write says what it expects to be there.</summary>
internal static class ObjectVerbs
{
    /// <param name="version">See <see cref="ObjectVersion"/>.</param>
    public static DavRequest Get(Href item, string? version) => new("GET", item) { Accept = ObjectVersion.Accept(version) };

    /// <param name="tag">The state that it replaces; null: there must be nothing yet.</param>
    public static DavRequest Put(Kind kind, Href item, ReadOnlyMemory<byte> octets, ETag? tag) =>
        new("PUT", item)
        {
            Body = octets,
            ContentType = kind is Kind.Contacts ? "text/vcard; charset=utf-8" : "text/calendar; charset=utf-8",
            IfMatch = tag,
            IfNone = tag is null,
        };

    public static DavRequest Delete(Href item, ETag? tag) => new("DELETE", item) { IfMatch = tag };
}
