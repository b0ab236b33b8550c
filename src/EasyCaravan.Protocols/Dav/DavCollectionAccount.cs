using System.Net;
using System.Xml.Linq;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Dav.Verbs;
using EasyCaravan.Protocols.Dav.Wire;
using EasyCaravan.Protocols.SignIn;

namespace EasyCaravan.Protocols.Dav;

/// <summary>The address books (CardDAV, RFC 6352) or calendars (CalDAV, RFC 4791) of one account.</summary>
public sealed class DavCollectionAccount : ICollectionAccount
{
    private readonly DavConnection _connection;
    private readonly DavHome _home;
    private readonly DavCollections _collections;
    private readonly DavItems _items;
    private readonly DavChanges _changes;
    private readonly IReadOnlyList<IDisposable> _slots;
    private readonly DavReadingSpeeds _speeds;

    private DavCollectionAccount(
        DavConnection connection,
        Kind kind,
        DavHome home,
        IReadOnlyList<IDisposable> slots,
        DavReadingSpeeds speeds
    )
    {
        (_connection, _home, _slots, _speeds, Kind) = (connection, home, slots, speeds, kind);
        _collections = new DavCollections(connection, kind);
        _items = new DavItems(connection, kind, speeds);
        _changes = new DavChanges(connection);
    }

    public Kind Kind { get; }

    public CollectionAccountTraits Traits => new(_home.Addresses, _home.Schedules);

    /// <param name="known">Where the account's collections were found before; null: they are looked for.</param>
    /// <param name="found">Told where they are, if they were looked for.</param>
    /// <param name="slots">One for each connection that may be open at a time; given back at the end.</param>
    /// <param name="speeds">What is known of the service; null: nothing.</param>
    /// <exception cref="FaultException">The server cannot be reached, refuses the sign-in or has no such place.</exception>
    public static async Task<DavCollectionAccount> OpenAsync(
        Service service,
        Kind kind,
        Credentials who,
        AccessTokens? tokens,
        DavHome? known,
        Func<DavHome, Task>? found,
        Action<ConnectStep>? step,
        IReadOnlyList<IDisposable> slots,
        CancellationToken cancel,
        DavReadingSpeeds? speeds = null
    )
    {
        var place = (CollectionConnection.Dav)service.CollectionsOf(kind)!;
        DavConnection? connection = null;
        try
        {
            connection = new DavConnection(service, place.Url, who, tokens, slots.Count);
            var home = known;
            if (home is null)
            {
                var onBehalf = service.SignIn is Core.Planning.SignIn.OnBehalf { LoginPattern: null };
                if (onBehalf && !place.Url.OriginalString.Contains("{account}", StringComparison.Ordinal))
                    throw connection.Failed(
                        Cause.NotOnBehalf,
                        $"an administrator signs in to {service.Name}, and its url does not say where each account is"
                    );
                home = await new DavDiscovery(connection, kind, step).FindAsync(onBehalf, cancel);
                if (found is not null)
                    await found(home);
            }
            return new DavCollectionAccount(connection, kind, home, slots, speeds ?? new DavReadingSpeeds());
        }
        catch
        {
            connection?.Dispose();
            foreach (var slot in slots)
                slot.Dispose();
            throw;
        }
    }

    public Task<IReadOnlyList<CollectionState>> ListAsync(CancellationToken cancel) => _collections.ListAsync(_home, cancel);

    public int ReadTogether => _speeds.Together;

    public async Task<CollectionChanges> ReadChangesAsync(CollectionState collection, SyncToken? since, CancellationToken cancel)
    {
        var changes = await _changes.ReadAsync(collection, since, cancel);
        if (changes.IsWhole)
            _items.Count(collection.Href, changes.There.Count);
        return changes;
    }

    public Task ReadItemsAsync(
        CollectionState collection,
        IReadOnlyCollection<Href> items,
        Func<StoredItem, CancellationToken, ValueTask> take,
        IDictionary<Href, Fault> unreadable,
        CancellationToken cancel
    ) => _items.ReadAsync(collection, items, take, unreadable, cancel);

    public Task<ItemWrite> AddAsync(Href item, ReadOnlyMemory<byte> octets, CancellationToken cancel) =>
        WriteAsync(ObjectVerbs.Put(Kind, item, octets, null), cancel);

    public Task<ItemWrite> ReplaceAsync(Href item, ETag tag, ReadOnlyMemory<byte> octets, CancellationToken cancel) =>
        WriteAsync(ObjectVerbs.Put(Kind, item, octets, tag), cancel);

    public async Task<ItemWrite> RemoveAsync(Href item, ETag tag, CancellationToken cancel)
    {
        using var answer = await _connection.SendAsync(ObjectVerbs.Delete(item, tag), cancel);
        return answer.Code is 404 or 410 ? new ItemWrite.Taken() : await DavCauses.OfWriteAsync(_connection, answer, cancel);
    }

    public Task<CollectionState> MakeAsync(string name, CollectionProperties properties, CancellationToken cancel) =>
        _collections.MakeAsync(_home, name, properties, cancel);

    public async Task RemoveCollectionAsync(Href collection, CancellationToken cancel)
    {
        using var answer = await _connection.SendAsync(ObjectVerbs.Delete(collection, null), cancel);
        if (!answer.IsSuccess && answer.Code is not (404 or 410))
            throw await DavCauses.OfRequestAsync(_connection, answer, cancel);
    }

    public async Task<bool> TrySwitchSchedulingAsync(Href calendar, bool on, CancellationToken cancel)
    {
        var wanted = on ? "T" : "F";
        using (await _connection.SendAsync(MakeCollectionVerb.Set(calendar, [new XElement(DavNames.SchedulingEnabled, wanted)]), cancel))
        { }
        // What it says it did is believed after looking.
        using var answer = await _connection.SendAsync(PropFindVerb.Of(calendar, 0, DavNames.SchedulingEnabled), cancel);
        if (answer.Status is not HttpStatusCode.MultiStatus)
            return false;
        try
        {
            await foreach (var response in answer.ReadMultiStatus().ReadAsync(cancel))
                return response.Find(DavNames.SchedulingEnabled)?.Value.Trim() == wanted;
        }
        catch (FormatException e)
        {
            throw _connection.Garbage(e);
        }
        return false;
    }

    private async Task<ItemWrite> WriteAsync(DavRequest request, CancellationToken cancel)
    {
        using var answer = await _connection.SendAsync(request, cancel);
        return await DavCauses.OfWriteAsync(_connection, answer, cancel);
    }

    public ValueTask DisposeAsync()
    {
        _connection.Dispose();
        foreach (var slot in _slots)
            slot.Dispose();
        return ValueTask.CompletedTask;
    }
}
