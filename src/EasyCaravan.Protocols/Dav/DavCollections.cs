using System.Net;
using System.Xml.Linq;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav.Verbs;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav;

/// <summary>Lists and makes address books or calendars.</summary>
internal sealed class DavCollections(DavConnection connection, Kind kind)
{
    /// <summary>Collections of one account.</summary>
    private const int MostCollections = 10_000;

    private static readonly HashSet<string> s_writing = ["all", "write", "write-content", "bind"];

    private XName Type => kind is Kind.Contacts ? DavNames.AddressBook : DavNames.Calendar;

    public async Task<IReadOnlyList<CollectionState>> ListAsync(DavHome home, CancellationToken cancel)
    {
        var all = new List<CollectionState>();
        var standard = new HashSet<Href>();
        foreach (var place in home.Homes)
        {
            using var answer = await connection.SendAsync(PropFindVerb.Of(place, 1, CollectionXml.Wanted(kind)), cancel);
            if (answer.Status is not HttpStatusCode.MultiStatus)
                throw await DavCauses.OfRequestAsync(connection, answer, cancel);
            try
            {
                await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
                {
                    // RFC 6638 §9.2: told by the calendars' inbox.
                    foreach (var told in response.Find(DavNames.DefaultCalendar)?.Elements(DavNames.Href) ?? [])
                        standard.Add(connection.PathOf(told.Value.Trim(), place));
                    if (StateOf(response, place, home) is { } state && all.TrueForAll(c => c.Href != state.Href))
                        all.Add(state);
                    if (all.Count + standard.Count > MostCollections)
                        throw new FormatException($"an account has more than {MostCollections} collections");
                }
            }
            catch (FormatException e)
            {
                throw connection.Garbage(e);
            }
        }
        // With one alone there is nothing to choose.
        var own = all.Where(c => c.Standing is CollectionStanding.Own).ToList();
        return [.. all.Select(c => c with { IsDefault = standard.Contains(c.Href) || (own.Count == 1 && own[0].Href == c.Href) })];
    }

    private CollectionState? StateOf(DavResponse response, Href place, DavHome home)
    {
        var types = response.Find(DavNames.ResourceType)?.Elements().Select(e => e.Name).ToHashSet();
        if (types is null || !types.Contains(Type) || response.Status is >= 300)
            return null;
        var token = response.Find(DavNames.SyncToken)?.Value.Trim() is { Length: > 0 } text ? new SyncToken(text) : (SyncToken?)null;
        var tag = response.Find(DavNames.CollectionTag)?.Value.Trim();
        return new CollectionState(
            connection.PathOf(response.Href, place),
            CollectionXml.Read(kind, response),
            StandingOf(response, types, home, place),
            new CollectionMark(token, tag is { Length: > 0 } ? tag : null)
        );
    }

    private CollectionStanding StandingOf(DavResponse response, HashSet<XName> types, DavHome home, Href place)
    {
        if (types.Contains(DavNames.CalendarServer + "subscribed"))
            return CollectionStanding.Subscribed;
        var owner = response.Find(DavNames.Owner)?.Element(DavNames.Href)?.Value.Trim() is { Length: > 0 } told
            ? connection.PathOf(told, place)
            : (Href?)null;
        if (types.Contains(DavNames.CalendarServer + "shared") || (owner is { } o && home.Principal is { } own && o != own))
            return CollectionStanding.Shared;
        // RFC 3744 §5.4. A server without access control tells nothing.
        var privileges = response.Find(DavNames.Privileges)?.Descendants().Select(e => e.Name.LocalName).ToHashSet();
        return privileges is { Count: > 0 } && !privileges.Overlaps(s_writing) ? CollectionStanding.ReadOnly : CollectionStanding.Own;
    }

    /// <summary>
    /// Makes a collection below the first home. What the server does not take along with the making is set afterwards, piece by piece.
    /// </summary>
    public async Task<CollectionState> MakeAsync(DavHome home, string name, CollectionProperties properties, CancellationToken cancel)
    {
        var path = new Href($"{home.Homes[0].Item(name)}/");
        // Something of another kind may have the name: where both kinds have one home, they share their names.
        if (await IsThereAsync(path, cancel))
            path = new Href($"{home.Homes[0].Item(Guid.NewGuid().ToString("N"))}/");
        await MakeAsync(path, properties, cancel);
        var made = await FindAsync(home, path, cancel);
        var missing = CollectionXml
            .Write(kind, properties)
            .Where(wanted => !CollectionXml.Write(kind, made.Properties).Any(kept => XNode.DeepEquals(kept, wanted)))
            .ToList();
        // One by one, because a server that refuses one of several refuses all (RFC 4918 §9.2).
        foreach (var property in missing)
            using (await connection.SendAsync(MakeCollectionVerb.Set(path, [property]), cancel)) { }
        return missing.Count == 0 ? made : await FindAsync(home, path, cancel);
    }

    private async Task MakeAsync(Href path, CollectionProperties properties, CancellationToken cancel)
    {
        using (var extended = await connection.SendAsync(MakeCollectionVerb.Extended(kind, path, properties), cancel))
        {
            if (extended.IsSuccess && !await IsRefusedWithinAsync(extended, cancel))
                return;
            if (kind is Kind.Contacts && extended.Code is not (207 or 403 or 409 or 424))
                throw await RefusedAsync(extended, properties, cancel);
        }
        // Without properties: a server may refuse the whole because of one.
        var bare = properties with { Description = null, Colour = null, Order = null, TimeZone = null, IsTransparent = null };
        using var plain = await connection.SendAsync(
            kind is Kind.Contacts ? MakeCollectionVerb.Extended(kind, path, bare) : MakeCollectionVerb.Calendar(path, bare),
            cancel
        );
        if (!plain.IsSuccess)
            throw await RefusedAsync(plain, properties, cancel);
    }

    /// <summary>What is about this collection alone keeps no other waiting.</summary>
    private async Task<FaultException> RefusedAsync(DavAnswer answer, CollectionProperties properties, CancellationToken cancel)
    {
        var fault = (await DavCauses.OfRequestAsync(connection, answer, cancel)).Fault;
        return new FaultException(
            fault.Cause is Cause.NotPermitted or Cause.FolderRefused or Cause.ProtocolBroken
                ? fault with
                {
                    Cause = Cause.CollectionRefused,
                    What = $"'{properties.Name}' cannot be made: {fault.What}",
                }
                : fault,
            Verdict.Keep
        );
    }

    private async Task<bool> IsThereAsync(Href path, CancellationToken cancel)
    {
        using var answer = await connection.SendAsync(PropFindVerb.Of(path, 0, DavNames.ResourceType), cancel);
        try
        {
            if (answer.Status is HttpStatusCode.MultiStatus)
                await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
                    return response.Status is null or (>= 200 and < 300);
        }
        catch (FormatException e)
        {
            throw connection.Garbage(e);
        }
        return false;
    }

    /// <summary>A 207 where a 201 was due says that it was not made (RFC 5689 §3).</summary>
    private static async Task<bool> IsRefusedWithinAsync(DavAnswer answer, CancellationToken cancel) =>
        answer.Status is HttpStatusCode.MultiStatus && !(await answer.ReadReasonAsync(cancel)).Contains(" 200 ", StringComparison.Ordinal);

    private async Task<CollectionState> FindAsync(DavHome home, Href path, CancellationToken cancel)
    {
        using var answer = await connection.SendAsync(PropFindVerb.Of(path, 0, CollectionXml.Wanted(kind)), cancel);
        if (answer.Status is not HttpStatusCode.MultiStatus)
            throw await DavCauses.OfRequestAsync(connection, answer, cancel);
        try
        {
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
                if (StateOf(response, path, home) is { } state)
                    return state;
        }
        catch (FormatException e)
        {
            throw connection.Garbage(e);
        }
        throw connection.Failed(Core.Pacing.Cause.CollectionRefused, $"{connection.Service} says that it made {path}, and it is not there");
    }
}
