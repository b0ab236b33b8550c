using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>An item's number, and the epoch of its folder's numbering: in another epoch the same number is another item.</summary>
public readonly record struct ItemKey(uint Epoch, uint Number);

/// <summary>How far a folder had come when somebody looked. Equal cursors mean: nothing happened in between.</summary>
/// <param name="Next">No item at or above this number was there.</param>
/// <param name="Mark">Rises with every change, of flags too; null where the service keeps no such mark.</param>
public sealed record FolderCursor(uint Epoch, uint Next, ulong? Mark, uint Count)
{
    /// <summary>Whether nothing can have changed since <paramref name="earlier"/>. Without a mark nobody can know.</summary>
    public bool IsUnchangedSince(FolderCursor? earlier) => earlier is not null && Mark is not null && this == earlier;
}

/// <param name="Cursor">Null for a folder that holds no messages, or whose state the service did not tell.</param>
public sealed record FolderState(FolderPath Path, SpecialUse Use, bool Selectable, bool Subscribed, FolderCursor? Cursor);

/// <param name="Separator">Between names on this service; null where it has no folders within folders.</param>
/// <param name="LargestMessage">In octets, as the service announces it; or null.</param>
public sealed record AccountTraits(char? Separator, long? LargestMessage);

/// <summary>What a folder's index says of one message.</summary>
public sealed record ItemInfo(uint Number, long Size, DateTimeOffset Received, FlagSet Flags);

/// <summary>What tells a message from others without its body.</summary>
/// <param name="Header">The header lines Message-ID, Date, From and Subject as the service gave them.</param>
public sealed record ItemHeader(uint Number, long Size, byte[] Header);

public sealed record FlagUpdate(uint Number, FlagSet Flags);

/// <summary>What became of a message that was handed over.</summary>
/// <param name="Number">Its number on the from side.</param>
/// <param name="Landed">Its key on the to side; null when refused, or when the service does not say (no UIDPLUS, RFC 4315).</param>
/// <param name="Refused">Why the service did not take it; or null.</param>
/// <param name="Company">How many messages were refused or taken as one with it, itself included.</param>
public readonly record struct AddReceipt(uint Number, ItemKey? Landed, Fault? Refused, int Company);

/// <summary>
/// One signed-in session with one person's mail. Not for use by two at a time. Every failure is a <see cref="FaultException"/>;
/// after one whose verdict is <see cref="Verdict.Close"/> only disposal is allowed.
/// </summary>
public interface IMailAccount : IAsyncDisposable
{
    AccountTraits Traits { get; }

    /// <summary>Every personal folder with its use and cursor, in as few round trips as the service allows.</summary>
    Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel);

    /// <summary>Makes the folder, and those above it, where it is missing, and looks at it; a folder that is there is no error.</summary>
    Task<FolderCursor> CreateFolderAsync(FolderPath path, SpecialUse use, bool subscribe, CancellationToken cancel);

    /// <summary>Which numbers the folder holds.</summary>
    Task<NumberSet> ListNumbersAsync(FolderPath path, CancellationToken cancel);

    Task<IReadOnlyList<ItemInfo>> ListItemsAsync(FolderPath path, NumberSet numbers, CancellationToken cancel);

    Task<IReadOnlyList<ItemHeader>> ReadHeadersAsync(FolderPath path, NumberSet numbers, CancellationToken cancel);

    /// <summary>Flags of items below the cursor's <see cref="FolderCursor.Next"/> that may have changed since; all of them where the service cannot tell.</summary>
    Task<IReadOnlyList<FlagUpdate>> FlagsSinceAsync(FolderPath path, FolderCursor since, CancellationToken cancel);

    /// <summary>Octets of many messages, in the service's order.</summary>
    Task<IMessageReader> ReadMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel);

    /// <summary>Takes messages into a folder.</summary>
    /// <param name="company">The most messages that may be handed over in one command, at least 1.</param>
    Task<IMessageWriter> AddMessagesAsync(FolderPath path, int company, CancellationToken cancel);

    /// <summary>How much room the account has; null when the service does not say.</summary>
    Task<Surveying.Room?> ReadRoomAsync(CancellationToken cancel);

    /// <summary>Whether any keyword may be set on messages in the inbox; null when the service does not say.</summary>
    Task<bool?> KeepsKeywordsAsync(CancellationToken cancel);

    /// <summary>Which of these folders the account may not add messages to; none where the service does not say.</summary>
    Task<IReadOnlyList<Surveying.LackingRight>> ReadLackingRightsAsync(IReadOnlyList<FolderState> folders, CancellationToken cancel);

    Task ChangeFlagsAsync(FolderPath path, NumberSet numbers, FlagSet add, FlagSet remove, CancellationToken cancel);
}

/// <summary>A stream of messages, each in pieces.</summary>
public interface IMessageReader
{
    /// <summary>The next message's number and exact size; null after the last. The one before must be read to its end.</summary>
    ValueTask<(uint Number, long Size)?> NextAsync(CancellationToken cancel);

    /// <summary>The next piece of the current message, empty at its end. Valid until the next call.</summary>
    ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel);

    /// <summary>After the end: numbers asked for that did not come because they are no longer there.</summary>
    IReadOnlyCollection<uint> Gone { get; }

    /// <summary>After the end: numbers that the service refused to give, with its reason.</summary>
    IReadOnlyDictionary<uint, Fault> Unreadable { get; }
}

/// <summary>Takes a stream of messages. Several may be under way before the first is confirmed.</summary>
public interface IMessageWriter
{
    /// <param name="item">The message as the from side lists it; its flags and date go with it.</param>
    /// <param name="size">The exact number of octets that follow.</param>
    ValueTask BeginAsync(ItemInfo item, long size, CancellationToken cancel);

    ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel);

    /// <summary>Ends the message and returns what has been confirmed or refused since the last call.</summary>
    ValueTask<IReadOnlyList<AddReceipt>> EndAsync(CancellationToken cancel);

    /// <summary>Waits for all that is under way.</summary>
    ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel);
}
