using System.Text;
using System.Xml.Linq;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Dav;

/// <summary>One request. Nothing of it depends on the server's name or on who asks.</summary>
/// <param name="Method">In capitals.</param>
internal sealed record DavRequest(string Method, Href Path)
{
    /// <summary>How far below the path it goes (RFC 4918 §10.2); null: not said.</summary>
    public int? Depth { get; init; }

    public ReadOnlyMemory<byte>? Body { get; init; }

    public string? ContentType { get; init; }

    /// <summary>A kind of object, with its version; null: any.</summary>
    public string? Accept { get; init; }

    /// <summary>Only if it is in this state (RFC 9110 §13.1.1).</summary>
    public ETag? IfMatch { get; init; }

    /// <summary>Only if there is nothing yet (RFC 9110 §13.1.2).</summary>
    public bool IfNone { get; init; }

    public static DavRequest Xml(string method, Href path, XElement body) =>
        new(method, path)
        {
            Body = Encoding.UTF8.GetBytes($"<?xml version=\"1.0\" encoding=\"utf-8\"?>{body.ToString(SaveOptions.DisableFormatting)}"),
            ContentType = "application/xml; charset=utf-8",
        };
}
