using System.Xml;
using System.Xml.Linq;

namespace EasyCaravan.Protocols.Dav.Wire;

/// <summary>Finds the condition that a refusal names (RFC 4918 §16).</summary>
internal static class Precondition
{
    /// <param name="body">The error's body; may be a page for people instead.</param>
    public static XElement? Find(string body)
    {
        if (!body.Contains("error", StringComparison.Ordinal) || !body.Contains('<', StringComparison.Ordinal))
            return null;
        try
        {
            using var xml = XmlReader.Create(
                new StringReader(body),
                new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null }
            );
            var root = XElement.Load(xml);
            return root.Name == DavNames.Error ? root.Elements().FirstOrDefault() : null;
        }
        catch (XmlException)
        {
            // A page for people.
            return null;
        }
    }
}
