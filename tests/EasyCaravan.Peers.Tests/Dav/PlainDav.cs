using System.Net.Http.Headers;
using System.Text;
using System.Xml.Linq;

namespace EasyCaravan.Peers.Dav;

/// <summary>
/// A DAV client of the tests' own, as plain as can be. It shares no code with the product, so that it can be its witness.
/// </summary>
public sealed class PlainDav : IDisposable
{
    private static readonly XNamespace s_dav = "DAV:";
    private static readonly XNamespace s_card = "urn:ietf:params:xml:ns:carddav";
    private static readonly XNamespace s_cal = "urn:ietf:params:xml:ns:caldav";

    /// <summary>A connection for each request, because one of the servers ends each after its answer.</summary>
    private readonly HttpClient _http = new(new SocketsHttpHandler { PooledConnectionLifetime = TimeSpan.Zero })
    {
        Timeout = TimeSpan.FromSeconds(60),
    };

    private readonly Uri _server;

    public PlainDav(Uri server, string user, string password)
    {
        _server = server;
        _http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
            "Basic",
            Convert.ToBase64String(Encoding.UTF8.GetBytes($"{user}:{password}"))
        );
    }

    /// <summary>The collections below a home: path and name.</summary>
    public async Task<List<(string Path, string Name)>> CollectionsAsync(string home, bool contacts)
    {
        var answer = await PropFindAsync(home, "<d:resourcetype/><d:displayname/>");
        var type = contacts ? s_card + "addressbook" : s_cal + "calendar";
        return
        [
            .. answer
                .Descendants(s_dav + "response")
                .Where(r => r.Descendants(type).Any())
                .Select(r => (PathOf(r), (string?)r.Descendants(s_dav + "displayname").FirstOrDefault() ?? "")),
        ];
    }

    /// <summary>The paths of the objects in a collection.</summary>
    public async Task<List<string>> ListAsync(string collection)
    {
        var answer = await PropFindAsync(collection, "<d:resourcetype/><d:getetag/>");
        return
        [
            .. answer
                .Descendants(s_dav + "response")
                .Where(r => !r.Descendants(s_dav + "collection").Any())
                .Select(PathOf)
                .Where(p => p.TrimEnd('/') != collection.TrimEnd('/')),
        ];
    }

    /// <summary>An object as it is stored. A server that would convert it is asked for the version that it holds.</summary>
    public async Task<string> GetAsync(string path)
    {
        var plain = await GetAsync(path, "*/*");
        if (!path.EndsWith(".vcf", StringComparison.Ordinal))
            return plain;
        var later = await GetAsync(path, "text/vcard; version=4.0");
        var length = (string?)
            (await PropFindAsync(path, "<d:getcontentlength/>", 0)).Descendants(s_dav + "getcontentlength").FirstOrDefault();
        return
            length == $"{Encoding.UTF8.GetByteCount(later)}"
            && later.Contains("VERSION:4.0", StringComparison.Ordinal)
            && length != $"{Encoding.UTF8.GetByteCount(plain)}"
            ? later
            : plain;
    }

    public async Task<Dictionary<string, string>> GetAllAsync(string collection)
    {
        var all = new Dictionary<string, string>();
        foreach (var path in await ListAsync(collection))
            all[path] = await GetAsync(path);
        return all;
    }

    public async Task<int> PutAsync(string path, string text, bool contacts)
    {
        using var content = new ByteArrayContent(Encoding.UTF8.GetBytes(text));
        content.Headers.ContentType = MediaTypeHeaderValue.Parse(contacts ? "text/vcard; charset=utf-8" : "text/calendar; charset=utf-8");
        using var answer = await _http.PutAsync(new Uri(_server, path), content);
        return (int)answer.StatusCode;
    }

    public async Task DeleteAsync(string path)
    {
        using var answer = await _http.DeleteAsync(new Uri(_server, path));
        answer.EnsureSuccessStatusCode();
    }

    public async Task MakeAsync(string path, string name, bool contacts)
    {
        var type = contacts
            ? """<c:addressbook xmlns:c="urn:ietf:params:xml:ns:carddav"/>"""
            : """<c:calendar xmlns:c="urn:ietf:params:xml:ns:caldav"/>""";
        using var answer = await SendAsync(
            "MKCOL",
            path,
            $"""
            <d:mkcol xmlns:d="DAV:"><d:set><d:prop><d:resourcetype><d:collection/>{type}</d:resourcetype>
            <d:displayname>{name}</d:displayname></d:prop></d:set></d:mkcol>
            """,
            null
        );
        Assert.True(answer.IsSuccessStatusCode, $"{path} cannot be made: {(int)answer.StatusCode}");
    }

    private async Task<string> GetAsync(string path, string accept)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, new Uri(_server, path));
        request.Headers.TryAddWithoutValidation("Accept", accept);
        using var answer = await _http.SendAsync(request);
        return answer.IsSuccessStatusCode ? Encoding.UTF8.GetString(await answer.Content.ReadAsByteArrayAsync()) : "";
    }

    private async Task<XElement> PropFindAsync(string path, string props, int depth = 1)
    {
        using var answer = await SendAsync(
            "PROPFIND",
            path,
            $"""<d:propfind xmlns:d="DAV:"><d:prop>{props}</d:prop></d:propfind>""",
            depth
        );
        return XElement.Parse(await answer.Content.ReadAsStringAsync());
    }

    private async Task<HttpResponseMessage> SendAsync(string method, string path, string body, int? depth)
    {
        using var request = new HttpRequestMessage(new HttpMethod(method), new Uri(_server, path));
        request.Content = new StringContent($"""<?xml version="1.0" encoding="utf-8"?>{body}""", Encoding.UTF8, "application/xml");
        if (depth is { } d)
            request.Headers.Add("Depth", $"{d}");
        return await _http.SendAsync(request);
    }

    private string PathOf(XElement response) => new Uri(_server, (string)response.Element(s_dav + "href")!).AbsolutePath;

    public void Dispose() => _http.Dispose();
}
