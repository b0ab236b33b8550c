using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>Something that a move made on the to side beside items.</summary>
/// <param name="Place">
/// A folder's path, or a collection's address; of a collection of which nobody knows yet whether it was made, the last part of the address.
/// </param>
public sealed record MadePlace(string Place, MadeAs As);

/// <summary>What was made.</summary>
public enum MadeAs
{
    /// <summary>A folder, an address book or a calendar.</summary>
    Folder,

    /// <summary>A folder that was there before is now among those that its owner's programs show.</summary>
    Subscription,
}

/// <summary>What becomes of an item when a move is taken back.</summary>
public enum TakenBack
{
    /// <summary>About to be removed. Whoever comes after a kill knows by it that an item which is gone was removed by us.</summary>
    Intended,

    /// <summary>Removed, or in a dry run: would be.</summary>
    Removed,

    /// <summary>It was there before, had got something from us, and is as it was again.</summary>
    Restored,

    /// <summary>It stays on the to side.</summary>
    Kept,

    /// <summary>It is where it landed no longer: somebody there deleted or moved it.</summary>
    NotThere,
}

/// <summary>Why an item stays on the to side.</summary>
public enum KeptBecause
{
    /// <summary>Somebody changed its flags there.</summary>
    FlagsChanged,

    /// <summary>It is not, octet for octet, what was carried.</summary>
    Different,

    /// <summary>It has left the from side, so that nothing proves what it is.</summary>
    OriginalGone,

    /// <summary>One of the sides does not give it out.</summary>
    Unreadable,

    /// <summary>The to side never told where it put it.</summary>
    PlaceUnknown,

    /// <summary>The to side cannot delete single messages.</summary>
    NotDeletable,

    /// <summary>The to side refused to delete it, or said that it did and still has it.</summary>
    StillThere,

    /// <summary>To delete it would send a cancellation to others, and the to side cannot be kept from that.</summary>
    WouldSend,
}

/// <summary>What became of one item.</summary>
/// <param name="Number">On its page of the ledger.</param>
/// <param name="Title">Subject, name or title, of one that is kept.</param>
public sealed record TakenItem(uint Number, TakenBack State, KeptBecause? Because = null, string? Title = null);

/// <summary>What becomes of a folder, an address book or a calendar that a move made.</summary>
public enum TakenFolder
{
    /// <summary>It is not one that the move made.</summary>
    NotOurs,

    /// <summary>Removed, or in a dry run: would be.</summary>
    Removed,

    /// <summary>It holds something.</summary>
    NotEmpty,

    /// <summary>The to side refused to delete it.</summary>
    Refused,

    /// <summary>Somebody deleted it before.</summary>
    NotThere,
}

/// <summary>An entry of a message that was carried.</summary>
/// <param name="Landed">Its number on the to side; null: never told.</param>
/// <param name="Gone">It has since left the from side.</param>
public sealed record CarriedEntry(uint Number, uint? Landed, bool Gone, FlagSet Flags, ByteCount Size);

/// <summary>What was asked for.</summary>
/// <param name="IsCheck">A dry run.</param>
/// <param name="HasEnded">All is done: what is left is to say so.</param>
public sealed record TakeBackOrder(bool IsCheck, bool HasEnded);

/// <summary>
/// What is taken back of one kind of a move, bound to the lease under which it runs: so that it may be broken off at any moment, and tells
/// afterwards what it did.
/// </summary>
public interface ITakeBackRecord
{
    /// <summary>Null: nobody asked.</summary>
    Task<TakeBackOrder?> OrderAsync(CancellationToken cancel);

    /// <summary>What is known already of a page's items.</summary>
    Task<IReadOnlyDictionary<uint, TakenBack>> KnownAsync(long page, CancellationToken cancel);

    /// <param name="place">The folder, or the title of the collection, for people.</param>
    Task RecordAsync(string place, long page, IReadOnlyCollection<TakenItem> items, CancellationToken cancel);

    Task RecordFolderAsync(string place, TakenFolder state, CancellationToken cancel);

    /// <summary>Everything of the page that was carried, also what has since left the from side.</summary>
    Task<IReadOnlyList<CarriedEntry>> CarriedAsync(long page, CancellationToken cancel);

    /// <summary>What the move made on the to side.</summary>
    Task<IReadOnlyList<MadePlace>> MadeAsync(CancellationToken cancel);
}
