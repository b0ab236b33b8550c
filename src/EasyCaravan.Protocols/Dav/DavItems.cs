using System.Collections.Concurrent;
using System.Diagnostics;
using System.Globalization;
using System.Net;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Verbs;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav;

/// <summary>Reads items whole, many at a time, and one by one where that is not possible.</summary>
internal sealed class DavItems(DavConnection connection, Kind kind, DavReadingSpeeds speeds)
{
    /// <summary>Items that are asked for in one request.</summary>
    private const int Step = 100;

    /// <summary>Octets that are held while a query's answer is read: whoever takes them may be slower than the server bears.</summary>
    private const long Held = 2 * 1024 * 1024;

    /// <summary>How many items collections hold, as far as it was seen.</summary>
    private readonly ConcurrentDictionary<Href, int> _counts = [];

    /// <summary>
    /// Quirk (a server that gives a vCard of version 4 as version 3 unless asked otherwise, without its photo): the length that it tells is
    /// that of what it stored, so a card of another length is asked for in this version.
    /// </summary>
    private const string LaterVersion = "4.0";

    /// <summary>The lengths that the server tells are those of what it stores. Found out by the first that differ.</summary>
    private bool _lengthsTell = kind is Kind.Contacts;

    public void Count(Href collection, int items) => _counts[collection] = items;

    /// <param name="take">Called for one item after the other.</param>
    /// <param name="unreadable">Gets those that the server does not give.</param>
    public async Task ReadAsync(
        CollectionState collection,
        IReadOnlyCollection<Href> items,
        Func<StoredItem, CancellationToken, ValueTask> take,
        IDictionary<Href, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var asked = items.ToArray();
        for (var at = 0; at < asked.Length; )
        {
            var rest = asked[at..];
            var all = Math.Max(rest.Length, _counts.GetValueOrDefault(collection.Href));
            var isQuery = speeds.IsQueryFaster(rest.Length, all);
            var chunk = isQuery ? rest : rest[..Math.Min(Step, rest.Length)];
            at += chunk.Length;
            var left = chunk.ToHashSet();
            var converted = new Dictionary<Href, StoredItem>();
            if (isQuery)
                await QueryAsync(collection, left, Take, cancel);
            // What a query did not give is asked for in the standard way.
            foreach (var some in left.Chunk(Step).ToList())
            {
                var missing = some.ToHashSet();
                await ReadChunkAsync(collection, missing, null, Take, cancel);
                left.ExceptWith(some.Where(i => !missing.Contains(i)));
            }
            if (converted.Count > 0)
                await ReadLaterVersionAsync(collection, converted, take, cancel);
            // Those that the answer lacks: after broken XML, or where a server gives one object in a hundred without its data.
            foreach (var item in chunk.Where(left.Contains))
                await ReadOneAsync(item, take, unreadable, cancel);

            ValueTask Take(StoredItem item, long? length, CancellationToken c)
            {
                if (!_lengthsTell || length is null || length == item.Octets.Length)
                    return take(item, c);
                converted[item.Href] = item;
                return ValueTask.CompletedTask;
            }
        }
    }

    /// <param name="left">What is wanted. Those that are given are taken out of it.</param>
    private async Task QueryAsync(
        CollectionState collection,
        HashSet<Href> left,
        Func<StoredItem, long?, CancellationToken, ValueTask> take,
        CancellationToken cancel
    )
    {
        var time = Stopwatch.StartNew();
        using var answer = await connection.SendAsync(QueryVerb.Of(kind, collection.Href), cancel);
        if (answer.Status is not HttpStatusCode.MultiStatus)
        {
            if (answer.Code is 404 or 429 or 502 or 503 or 504)
                throw await DavCauses.OfRequestAsync(connection, answer, cancel);
            speeds.QueryWasRefused();
            return;
        }
        var (held, octets, all) = (new List<(StoredItem Item, long? Length)>(), 0L, 0);
        try
        {
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
            {
                all++;
                var path = connection.PathOf(response.Href, collection.Href);
                if (response.Data is not { IsEmpty: false } data || IsRecoded(data) || !left.Remove(path))
                    continue;
                held.Add((new StoredItem(path, DavChanges.TagOf(response), data), LengthOf(response)));
                if ((octets += data.Length) < Held)
                    continue;
                time.Stop();
                await GiveAsync();
                time.Start();
            }
        }
        catch (FormatException)
        {
            // One object can break the XML of all others in the answer. What is left is asked for by itself.
            speeds.QueryWasRefused();
        }
        speeds.QueryTook(all, time.Elapsed);
        Count(collection.Href, all);
        await GiveAsync();

        async Task GiveAsync()
        {
            foreach (var (item, length) in held)
                await take(item, length, cancel);
            held.Clear();
            octets = 0;
        }
    }

    /// <param name="earlier">As the server gives them unless asked for a version.</param>
    private async Task ReadLaterVersionAsync(
        CollectionState collection,
        Dictionary<Href, StoredItem> earlier,
        Func<StoredItem, CancellationToken, ValueTask> take,
        CancellationToken cancel
    )
    {
        var stored = new List<StoredItem>();
        await ReadChunkAsync(collection, [.. earlier.Keys], LaterVersion, Keep, cancel);
        // If no length is ever right, none says anything.
        _lengthsTell = stored.Count > 0;
        foreach (var item in stored)
        {
            earlier.Remove(item.Href);
            await take(item, cancel);
        }
        foreach (var item in earlier.Values)
            await take(item, cancel);

        ValueTask Keep(StoredItem item, long? length, CancellationToken c)
        {
            if (length == item.Octets.Length)
                stored.Add(item);
            return ValueTask.CompletedTask;
        }
    }

    /// <param name="left">What is asked for. Those that are given, or gone, are taken out of it.</param>
    private async Task ReadChunkAsync(
        CollectionState collection,
        HashSet<Href> left,
        string? version,
        Func<StoredItem, long?, CancellationToken, ValueTask> take,
        CancellationToken cancel
    )
    {
        var (time, wanted) = (Stopwatch.StartNew(), left.Count);
        using var answer = await connection.SendAsync(MultiGetVerb.Of(kind, collection.Href, left, version), cancel);
        if (answer.Status is not HttpStatusCode.MultiStatus)
        {
            if (answer.Code is 404 or 429 or 502 or 503 or 504)
                throw await DavCauses.OfRequestAsync(connection, answer, cancel);
            return;
        }
        try
        {
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
            {
                var path = connection.PathOf(response.Href, collection.Href);
                if (!left.Contains(path))
                    continue;
                if (response.Status is 404 or 410)
                    left.Remove(path);
                // In XML there are no octets that are not UTF-8: where such stand in an object, only a plain GET gives it as it is.
                else if (response.Data is { IsEmpty: false } octets && !IsRecoded(octets))
                {
                    left.Remove(path);
                    // The time that whoever takes it needs is not the server's.
                    time.Stop();
                    await take(new StoredItem(path, DavChanges.TagOf(response), octets), LengthOf(response), cancel);
                    time.Start();
                }
            }
            speeds.MultiGetTook(wanted - left.Count, time.Elapsed);
        }
        catch (FormatException)
        {
            // One object can break the XML of all others in the answer. Each is asked for by itself.
        }
    }

    private async Task ReadOneAsync(
        Href item,
        Func<StoredItem, CancellationToken, ValueTask> take,
        IDictionary<Href, Fault> unreadable,
        CancellationToken cancel
    )
    {
        try
        {
            var (found, fault) = await GetAsync(item, null, cancel);
            if (found is not null && _lengthsTell && await LengthOfAsync(item, cancel) is { } length && length != found.Octets.Length)
            {
                var (later, _) = await GetAsync(item, LaterVersion, cancel);
                if (later?.Octets.Length == length)
                    found = later;
            }
            if (found is not null)
                await take(found, cancel);
            else if (fault is not null)
                unreadable[item] = fault;
        }
        catch (FormatException e)
        {
            unreadable[item] = new Fault(Cause.ItemTooLarge, connection.Account, e.Message);
        }
    }

    /// <summary>Neither of both where it is gone.</summary>
    private async Task<(StoredItem? Item, Fault? Fault)> GetAsync(Href item, string? version, CancellationToken cancel)
    {
        using var answer = await connection.SendAsync(ObjectVerbs.Get(item, version), cancel);
        if (answer.Code is 404 or 410)
            return (null, null);
        if (answer.Code is 429 or 502 or 503 or 504)
            throw await DavCauses.OfRequestAsync(connection, answer, cancel);
        if (answer.IsSuccess)
            return (new StoredItem(item, answer.Tag, await answer.ReadObjectAsync(cancel)), null);
        var said = await DavCauses.WordsOfAsync(answer, cancel);
        var what = $"{connection.Service} does not give it out ({answer.Code}{(said.Length > 0 ? $": {said}" : "")})";
        return (null, new Fault(Cause.ItemUnreadable, connection.Account, what));
    }

    private async Task<long?> LengthOfAsync(Href item, CancellationToken cancel)
    {
        using var answer = await connection.SendAsync(PropFindVerb.Of(item, 0, DavNames.ContentLength), cancel);
        if (answer.Status is HttpStatusCode.MultiStatus)
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
                return LengthOf(response);
        return null;
    }

    /// <summary>It has a character in it that stands for octets that could not be told.</summary>
    private static bool IsRecoded(ReadOnlyMemory<byte> octets) => octets.Span.IndexOf("\uFFFD"u8) >= 0;

    private static long? LengthOf(DavResponse response) =>
        long.TryParse(response.Find(DavNames.ContentLength)?.Value, NumberStyles.None, CultureInfo.InvariantCulture, out var length)
            ? length
            : null;
}
