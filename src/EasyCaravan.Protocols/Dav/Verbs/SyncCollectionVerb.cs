using System.Xml.Linq;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav.Verbs;

/// <summary>Asks what changed in a collection since a token, or for all that is in it (RFC 6578 §3.2).</summary>
internal static class SyncCollectionVerb
{
    public static DavRequest Of(Href collection, SyncToken? since) =>
        DavRequest.Xml(
            "REPORT",
            collection,
            new XElement(
                DavNames.Dav + "sync-collection",
                new XElement(DavNames.SyncToken, since?.Value),
                new XElement(DavNames.Dav + "sync-level", "1"),
                new XElement(DavNames.Prop, new XElement(DavNames.ETag))
            )
        ) with
        {
            // RFC 6578 §3.2: the depth is in the body, and anything but 0 here is an error.
            Depth = 0,
        };
}
