using System.Collections.Concurrent;
using System.Text.Json;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav;
using EasyCaravan.Protocols.Files;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>Opens address books and calendars in the slots of their service, and remembers where each account has them.</summary>
internal sealed class CollectionAccounts(
    ServiceSlots slots,
    ServiceThrottle throttle,
    AccessTokens tokens,
    CollectionHomes homes,
    ServiceSpeeds speeds,
    ItemFiles files,
    ParcelPlaces parcels
) : ICollectionAccounts
{
    /// <summary>Connections to one account, where the service bears so many: above it no server that was tried got faster.</summary>
    public const int MostConnections = 8;

    /// <summary>How services like to be used.</summary>
    private readonly ConcurrentDictionary<(string Service, Kind), (DavReadingSpeeds Reading, WritingLanes Writing)> _speeds = new();

    /// <summary>A home as it is kept.</summary>
    private sealed record KeptHome(string? Principal, string[] Homes, string[] Addresses, bool Schedules);

    public async Task<ICollectionAccount> OpenAsync(
        Core.Planning.Service service,
        Kind kind,
        Credentials credentials,
        CancellationToken cancel
    )
    {
        if (service.Parcels is not null)
            return parcels.OpenCollections(service, kind, credentials);
        var place = service.CollectionsOf(kind);
        if (place is CollectionConnection.Files handed)
            return new FileCollectionAccount(handed, kind, files, credentials.Account);
        var url = ((CollectionConnection.Dav)place!).Url.OriginalString;
        var kept = await homes.FindAsync(service.Name, credentials.Account, kind, url, cancel);
        var all = new List<IDisposable> { await slots.AcquireAsync(service, credentials.Account, cancel) };
        while (
            all.Count < Math.Min(MostConnections, service.Limits.PerAccount) && slots.TryAcquire(service, credentials.Account) is { } more
        )
            all.Add(more);
        try
        {
            var account = await DavCollectionAccount.OpenAsync(
                service,
                kind,
                credentials,
                tokens,
                kept is null ? null : Read(kept),
                home => homes.KeepAsync(service.Name, credentials.Account, kind, url, Write(home), cancel),
                null,
                all,
                cancel,
                (await SpeedsOfAsync(service, kind, cancel)).Reading
            );
            await throttle.RecoveredAsync(service.Name);
            return account;
        }
        catch (FaultException e)
        {
            // Before anybody has signed in the fault names the service, afterwards the account.
            var fault = e.Fault.Advised(service.Help) with { Service = service.Name, BeforeSignIn = e.Fault.Whom == service.Name };
            throttle.Report(fault);
            throw new FaultException(fault, e.Verdict, e);
        }
    }

    /// <summary>How many items this service likes to be given at the same time.</summary>
    public async Task<WritingLanes> WritingOfAsync(Core.Planning.Service service, Kind kind, CancellationToken cancel) =>
        (await SpeedsOfAsync(service, kind, cancel)).Writing;

    private async Task<(DavReadingSpeeds Reading, WritingLanes Writing)> SpeedsOfAsync(
        Core.Planning.Service service,
        Kind kind,
        CancellationToken cancel
    )
    {
        if (_speeds.TryGetValue((service.Name, kind), out var known))
            return known;
        var kept = await speeds.FindAsync(service.Name, kind, cancel);
        return _speeds.GetOrAdd(
            (service.Name, kind),
            (new DavReadingSpeeds(kept?.MultiGet, kept?.Query), new WritingLanes(kept?.WritingLanes))
        );
    }

    /// <summary>What was learned about how a service likes to be used is there after the next start too.</summary>
    public async Task KeepSpeedsAsync(Core.Planning.Service service, Kind kind, CancellationToken cancel)
    {
        if (!_speeds.TryGetValue((service.Name, kind), out var measured))
            return;
        if (measured.Reading.TakeNews() is var (multiGet, query))
            await speeds.KeepReadingAsync(service.Name, kind, multiGet, query, cancel);
        if (measured.Writing.TakeNews() is { } lanes)
            await speeds.KeepWritingAsync(service.Name, kind, lanes, cancel);
    }

    /// <summary>Where an account has its collections is looked for anew the next time.</summary>
    public Task ForgetAsync(Core.Planning.Service service, Kind kind, string account, CancellationToken cancel) =>
        homes.ForgetAsync(service.Name, account, kind, cancel);

    private static DavHome? Read(string text) =>
        JsonSerializer.Deserialize<KeptHome>(text) is { } kept
            ? new DavHome(
                kept.Principal is { } principal ? new Href(principal) : null,
                [.. kept.Homes.Select(h => new Href(h))],
                kept.Addresses,
                kept.Schedules
            )
            : null;

    private static string Write(DavHome home) =>
        JsonSerializer.Serialize(
            new KeptHome(home.Principal?.ToString(), [.. home.Homes.Select(h => h.ToString())], [.. home.Addresses], home.Schedules)
        );
}
