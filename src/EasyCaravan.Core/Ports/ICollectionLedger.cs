using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>What the ledger keeps of a page that is an address book or a calendar.</summary>
/// <param name="Folder">The page.</param>
/// <param name="From">The collection on the from side.</param>
/// <param name="To">The collection on the to side in which it lands; null: it stays behind.</param>
/// <param name="FromMark">What the from side held when the page was last complete.</param>
/// <param name="ToMark">What the to side held then.</param>
/// <param name="HasStrangers">The to side's collection holds items that no page claims.</param>
/// <param name="SchedulingIsOff">We switched the sending of invitations off, and have yet to switch it on again.</param>
public sealed record CollectionPage(
    long Folder,
    Href From,
    Href? To,
    CollectionMark FromMark,
    CollectionMark ToMark,
    bool HasStrangers = false,
    bool SchedulingIsOff = false
)
{
    /// <summary>Properties of the collection that the to side did not keep when it was made there, in words; null: none.</summary>
    public string? Lost { get; init; }
}

/// <summary>An item of a page. What became of it is told by the page's entry of the same number, once there is one.</summary>
/// <param name="FromTag">
/// Digest of its state on the from side when it was settled; null: it was not, or the service tells none.
/// </param>
/// <param name="FromDigest">Of its octets then; null: it was not read.</param>
/// <param name="To">
/// Where it is on the to side, or will be: noted before it is written. Null: it was never written.
/// </param>
/// <param name="ToTag">Its state there as read back; null: it was not read back.</param>
/// <param name="ToDigest">Of its octets there.</param>
public sealed record CollectionItem(
    uint Number,
    Href From,
    ulong? FromTag = null,
    ulong? FromDigest = null,
    Href? To = null,
    ETag? ToTag = null,
    ulong? ToDigest = null
)
{
    /// <summary>What was changed about it so that the to side took it.</summary>
    public ItemShapings Shapings { get; init; }

    /// <summary>What is on the to side was there before us, and may say more.</summary>
    public bool IsForeign { get; init; }
}

/// <summary>Both forms of an item that is not the same on both sides, kept so that a person can compare them.</summary>
/// <param name="Before">As the from side has it.</param>
/// <param name="After">As the to side has it; null: it has none.</param>
public sealed record ItemForms(uint Number, ReadOnlyMemory<byte> Before, ReadOnlyMemory<byte>? After);

/// <summary>What a person chose of two versions of an item.</summary>
public enum VersionChoice
{
    /// <summary>The new side's is overwritten with the old side's.</summary>
    Old,

    /// <summary>The new side's stays as it is.</summary>
    New,

    /// <summary>The new side's stays, and the old side's comes beside it under a UID of its own.</summary>
    Both,
}

/// <summary>
/// What the ledger keeps of address books and calendars beside pages and entries: where items are, and in which state. Bound to the lease
/// under which the move runs, like <see cref="ILedger"/>.
/// </summary>
public interface ICollectionLedger
{
    Task<IReadOnlyList<CollectionPage>> PagesAsync(CancellationToken cancel);

    Task KeepPageAsync(CollectionPage page, CancellationToken cancel);

    Task<IReadOnlyList<CollectionItem>> ItemsAsync(long folder, CancellationToken cancel);

    /// <summary>Adds items, or replaces what is known of them, all or none. Forms that were kept of them are forgotten.</summary>
    Task KeepItemsAsync(long folder, IReadOnlyCollection<CollectionItem> items, CancellationToken cancel);

    /// <summary>
    /// Keeps what the to side had before something was added to it: the first time alone, for afterwards it is not what was there.
    /// </summary>
    Task KeepOriginalsAsync(long folder, IReadOnlyDictionary<uint, ReadOnlyMemory<byte>> originals, CancellationToken cancel);

    Task<IReadOnlyDictionary<uint, ReadOnlyMemory<byte>>> OriginalsAsync(long folder, CancellationToken cancel);

    /// <summary>Items that will not come again: parts of an object that no longer holds them.</summary>
    Task ForgetItemsAsync(long folder, IReadOnlyCollection<uint> numbers, CancellationToken cancel);

    /// <summary>What people chose for items that are to be tried again, by number.</summary>
    Task<IReadOnlyDictionary<uint, VersionChoice>> ChoicesAsync(long folder, CancellationToken cancel);

    /// <summary>Keeps both forms of items that are not the same on both sides.</summary>
    Task KeepFormsAsync(long folder, IReadOnlyCollection<ItemForms> forms, CancellationToken cancel);
}
