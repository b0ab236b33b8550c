using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text;
using System.Xml;
using System.Xml.Linq;

namespace EasyCaravan.Protocols.Dav.Wire;

/// <summary>
/// Reads a multistatus (RFC 4918 §13) response by response while it arrives. Objects of many megabytes are the only thing that is held
/// whole. What is malformed, or larger than any honest answer, is a <see cref="FormatException"/>.
/// </summary>
/// <param name="mostCharacters">Characters of the whole answer.</param>
/// <param name="largestObject">Octets of one vCard or iCalendar object.</param>
internal sealed class MultiStatusReader(Stream body, long mostCharacters, int largestObject)
{
    /// <summary>Characters of one property that is no object: names, descriptions, privileges, addresses of an account.</summary>
    private const int LargestProperty = 256 * 1024;

    private const int Deepest = 32;

    private const int MostProperties = 200;

    private readonly char[] _piece = new char[16 * 1024];

    /// <summary>Where the next look begins (RFC 6578 §6.1); known once all responses were read.</summary>
    public string? SyncToken { get; private set; }

    public async IAsyncEnumerable<DavResponse> ReadAsync([EnumeratorCancellation] CancellationToken cancel)
    {
        // A document type could name files and grow without end. No server needs one here.
        var settings = new XmlReaderSettings
        {
            Async = true,
            DtdProcessing = DtdProcessing.Prohibit,
            XmlResolver = null,
            MaxCharactersInDocument = mostCharacters,
            IgnoreComments = true,
            IgnoreProcessingInstructions = true,
            IgnoreWhitespace = true,
            // Some servers give out control characters that stand in an object. The object is refused or carried as it is, by its reader.
            CheckCharacters = false,
        };
        using var xml = XmlReader.Create(body, settings);
        await MoveToRootAsync(xml);
        while (await NextChildAsync(xml, depth: 1, cancel))
        {
            if (NameOf(xml) == DavNames.Response)
                foreach (var response in await ReadResponseAsync(xml, cancel))
                    yield return response;
            else if (NameOf(xml) == DavNames.SyncToken)
                SyncToken = (await ReadElementAsync(xml, cancel)).Value.Trim();
            else
                await SkipAsync(xml, cancel);
        }
    }

    private static XName NameOf(XmlReader xml) => XName.Get(xml.LocalName, xml.NamespaceURI);

    private static async Task MoveToRootAsync(XmlReader xml)
    {
        await ParseAsync(xml.MoveToContentAsync);
        if (xml.NodeType is not XmlNodeType.Element || NameOf(xml) != DavNames.MultiStatus)
            throw new FormatException("the answer is no multistatus");
    }

    /// <summary>Goes to the next element directly below the depth; false at the end of the element that holds them.</summary>
    private static async Task<bool> NextChildAsync(XmlReader xml, int depth, CancellationToken cancel)
    {
        while (true)
        {
            // Whoever read an element stands behind it already, on the next one.
            if (xml.NodeType is XmlNodeType.Element && xml.Depth == depth)
                return true;
            if (xml.Depth < depth && (xml.NodeType is XmlNodeType.EndElement || xml.IsEmptyElement))
                return false;
            await MoveAsync(xml, cancel);
        }
    }

    private static async Task MoveAsync(XmlReader xml, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        if (!await ParseAsync(xml.ReadAsync))
            throw new FormatException("the answer ends too early");
        if (xml.Depth > Deepest)
            throw new FormatException($"the answer has elements {xml.Depth} deep");
    }

    private static async Task<T> ParseAsync<T>(Func<Task<T>> step)
    {
        try
        {
            return await step();
        }
        catch (XmlException e)
        {
            throw new FormatException(
                string.Create(CultureInfo.InvariantCulture, $"the answer is no well-formed XML, line {e.LineNumber}"),
                e
            );
        }
    }

    /// <summary>One for each resource: several may share a status (RFC 4918 §14.24).</summary>
    private async Task<IReadOnlyList<DavResponse>> ReadResponseAsync(XmlReader xml, CancellationToken cancel)
    {
        var (status, precondition) = ((int?)null, (XName?)null);
        var hrefs = new List<string>();
        var properties = new List<DavProperty>();
        ReadOnlyMemory<byte>? data = null;
        if (!await EnterAsync(xml, cancel))
            throw new FormatException("a response names no resource");
        while (await NextChildAsync(xml, depth: 2, cancel))
        {
            var name = NameOf(xml);
            if (name == DavNames.Href)
                hrefs.Add((await ReadElementAsync(xml, cancel)).Value.Trim());
            else if (name == DavNames.Status)
                status = StatusOf((await ReadElementAsync(xml, cancel)).Value);
            else if (name == DavNames.Error)
                precondition = (await ReadElementAsync(xml, cancel)).Elements().FirstOrDefault()?.Name;
            else if (name == DavNames.PropStat)
                data = await ReadPropStatAsync(xml, properties, cancel) ?? data;
            else
                await SkipAsync(xml, cancel);
        }
        await MoveAsync(xml, cancel);
        return hrefs.Count > 0 && hrefs.TrueForAll(h => h.Length > 0)
            ? hrefs.ConvertAll(h => new DavResponse(h, status, precondition, properties, data))
            : throw new FormatException("a response names no resource");
    }

    private async Task<ReadOnlyMemory<byte>?> ReadPropStatAsync(XmlReader xml, List<DavProperty> properties, CancellationToken cancel)
    {
        var (status, precondition) = ((int?)null, (XName?)null);
        var found = new List<XElement>();
        ReadOnlyMemory<byte>? data = null;
        if (await EnterAsync(xml, cancel))
        {
            while (await NextChildAsync(xml, depth: 3, cancel))
            {
                var name = NameOf(xml);
                if (name == DavNames.Prop)
                    data = await ReadPropAsync(xml, found, cancel) ?? data;
                else if (name == DavNames.Status)
                    status = StatusOf((await ReadElementAsync(xml, cancel)).Value);
                else if (name == DavNames.Error)
                    precondition = (await ReadElementAsync(xml, cancel)).Elements().FirstOrDefault()?.Name;
                else
                    await SkipAsync(xml, cancel);
            }
            await MoveAsync(xml, cancel);
        }
        properties.AddRange(found.Select(p => new DavProperty(p, status, precondition)));
        if (properties.Count > MostProperties)
            throw new FormatException($"a response has more than {MostProperties} properties");
        return status is null or 200 ? data : null;
    }

    private async Task<ReadOnlyMemory<byte>?> ReadPropAsync(XmlReader xml, List<XElement> found, CancellationToken cancel)
    {
        ReadOnlyMemory<byte>? data = null;
        if (!await EnterAsync(xml, cancel))
            return null;
        while (await NextChildAsync(xml, depth: 4, cancel))
        {
            var name = NameOf(xml);
            if (name == DavNames.CalendarData || name == DavNames.AddressData)
                data = await ReadObjectAsync(xml, cancel);
            else
                found.Add(await ReadElementAsync(xml, cancel));
            if (found.Count > MostProperties)
                throw new FormatException($"a response has more than {MostProperties} properties");
        }
        await MoveAsync(xml, cancel);
        return data;
    }

    /// <summary>Goes into an element; false, and behind it, where it is empty.</summary>
    private static async Task<bool> EnterAsync(XmlReader xml, CancellationToken cancel)
    {
        var isEmpty = xml.IsEmptyElement;
        await MoveAsync(xml, cancel);
        return !isEmpty;
    }

    /// <summary>
    /// The octets of an object. XML turns each line end into a line feed (XML 1.0 §2.11), and both formats end lines with CR LF
    /// (RFC 6350 §3.2, RFC 5545 §3.1): so a line feed alone becomes that again.
    /// </summary>
    private async Task<ReadOnlyMemory<byte>> ReadObjectAsync(XmlReader xml, CancellationToken cancel)
    {
        var octets = new MemoryStream();
        var depth = xml.Depth;
        if (!await EnterAsync(xml, cancel))
            return octets.ToArray();
        var before = '\0';
        var encoder = Encoding.UTF8.GetEncoder();
        var buffer = new byte[Encoding.UTF8.GetMaxByteCount(_piece.Length)];
        var ended = new StringBuilder(2 * _piece.Length);
        while (xml.Depth > depth || xml.NodeType is not XmlNodeType.EndElement)
        {
            if (xml.NodeType is not (XmlNodeType.Text or XmlNodeType.CDATA or XmlNodeType.Whitespace or XmlNodeType.SignificantWhitespace))
                throw new FormatException("an object has elements in it");
            int count;
            while ((count = await ParseAsync(() => xml.ReadValueChunkAsync(_piece, 0, _piece.Length))) > 0)
            {
                ended.Clear();
                foreach (var character in _piece.AsSpan(0, count))
                {
                    if (character == '\n' && before != '\r')
                        ended.Append('\r');
                    ended.Append(before = character);
                }
                foreach (var chunk in ended.GetChunks())
                    for (var from = 0; from < chunk.Length; from += _piece.Length)
                    {
                        var some = chunk.Span[from..Math.Min(chunk.Length, from + _piece.Length)];
                        octets.Write(buffer.AsSpan(0, encoder.GetBytes(some, buffer, flush: false)));
                    }
                if (octets.Length > largestObject)
                    throw new FormatException($"an object is larger than {largestObject} octets");
                cancel.ThrowIfCancellationRequested();
            }
            await MoveAsync(xml, cancel);
        }
        await MoveAsync(xml, cancel);
        return octets.GetBuffer().AsMemory(0, (int)octets.Length);
    }

    /// <summary>An element with all that is in it.</summary>
    private static async Task<XElement> ReadElementAsync(XmlReader xml, CancellationToken cancel)
    {
        var (root, size, depth) = (new XElement(NameOf(xml)), 0L, xml.Depth);
        var open = root;
        var isEmpty = xml.IsEmptyElement;
        AddAttributes(xml, root);
        await MoveAsync(xml, cancel);
        while (!isEmpty && !(xml.Depth == depth && xml.NodeType is XmlNodeType.EndElement))
        {
            switch (xml.NodeType)
            {
                case XmlNodeType.Element:
                    var child = new XElement(NameOf(xml));
                    AddAttributes(xml, child);
                    open.Add(child);
                    size += child.Name.LocalName.Length + 64;
                    if (!xml.IsEmptyElement)
                        open = child;
                    break;
                case XmlNodeType.EndElement:
                    open = open.Parent!;
                    break;
                case XmlNodeType.Text or XmlNodeType.CDATA or XmlNodeType.SignificantWhitespace:
                    var text = await ParseAsync(xml.GetValueAsync);
                    size += text.Length;
                    open.Add(text);
                    break;
            }
            if (size > LargestProperty)
                throw new FormatException($"a property is larger than {LargestProperty} characters");
            await MoveAsync(xml, cancel);
        }
        if (!isEmpty)
            await MoveAsync(xml, cancel);
        return root;
    }

    private static void AddAttributes(XmlReader xml, XElement element)
    {
        while (xml.MoveToNextAttribute())
            if (xml.NamespaceURI != XNamespace.Xmlns.NamespaceName)
                element.SetAttributeValue(NameOf(xml), xml.Value);
        xml.MoveToElement();
    }

    private static async Task SkipAsync(XmlReader xml, CancellationToken cancel)
    {
        var depth = xml.Depth;
        var isEmpty = xml.IsEmptyElement;
        await MoveAsync(xml, cancel);
        while (!isEmpty && !(xml.Depth == depth && xml.NodeType is XmlNodeType.EndElement))
            await MoveAsync(xml, cancel);
        if (!isEmpty)
            await MoveAsync(xml, cancel);
    }

    /// <summary>Of <c>HTTP/1.1 404 Not Found</c> the number; null for anything else.</summary>
    private static int? StatusOf(string line) =>
        line.Trim().Split(' ', StringSplitOptions.RemoveEmptyEntries) is [_, { Length: 3 } digits, ..]
        && int.TryParse(digits, NumberStyles.None, CultureInfo.InvariantCulture, out var status)
            ? status
            : null;
}
