using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>What becomes of a folder, an address book or a calendar when its move is taken back.</summary>
[JsonConverter(typeof(KebabWord<TakenFolderWord>))]
public enum TakenFolderWord
{
    /// <summary>The move did not make it: it stays.</summary>
    NotOurs,

    /// <summary>The move made it, and it is removed; in a dry run it would be.</summary>
    Removed,

    /// <summary>The move made it, and it stays because something is in it.</summary>
    NotEmpty,

    /// <summary>The move made it, and the new side refused to delete it.</summary>
    Refused,

    /// <summary>The move made it, and somebody deleted it before.</summary>
    NotThere,
}

/// <summary>Why an item stays on the new side when its move is taken back.</summary>
[JsonConverter(typeof(KebabWord<KeptWord>))]
public enum KeptWord
{
    /// <summary>Somebody changed its flags there. To have read a message is no change.</summary>
    FlagsChanged,

    /// <summary>It is not what was carried: somebody edited it, or the new side stored something else.</summary>
    Different,

    /// <summary>It has left the old side, so that nothing proves what it is.</summary>
    OriginalGone,

    /// <summary>One of the sides does not give it out.</summary>
    Unreadable,

    /// <summary>The new side never told where it put it.</summary>
    PlaceUnknown,

    /// <summary>The new side cannot delete single items.</summary>
    NotDeletable,

    /// <summary>The new side refused to delete it, or said that it did and still has it.</summary>
    StillThere,

    /// <summary>To delete it would send a cancellation to others.</summary>
    WouldSend,
}

/// <summary>What a move put on the new side, taken back or looked at in a dry run.</summary>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="ToAccount">The account of the new side from which it is taken back.</param>
/// <param name="AskedAt">When somebody asked for it.</param>
/// <param name="AskedBy">Who asked for it.</param>
/// <param name="IsCheck">It was a dry run: nothing was changed, and the numbers say what would be.</param>
/// <param name="EndedAt">Null while it runs or waits.</param>
/// <param name="Removed">Items removed, of all kinds.</param>
/// <param name="Restored">Contacts that were there before and are as they were again.</param>
/// <param name="Kept">Items that stay on the new side.</param>
/// <param name="NotThere">Items that somebody had deleted or moved there before.</param>
/// <param name="Folders">The same of each folder, address book and calendar.</param>
public sealed record TakeBackView(
    string Account,
    string Name,
    string ToAccount,
    DateTimeOffset AskedAt,
    string AskedBy,
    bool IsCheck,
    DateTimeOffset? EndedAt,
    long Removed,
    long Restored,
    long Kept,
    long NotThere,
    IReadOnlyList<TakeBackFolder> Folders
);

/// <summary>What becomes of one folder, address book or calendar, and of what the move put into it.</summary>
/// <param name="Kind">mail, contacts or calendars.</param>
/// <param name="Place">The folder on the new side, or the name of the address book or calendar.</param>
/// <param name="Removed">Items removed.</param>
/// <param name="Restored">Contacts that were there before and are as they were again.</param>
/// <param name="Kept">Items that stay.</param>
/// <param name="NotThere">Items that somebody had deleted or moved there before.</param>
/// <param name="Folder">What becomes of the folder itself.</param>
public sealed record TakeBackFolder(
    MoveKind Kind,
    string Place,
    long Removed,
    long Restored,
    long Kept,
    long NotThere,
    TakenFolderWord Folder
);

/// <summary>An item that stays on the new side.</summary>
/// <param name="Kind">mail, contacts or calendars.</param>
/// <param name="Place">Where it is.</param>
/// <param name="Title">Its subject, name or title; null: it could not be read.</param>
/// <param name="Because">Why it stays, for programs.</param>
/// <param name="Why">The same in words.</param>
public sealed record TakeBackKept(MoveKind Kind, string Place, string? Title, KeptWord Because, string Why);

/// <summary>Asks for a move to be taken back.</summary>
/// <param name="Move">From account, to account or name.</param>
/// <param name="IsCheck">A dry run: says what would be removed, and removes nothing. The move is held meanwhile.</param>
/// <param name="ToAccount">
/// The account of the new side, written out, as a proof that it is the one that is meant; not needed in a dry run.
/// </param>
public sealed record TakeBackRequest(string Move, bool IsCheck, string? ToAccount);
