using System.Collections.Specialized;
using System.Globalization;
using System.Text;
using System.Xml;
using System.Xml.Linq;

namespace EasyCaravan.StandIns;

internal sealed record StandInDavAnswer(int Status)
{
    public Dictionary<string, string> Headers { get; } = [];

    public byte[] Body { get; init; } = [];

    public string? ContentType { get; init; }

    /// <summary>Line ends of what is in it stay as they are (XML 1.0 §2.11).</summary>
    private static readonly XmlWriterSettings s_exact = new()
    {
        NewLineHandling = NewLineHandling.Entitize,
        Encoding = new UTF8Encoding(encoderShouldEmitUTF8Identifier: false),
        CheckCharacters = false,
    };

    public static StandInDavAnswer Xml(int status, XElement root)
    {
        var octets = new MemoryStream();
        using (var writer = XmlWriter.Create(octets, s_exact))
            root.WriteTo(writer);
        return new StandInDavAnswer(status) { Body = octets.ToArray(), ContentType = "application/xml; charset=utf-8" };
    }
}

/// <summary>
/// Answers one request. Paths are <c>/LOGIN/</c> for the principal, <c>/LOGIN/contacts/</c> and <c>/LOGIN/calendars/</c> for the homes,
/// below them collections and items.
/// </summary>
internal sealed class StandInDavRequest(
    StandInDavManners manners,
    StandInDavAccount account,
    string method,
    string[] path,
    NameValueCollection headers,
    byte[] body
)
{
    private static readonly XName s_href = DavWords.Dav + "href";

    private bool IsCalendar => path.Length > 1 && path[1] == "calendars";

    private StandInCollection? Collection => path.Length > 2 ? account.Find(IsCalendar, path[2]) : null;

    public StandInDavAnswer Answer()
    {
        if (path.Length > 1 && path[1] is not ("contacts" or "calendars") || path.Length > 4)
            return new StandInDavAnswer(404);
        switch (method)
        {
            case "OPTIONS":
                return new StandInDavAnswer(200) { Headers = { ["DAV"] = "1, 3, extended-mkcol, addressbook, calendar-access" } };
            case "PROPFIND":
                return Find();
            case "REPORT":
                return Collection is null ? new StandInDavAnswer(404) : Report(Collection);
            case "MKCOL" or "MKCALENDAR":
                return Make();
            case "PROPPATCH" when Collection is { } collection:
                Set(collection, Read());
                return Multi([Response(PathOf(collection), [], [])]);
            case "DELETE" when path.Length == 3 && Collection is { } collection:
                account.Collections.Remove(collection);
                return new StandInDavAnswer(204);
            case "GET" or "PUT" or "DELETE" when path.Length == 4:
                return Collection is { } own ? Item(own, path[3]) : new StandInDavAnswer(method == "PUT" ? 409 : 404);
            default:
                return new StandInDavAnswer(Collection is null && path.Length > 2 ? 404 : 405);
        }
    }

    private StandInDavAnswer Find()
    {
        var wanted = Read()?.Element(DavWords.Dav + "prop")?.Elements().Select(e => e.Name).ToList() ?? [];
        var deep = headers["Depth"] != "0";
        switch (path.Length)
        {
            case < 2:
                return Multi([Response(path.Length == 0 ? "/" : Root, wanted, Principal())]);
            case 2:
                var homes = new List<XElement> { Response($"{Root}{path[1]}/", wanted, [Plain(), .. Principal()]) };
                if (deep)
                    homes.AddRange(
                        account.Collections.Where(c => c.IsCalendar == IsCalendar).Select(c => Response(PathOf(c), wanted, About(c)))
                    );
                return Multi(homes);
            case 3 when Collection is { } collection:
                var items = new List<XElement> { Response(PathOf(collection), wanted, About(collection)) };
                if (deep)
                    items.AddRange(collection.Items.Select(i => Response(PathOf(collection, i.Key), wanted, About(i.Value))));
                return Multi(items);
            case 4 when Collection?.Items.TryGetValue(path[3], out var item) is true:
                return Multi([Response(PathOf(Collection!, path[3]), wanted, About(item))]);
            default:
                return new StandInDavAnswer(404);
        }
    }

    private StandInDavAnswer Report(StandInCollection collection)
    {
        if (Read() is not { } root)
            return new StandInDavAnswer(400);
        var wanted = root.Element(DavWords.Dav + "prop")?.Elements().Select(e => e.Name).ToList() ?? [];
        switch (root.Name.LocalName)
        {
            case "sync-collection":
                return Changes(collection, wanted, root.Element(DavWords.Dav + "sync-token")?.Value ?? "");
            case "addressbook-multiget" or "calendar-multiget":
                var asked = root.Elements(s_href).Select(h => h.Value.Trim()).ToList();
                return Multi(
                    asked.Select(h =>
                        collection.Items.TryGetValue(Uri.UnescapeDataString(h[(h.LastIndexOf('/') + 1)..]), out var item)
                            ? Response(h, wanted, About(item))
                            : Missing(h)
                    )
                );
            case "addressbook-query" or "calendar-query":
                return Multi(collection.Items.Select(i => Response(PathOf(collection, i.Key), wanted, About(i.Value))));
            default:
                return new StandInDavAnswer(403);
        }
    }

    /// <summary>RFC 6578 §3.</summary>
    private StandInDavAnswer Changes(StandInCollection collection, List<XName> wanted, string token)
    {
        var since = 0;
        if (token.Length > 0 && (manners.ForgetsTokens || !int.TryParse(token.Split('/')[^1], CultureInfo.InvariantCulture, out since)))
            return StandInDavAnswer.Xml(403, new XElement(DavWords.Dav + "error", new XElement(DavWords.Dav + "valid-sync-token")));
        var changed = collection
            .Items.Where(i => i.Value.Change > since)
            .Select(i => Response(PathOf(collection, i.Key), wanted, About(i.Value)))
            .Concat(since == 0 ? [] : collection.Gone.Where(g => g.Value > since).Select(g => Missing(PathOf(collection, g.Key))));
        return Multi(changed.Append(new XElement(DavWords.Dav + "sync-token", TokenOf(collection))));
    }

    private StandInDavAnswer Make()
    {
        if (path.Length != 3)
            return new StandInDavAnswer(403);
        if (Collection is not null)
            return new StandInDavAnswer(405);
        Set(account.Make(IsCalendar, path[2], path[2]), Read());
        return new StandInDavAnswer(201);
    }

    private void Set(StandInCollection collection, XElement? root)
    {
        foreach (var property in root?.Descendants(DavWords.Dav + "prop").Elements() ?? [])
            if (
                property.Name != DavWords.Dav + "resourcetype"
                && (!manners.KeepsOnlyNames || property.Name == DavWords.Dav + "displayname")
            )
                collection.Properties[property.Name] = new XElement(property);
    }

    private StandInDavAnswer Item(StandInCollection collection, string name)
    {
        collection.Items.TryGetValue(name, out var there);
        if (method == "GET")
            return there is null
                ? new StandInDavAnswer(404)
                : new StandInDavAnswer(200)
                {
                    Body = there.Octets,
                    ContentType = IsCalendar ? "text/calendar; charset=utf-8" : "text/vcard; charset=utf-8",
                    Headers = { ["ETag"] = there.Tag },
                };
        var isExpected =
            (headers["If-None-Match"] != "*" || there is null) && (headers["If-Match"] is not { } tag || there?.Tag == tag.Trim());
        if (method == "DELETE")
            return !isExpected
                ? new StandInDavAnswer(there is null ? 404 : 412)
                : new StandInDavAnswer(collection.Remove(name) ? 204 : 404);
        if (!isExpected)
            return new StandInDavAnswer(412);
        var text = Encoding.UTF8.GetString(body);
        var (space, word) = IsCalendar ? (DavWords.CalDav, "calendar") : (DavWords.CardDav, "address");
        if (!text.TrimStart('\uFEFF').StartsWith(IsCalendar ? "BEGIN:VCALENDAR" : "BEGIN:VCARD", StringComparison.OrdinalIgnoreCase))
            return StandInDavAnswer.Xml(403, new XElement(DavWords.Dav + "error", new XElement(space + $"valid-{word}-data")));
        if (manners.TakesUidOnce && UidOf(text) is { } uid && Twin(collection, name, uid) is { } twin)
            return StandInDavAnswer.Xml(
                409,
                new XElement(DavWords.Dav + "error", new XElement(space + "no-uid-conflict", new XElement(s_href, twin)))
            );
        var stored = collection.Put(name, manners.DropsPhotos ? Encoding.UTF8.GetBytes(WithoutPhoto(text)) : body);
        return new StandInDavAnswer(there is null ? 201 : 204) { Headers = { ["ETag"] = stored.Tag } };
    }

    private string? Twin(StandInCollection collection, string name, string uid) =>
        account
            .Collections.Where(c => c.IsCalendar == collection.IsCalendar)
            .SelectMany(c => c.Items.Select(i => (Collection: c, i.Key, i.Value)))
            .Where(i => (i.Collection != collection || i.Key != name) && UidOf(i.Value.Text) == uid)
            .Select(i => PathOf(i.Collection, i.Key))
            .FirstOrDefault();

    private static string? UidOf(string text) =>
        text.Split('\n').FirstOrDefault(l => l.StartsWith("UID:", StringComparison.OrdinalIgnoreCase))?[4..].Trim();

    /// <summary>With its folded lines.</summary>
    private static string WithoutPhoto(string text)
    {
        var kept = new StringBuilder();
        var drops = false;
        foreach (var line in text.Split("\r\n"))
        {
            drops = line.StartsWith("PHOTO", StringComparison.OrdinalIgnoreCase) || (drops && line.StartsWith(' '));
            if (!drops && line.Length > 0)
                kept.Append(line).Append("\r\n");
        }
        return kept.ToString();
    }

    private XElement? Read()
    {
        if (body.Length == 0)
            return null;
        try
        {
            using var reader = XmlReader.Create(new MemoryStream(body), new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit });
            return XElement.Load(reader);
        }
        catch (XmlException)
        {
            return null;
        }
    }

    private string Root => $"/{Uri.EscapeDataString(account.Login)}/";

    private string PathOf(StandInCollection collection) =>
        $"{Root}{(collection.IsCalendar ? "calendars" : "contacts")}/{Uri.EscapeDataString(collection.Name)}/";

    private string PathOf(StandInCollection collection, string item) => $"{PathOf(collection)}{Uri.EscapeDataString(item)}";

    private static string TokenOf(StandInCollection collection) => $"https://stand-in.example/state/{collection.Change}";

    private static XElement Plain() => new(DavWords.Dav + "resourcetype", new XElement(DavWords.Dav + "collection"));

    private XElement[] Principal() =>
        [
            new(DavWords.Dav + "current-user-principal", new XElement(s_href, Root)),
            new(DavWords.CalDav + "calendar-home-set", new XElement(s_href, $"{Root}calendars/")),
            new(DavWords.CardDav + "addressbook-home-set", new XElement(s_href, $"{Root}contacts/")),
            new(DavWords.CalDav + "calendar-user-address-set", new XElement(s_href, $"mailto:{account.Login}")),
        ];

    private IEnumerable<XElement> About(StandInCollection collection) =>
        [
            .. collection.Properties.Values,
            new(
                DavWords.Dav + "resourcetype",
                new XElement(DavWords.Dav + "collection"),
                new XElement(collection.IsCalendar ? DavWords.CalDav + "calendar" : DavWords.CardDav + "addressbook")
            ),
            new(DavWords.Dav + "owner", new XElement(s_href, Root)),
            new(DavWords.Dav + "sync-token", TokenOf(collection)),
            new(DavWords.CalendarServer + "getctag", $"{collection.Change}"),
            new(DavWords.CalDav + "schedule-default-calendar-URL", new XElement(s_href, $"{Root}calendars/calendar/")),
        ];

    private IEnumerable<XElement> About(StandInItem item) =>
        [
            new(DavWords.Dav + "resourcetype"),
            new(DavWords.Dav + "getetag", item.Tag),
            new(DavWords.Dav + "getcontentlength", item.Octets.Length),
            new(IsCalendar ? DavWords.CalDav + "calendar-data" : DavWords.CardDav + "address-data", item.Text),
        ];

    private static XElement Response(string href, IReadOnlyCollection<XName> wanted, IEnumerable<XElement> known)
    {
        var found = known.Where(k => wanted.Contains(k.Name)).ToList();
        var missing = wanted.Except(found.Select(f => f.Name)).Select(n => new XElement(n)).ToList();
        XElement Part(IEnumerable<XElement> properties, string status) =>
            new(
                DavWords.Dav + "propstat",
                new XElement(DavWords.Dav + "prop", properties),
                new XElement(DavWords.Dav + "status", $"HTTP/1.1 {status}")
            );
        return new XElement(
            DavWords.Dav + "response",
            new XElement(s_href, href),
            Part(found, "200 OK"),
            missing.Count > 0 ? Part(missing, "404 Not Found") : null
        );
    }

    private static XElement Missing(string href) =>
        new(DavWords.Dav + "response", new XElement(s_href, href), new XElement(DavWords.Dav + "status", "HTTP/1.1 404 Not Found"));

    private static StandInDavAnswer Multi(IEnumerable<XElement> parts) =>
        StandInDavAnswer.Xml(207, new XElement(DavWords.Dav + "multistatus", parts));
}
