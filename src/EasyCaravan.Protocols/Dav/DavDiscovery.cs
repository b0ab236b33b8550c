using System.Net;
using System.Xml.Linq;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Dav.Verbs;
using EasyCaravan.Protocols.Dav.Wire;

namespace EasyCaravan.Protocols.Dav;

/// <summary>
/// Finds where an account has its collections. The plan's URL may be a host alone, a well-known place, a principal, a home or one
/// collection (RFC 6764 §6).
/// </summary>
internal sealed class DavDiscovery(DavConnection connection, Kind kind, Action<ConnectStep>? step)
{
    private const int MostRedirects = 5;

    private XName HomeSet => kind is Kind.Contacts ? DavNames.AddressBookHome : DavNames.CalendarHome;

    /// <exception cref="FaultException">It could not be found; the fault says what was tried.</exception>
    public async Task<DavHome> FindAsync(bool onBehalf, CancellationToken cancel)
    {
        var start = await FindStartAsync(cancel);
        var found = await AskAsync(start, cancel);
        step?.Invoke(new ConnectStep("sign in", $"as {connection.Login}"));
        step?.Invoke(new ConnectStep("discovery", $"{connection.Origin.Host} answers at {start}"));
        // Whoever acts for others is told their own principal, which is not the account's.
        var homes = HrefsIn(found, HomeSet);
        var told = onBehalf ? null : HrefsIn(found, DavNames.Principal).Cast<Href?>().FirstOrDefault();
        var principal = told ?? (homes.Count > 0 ? start : null);
        if (homes.Count == 0 && principal is { } other)
        {
            found = await AskAsync(other, cancel);
            homes = HrefsIn(found, HomeSet);
        }
        if (homes.Count == 0)
            homes = [HoldsItems(found) ? Above(start) : start];
        step?.Invoke(new ConnectStep("homes", string.Join(", ", homes)));
        var schedules = kind is Kind.Calendars && await SchedulesAsync(homes[0], cancel);
        return new DavHome(principal, homes, [.. HrefTexts(found, DavNames.Addresses)], schedules);
    }

    /// <summary>RFC 6638 §2: told by the calendars' home when it is asked for its options.</summary>
    private async Task<bool> SchedulesAsync(Href home, CancellationToken cancel)
    {
        using var answer = await connection.SendAsync(new DavRequest("OPTIONS", home), cancel);
        return answer.Classes.Contains("calendar-auto-schedule");
    }

    /// <summary>RFC 6764 §5: the well-known place leads there; a server that has none may begin at its root.</summary>
    private async Task<Href> FindStartAsync(CancellationToken cancel)
    {
        var written = new Href(connection.Start.AbsolutePath);
        if (connection.Start.AbsolutePath.Length > 1)
            return await FollowAsync(written, cancel) ?? throw NothingAt(written);
        var wellKnown = new Href(kind is Kind.Contacts ? "/.well-known/carddav" : "/.well-known/caldav");
        return await FollowAsync(wellKnown, cancel) ?? await FollowAsync(written, cancel) ?? throw NothingAt(written);
    }

    /// <summary>Where redirects from here end; null where there is nothing.</summary>
    private async Task<Href?> FollowAsync(Href path, CancellationToken cancel)
    {
        for (var i = 0; i < MostRedirects; i++)
        {
            using var answer = await connection.SendAsync(PropFindVerb.Of(path, 0, DavNames.ResourceType), cancel);
            if (answer.Status is HttpStatusCode.MultiStatus)
                return path;
            if (answer.Location is not { } location)
                return answer.Code is 404 or 405 or 410 or 403 or 501 or 400 or 200
                    ? null
                    : throw await DavCauses.OfRequestAsync(connection, answer, cancel);
            var target = new Uri(new Uri(connection.Origin, path.ToString()), location);
            if (!connection.IsHere(target))
                throw connection.Failed(
                    Cause.HostUnknown,
                    $"{connection.Origin.Host} sends us on to {target.Scheme}://{target.Authority}, which is not what the plan names"
                );
            // From HTTP to HTTPS of the same host is for the plan to say: the sign-in would have been sent unprotected already.
            if (target.Scheme != connection.Origin.Scheme)
                throw connection.Failed(
                    Cause.HostUnknown,
                    $"{connection.Origin.Host} wants to be asked at {target.GetLeftPart(UriPartial.Path)}"
                );
            path = new Href(target.AbsolutePath);
        }
        throw connection.Failed(Cause.ProtocolBroken, $"{connection.Origin.Host} sends us on and on");
    }

    private FaultException NothingAt(Href path) =>
        connection.Failed(
            Cause.AccountNotFound,
            $"{connection.Origin.Host} has no {(kind is Kind.Contacts ? "address books" : "calendars")} at {path}"
        );

    private async Task<DavResponse> AskAsync(Href path, CancellationToken cancel)
    {
        var asked = PropFindVerb.Of(path, 0, DavNames.Principal, HomeSet, DavNames.Addresses, DavNames.ResourceType);
        using var answer = await connection.SendAsync(asked, cancel);
        if (answer.Status is not HttpStatusCode.MultiStatus)
            throw await DavCauses.OfRequestAsync(connection, answer, cancel);
        try
        {
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
                return response;
        }
        catch (FormatException e)
        {
            throw connection.Garbage(e);
        }
        throw connection.Failed(Cause.ProtocolBroken, $"{connection.Origin.Host} says nothing about {path}");
    }

    private List<Href> HrefsIn(DavResponse found, XName property)
    {
        try
        {
            return [.. HrefTexts(found, property).Select(h => connection.PathOf(h)).Distinct()];
        }
        catch (FormatException e)
        {
            throw connection.Garbage(e);
        }
    }

    private static IEnumerable<string> HrefTexts(DavResponse found, XName property) =>
        (found.Find(property)?.Elements(DavNames.Href) ?? []).Select(h => h.Value.Trim()).Where(h => h.Length > 0);

    private static bool HoldsItems(DavResponse found) =>
        found.Find(DavNames.ResourceType)?.Elements().Any(e => e.Name == DavNames.Calendar || e.Name == DavNames.AddressBook) == true;

    private static Href Above(Href path)
    {
        var text = path.ToString().TrimEnd('/');
        return new Href(text[..(text.LastIndexOf('/') + 1)]);
    }
}
