using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>An item as a list shows it.</summary>
/// <param name="Tag">Null where the service does not tell it.</param>
public readonly record struct ItemState(Href Href, ETag? Tag);

/// <summary>What changed in a collection.</summary>
/// <param name="IsWhole">All items are listed: what is not among them is gone. Else only what changed is.</param>
/// <param name="Gone">Of items that are there no longer; empty where all are listed.</param>
/// <param name="Mark">What the collection holds with these changes.</param>
public sealed record CollectionChanges(bool IsWhole, IReadOnlyList<ItemState> There, IReadOnlyList<Href> Gone, CollectionMark Mark);

/// <summary>An item as its service gives it.</summary>
/// <param name="Octets">The vCard or iCalendar object.</param>
public sealed record StoredItem(Href Href, ETag? Tag, ReadOnlyMemory<byte> Octets);

/// <summary>What became of a write. Whatever it says is believed only once the item was read back.</summary>
public abstract record ItemWrite
{
    private ItemWrite() { }

    /// <summary>The service says that it has stored the item.</summary>
    public sealed record Taken : ItemWrite;

    /// <summary>There is an item already, or it is not as it was when it was looked at last.</summary>
    public sealed record NotAsExpected : ItemWrite;

    /// <summary>The service does not take this item.</summary>
    /// <param name="Fault">Its own reason.</param>
    public sealed record Refused(Fault Fault) : ItemWrite;

    /// <summary>The account has an item of this UID already, and may have it once (RFC 4791 §5.3.2.1, RFC 6352 §6.3.2.1).</summary>
    /// <param name="Where">The item that has it; null where the service does not say.</param>
    public sealed record UidTaken(Href? Where, Fault Fault) : ItemWrite;
}

/// <summary>What an account may do beyond its collections.</summary>
/// <param name="Addresses">Of the calendar user (RFC 6638 §2.4.1), such as <c>mailto:desk@saltmarsh.example</c>; empty: not told.</param>
/// <param name="Schedules">The service says that it sends invitations by itself (RFC 6638 §2).</param>
public sealed record CollectionAccountTraits(IReadOnlyList<string> Addresses, bool Schedules);

/// <summary>
/// The address books or the calendars of one account. Nothing here is about one item unless it says so: what a service refuses as a whole
/// is thrown as a <see cref="FaultException"/>.
/// </summary>
public interface ICollectionAccount : IAsyncDisposable
{
    Kind Kind { get; }

    CollectionAccountTraits Traits { get; }

    /// <summary>Items that it is worth reading together.</summary>
    int ReadTogether => 50;

    /// <summary>
    /// All collections that can hold items, with what they hold now. One request for each place where the account has them.
    /// </summary>
    Task<IReadOnlyList<CollectionState>> ListAsync(CancellationToken cancel);

    /// <param name="since">
    /// Null: all that is there. A token that the service no longer knows gives all that is there too.
    /// </param>
    Task<CollectionChanges> ReadChangesAsync(CollectionState collection, SyncToken? since, CancellationToken cancel);

    /// <summary>Reads items whole, in whatever order they come. Those that are there no longer are left out.</summary>
    /// <param name="unreadable">Gets those that the service does not give, with its reason.</param>
    Task ReadItemsAsync(
        CollectionState collection,
        IReadOnlyCollection<Href> items,
        Func<StoredItem, CancellationToken, ValueTask> take,
        IDictionary<Href, Fault> unreadable,
        CancellationToken cancel
    );

    /// <summary>One item whole; null where it is not there, or is not given out.</summary>
    async Task<StoredItem?> FindItemAsync(CollectionState collection, Href item, CancellationToken cancel)
    {
        StoredItem? found = null;
        await ReadItemsAsync(
            collection,
            [item],
            (stored, _) =>
            {
                found = stored;
                return ValueTask.CompletedTask;
            },
            new Dictionary<Href, Fault>(),
            cancel
        );
        return found;
    }

    /// <summary>Where a person finds an item whose place is no address, such as <c>line 12</c> of a file; null: nowhere else.</summary>
    Task<string?> PlaceOfAsync(CollectionState collection, Href item, CancellationToken cancel) => Task.FromResult<string?>(null);

    /// <summary>Makes an item, unless there is one of that address.</summary>
    Task<ItemWrite> AddAsync(Href item, ReadOnlyMemory<byte> octets, CancellationToken cancel);

    /// <summary>Replaces an item if it is still as the tag says.</summary>
    Task<ItemWrite> ReplaceAsync(Href item, ETag tag, ReadOnlyMemory<byte> octets, CancellationToken cancel);

    /// <summary>Deletes an item if it is still as the tag says. One that is gone already counts as deleted.</summary>
    Task<ItemWrite> RemoveAsync(Href item, ETag tag, CancellationToken cancel);

    /// <summary>Makes a collection, and reads back what the service kept of its properties.</summary>
    /// <param name="name">The last part of its address; the service may choose another.</param>
    Task<CollectionState> MakeAsync(string name, CollectionProperties properties, CancellationToken cancel);

    Task RemoveCollectionAsync(Href collection, CancellationToken cancel);

    /// <summary>
    /// Switches the sending of invitations for this calendar off or on. False where the service has no switch for it, or did not take it.
    /// </summary>
    Task<bool> TrySwitchSchedulingAsync(Href calendar, bool on, CancellationToken cancel);
}

/// <summary>Opens accounts of address books and calendars, within the limits of their services.</summary>
public interface ICollectionAccounts
{
    Task<ICollectionAccount> OpenAsync(Service service, Kind kind, Credentials credentials, CancellationToken cancel);
}
