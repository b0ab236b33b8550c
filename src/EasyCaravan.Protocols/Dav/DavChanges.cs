using System.Net;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Verbs;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav;

/// <summary>
/// What changed in a collection: told by the server where it can (RFC 6578), else by the ETags of all items.
/// </summary>
internal sealed class DavChanges(DavConnection connection)
{
    /// <summary>Pages of one answer, each of which has to bring something.</summary>
    private const int MostPages = 10_000;

    /// <summary>Items of one collection. An answer that names more is not meant for reading.</summary>
    private const int MostItems = 250_000;

    public async Task<CollectionChanges> ReadAsync(CollectionState collection, SyncToken? since, CancellationToken cancel)
    {
        if (collection.Mark.Token is null)
            return await ListAsync(collection, cancel);
        if (since is { } token && await SyncAsync(collection, token, cancel) is { } changes)
            return changes;
        return await SyncAsync(collection, null, cancel) ?? await ListAsync(collection, cancel);
    }

    /// <summary>
    /// Null where the server does not do it: it no longer knows the token (RFC 6578 §3.2, valid-sync-token), which one server says with a
    /// status for defects of its own.
    /// </summary>
    private async Task<CollectionChanges?> SyncAsync(CollectionState collection, SyncToken? since, CancellationToken cancel)
    {
        var there = new Dictionary<Href, ItemState>();
        var gone = new HashSet<Href>();
        var token = since;
        for (var page = 0; page < MostPages; page++)
        {
            using var answer = await connection.SendAsync(SyncCollectionVerb.Of(collection.Href, token), cancel);
            if (answer.Status is not HttpStatusCode.MultiStatus)
            {
                if (answer.Code is 401 or 423 or 429 or 502 or 503 or 504)
                    throw await DavCauses.OfRequestAsync(connection, answer, cancel);
                return null;
            }
            var reader = answer.ReadMultiStatus();
            var isCut = false;
            try
            {
                await foreach (var response in reader.ReadAsync(cancel))
                {
                    var path = connection.PathOf(response.Href, collection.Href);
                    // RFC 6578 §3.6: there is more than the server gives at once.
                    isCut |= response.Status is 507 && path == collection.Href;
                    if (!path.IsItemOf(collection.Href))
                        continue;
                    if (response.Status is 404 or 410)
                    {
                        there.Remove(path);
                        gone.Add(path);
                    }
                    else if (response.Status is null or (>= 200 and < 300))
                    {
                        gone.Remove(path);
                        there[path] = new ItemState(path, TagOf(response));
                    }
                    CheckCount(there.Count + gone.Count);
                }
            }
            catch (FormatException e)
            {
                throw connection.Garbage(e);
            }
            if (reader.SyncToken is not { Length: > 0 } next)
                return null;
            var isSame = token?.Value == next;
            token = new SyncToken(next);
            if (!isCut)
                return new CollectionChanges(
                    since is null,
                    [.. there.Values],
                    since is null ? [] : [.. gone],
                    new CollectionMark(token, null)
                );
            if (isSame)
                break;
        }
        throw connection.Failed(Cause.ProtocolBroken, $"{connection.Service} lists the changes of {collection.Href} without end");
    }

    private async Task<CollectionChanges> ListAsync(CollectionState collection, CancellationToken cancel)
    {
        var wanted = PropFindVerb.Of(collection.Href, 1, DavNames.ETag, DavNames.ResourceType, DavNames.CollectionTag);
        using var answer = await connection.SendAsync(wanted, cancel);
        if (answer.Status is not HttpStatusCode.MultiStatus)
            throw await DavCauses.OfRequestAsync(connection, answer, cancel);
        var there = new Dictionary<Href, ItemState>();
        var tag = collection.Mark.Tag;
        try
        {
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
            {
                var path = connection.PathOf(response.Href, collection.Href);
                if (path == collection.Href)
                    tag = response.Find(DavNames.CollectionTag)?.Value.Trim() ?? tag;
                else if (
                    path.IsItemOf(collection.Href)
                    && response.Status is null or (>= 200 and < 300)
                    && response.Find(DavNames.ResourceType)?.Element(DavNames.Dav + "collection") is null
                )
                    there[path] = new ItemState(path, TagOf(response));
                CheckCount(there.Count);
            }
        }
        catch (FormatException e)
        {
            throw connection.Garbage(e);
        }
        return new CollectionChanges(true, [.. there.Values], [], new CollectionMark(null, tag));
    }

    private static void CheckCount(int items)
    {
        if (items > MostItems)
            throw new FormatException($"a collection lists more than {MostItems} items");
    }

    internal static ETag? TagOf(DavResponse response) =>
        response.Find(DavNames.ETag)?.Value.Trim() is { Length: > 0 } tag ? new ETag(tag) : null;
}
