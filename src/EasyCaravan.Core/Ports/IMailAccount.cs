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

    /// <summary>Which messages the folder holds, flags left aside.</summary>
    public Membership Holds => new(Epoch, Next, Count);
}

/// <summary>
/// Which messages a folder holds. Numbers are never given twice, so with the same next number nothing was added, and with the same count
/// nothing was taken away: equal values mean the same messages, on services without change marks too.
/// </summary>
public sealed record Membership(uint Epoch, uint Next, uint Count);

/// <param name="Cursor">Null for a folder that holds no messages, or whose state the service did not tell.</param>
public sealed record FolderState(FolderPath Path, SpecialUse Use, bool Selectable, bool Subscribed, FolderCursor? Cursor);

/// <param name="Separator">Between names on this service; null where it has no folders within folders.</param>
/// <param name="LargestMessage">In octets, as the service announces it; or null.</param>
public sealed record AccountTraits(char? Separator, ByteCount? LargestMessage)
{
    /// <summary>The service has a name of its own for each message, the same in every folder (RFC 8474 §5).</summary>
    public bool NamesMessages { get; init; }
}

/// <summary>What a folder's index says of one message.</summary>
public sealed record ItemInfo(uint Number, ByteCount Size, DateTimeOffset Received, FlagSet Flags);

/// <summary>Which lines of headers are read.</summary>
public enum HeaderLines
{
    /// <summary>Message-ID, Date, From and Subject.</summary>
    Identity,

    /// <summary>From, To and Cc, and what tells lists and machines: List-Id, Precedence and Auto-Submitted.</summary>
    Addresses,
}

/// <summary>What tells a message from others without its body.</summary>
/// <param name="Header">The header lines that were asked for as the service gave them, and maybe others.</param>
public sealed record ItemHeader(uint Number, ByteCount Size, byte[] Header);

public sealed record FlagUpdate(uint Number, FlagSet Flags);

/// <summary>A folder to be asked for what happened in it.</summary>
/// <param name="Since">
/// As it was when last complete. Where the service keeps no mark, its mark is the <see cref="FolderChange.Digest"/> of then.
/// </param>
/// <param name="Now">As the list of folders shows it.</param>
public sealed record ChangeQuery(FolderPath Path, FolderCursor Since, FolderCursor Now);

/// <summary>What happened in a folder since a cursor.</summary>
/// <param name="Count">Messages that it holds.</param>
/// <param name="Gone">
/// Numbers that are no longer there, others among them that never were; null where the service told what is present instead.
/// </param>
/// <param name="Present">Numbers below the cursor's next that are there; or null.</param>
/// <param name="Flags">Of items below the cursor's next that may have changed.</param>
/// <param name="Fresh">Numbers from the cursor's next on.</param>
/// <param name="Items">What the index says of them; of the first ones only, where they are many.</param>
/// <param name="Digest">Of all numbers and flags, where the service keeps no mark: equal digests mean that nothing happened.</param>
public sealed record FolderChange(
    uint Count,
    NumberSet? Gone,
    NumberSet? Present,
    IReadOnlyList<FlagUpdate> Flags,
    NumberSet Fresh,
    IReadOnlyList<ItemInfo> Items,
    ulong? Digest
)
{
    /// <summary>Which of the numbers that were there are no longer.</summary>
    public NumberSet GoneOf(NumberSet known) => Gone is not null ? known.And(Gone) : known.Except(Present!);
}

/// <summary>What shall be done in a folder while it is open.</summary>
/// <param name="List">Its numbers are wanted.</param>
public sealed record FolderVisit(FolderPath Path, bool List)
{
    /// <summary>Flags to be changed, before the numbers are listed.</summary>
    public IReadOnlyList<FlagChange> Flags { get; init; } = [];

    /// <summary>It shall be among the folders that its owner's programs show.</summary>
    public bool Subscribe { get; init; }
}

/// <param name="Numbers">Of messages that get and lose flags; those that are no longer there do not matter.</param>
public sealed record FlagChange(NumberSet Numbers, FlagSet Add, FlagSet Remove);

/// <summary>What came of a visit.</summary>
/// <param name="Numbers">Null where they were not asked for, or not given.</param>
/// <param name="Refused">Why the folder could not be opened or listed; null where it could.</param>
/// <param name="FlagsRefused">For each change of flags: why it was not made, or null.</param>
public sealed record FolderSeen(NumberSet? Numbers, Fault? Refused, IReadOnlyList<Fault?> FlagsRefused);

/// <summary>A folder to be made, with those above it.</summary>
public sealed record NewFolder(FolderPath Path, SpecialUse Use, bool Subscribe);

/// <param name="WasThere">The service has it already, though it may list it under another name that it takes for the same.</param>
public sealed record MadeFolder(FolderCursor Cursor, bool WasThere);

/// <summary>A message in one of the folders that were asked for, counted from 0 in that order.</summary>
public readonly record struct ItemAt(int Folder, uint Number);

/// <summary>A message whose octets come next.</summary>
/// <param name="Folder">Of those that were asked for, counted from 0.</param>
/// <param name="Size">Exactly, in octets.</param>
public readonly record struct MessageStart(int Folder, uint Number, ByteCount Size);

/// <summary>What became of a message that was handed over.</summary>
/// <param name="Folder">Where it was to go, of the folders named to the writer, counted from 0.</param>
/// <param name="Number">Its number on the from side.</param>
/// <param name="Landed">Its key on the to side; null when refused, or when the service does not say (no UIDPLUS, RFC 4315).</param>
/// <param name="Refused">Why the service did not take it; or null.</param>
/// <param name="BatchSize">How many messages were refused or taken as one with it, itself included.</param>
public readonly record struct AddReceipt(int Folder, uint Number, ItemKey? Landed, Fault? Refused, int BatchSize);

/// <summary>
/// One signed-in session with one person's mail. Not for use by two at a time. Every failure is a <see cref="FaultException"/>;
/// after one whose verdict is <see cref="Verdict.Close"/> only disposal is allowed.
/// </summary>
public interface IMailAccount : IAsyncDisposable
{
    AccountTraits Traits { get; }

    /// <summary>After the folders were listed: what could not be told for certain, where the mail lies in files.</summary>
    IReadOnlyList<Surveying.MailRemark> Remarks => [];

    /// <summary>Every personal folder with its use and cursor, in as few round trips as the service allows.</summary>
    Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel);

    /// <summary>
    /// Makes folders where they are missing, in one round trip where the service bears it, and looks at them; one that is there is no
    /// error.
    /// </summary>
    Task<IReadOnlyList<MadeFolder>> CreateFoldersAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel);

    /// <summary>
    /// Deletes a folder that holds no message, and takes it off the list of those that are shown. False, with nothing done, where it holds
    /// any. The caller knows that no folder is below it.
    /// </summary>
    Task<bool> RemoveFolderAsync(FolderPath path, CancellationToken cancel);

    /// <summary>Takes a folder off the list of those that its owner's programs show.</summary>
    Task UnsubscribeAsync(FolderPath path, CancellationToken cancel);

    /// <summary>
    /// Goes through folders, in one round trip where the service bears it. What is refused in one stands in its answer and stops no other.
    /// </summary>
    Task<IReadOnlyList<FolderSeen>> VisitAsync(IReadOnlyList<FolderVisit> visits, CancellationToken cancel);

    /// <summary>Which numbers the folder holds.</summary>
    async Task<NumberSet> ListNumbersAsync(FolderPath path, CancellationToken cancel)
    {
        var seen = (await VisitAsync([new FolderVisit(path, List: true)], cancel))[0];
        return seen.Numbers ?? throw new FaultException(seen.Refused!, Verdict.Keep);
    }

    async Task ChangeFlagsAsync(FolderPath path, NumberSet numbers, FlagSet add, FlagSet remove, CancellationToken cancel)
    {
        var seen = (await VisitAsync([new FolderVisit(path, List: false) { Flags = [new FlagChange(numbers, add, remove)] }], cancel))[0];
        if ((seen.Refused ?? seen.FlagsRefused[0]) is { } refused)
            throw new FaultException(refused, Verdict.Keep);
    }

    /// <summary>What the index says of messages. One that is no longer there is left out.</summary>
    /// <param name="unreadable">Gets those whose index the service refuses, or gives without size, date or flags.</param>
    Task<IReadOnlyList<ItemInfo>> ListItemsAsync(
        FolderPath path,
        NumberSet numbers,
        IDictionary<uint, Fault> unreadable,
        CancellationToken cancel
    );

    /// <summary>
    /// Hands over one header after the other, with its folder's place in the list: a hostile mailbox's headers would not all fit into
    /// memory.
    /// </summary>
    Task ReadHeadersAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        Action<int, ItemHeader> take,
        CancellationToken cancel,
        HeaderLines lines = HeaderLines.Identity
    );

    Task ReadHeadersAsync(FolderPath path, NumberSet numbers, Action<ItemHeader> take, CancellationToken cancel) =>
        ReadHeadersAsync([(path, numbers)], (_, header) => take(header), cancel);

    /// <summary>Which numbers the folder holds of messages that were received on this day or later.</summary>
    Task<NumberSet> ListNumbersSinceAsync(FolderPath path, DateTimeOffset since, CancellationToken cancel);

    /// <summary>
    /// Which messages of these folders have this Message-ID (RFC 5322 §3.6.4), by folder; folders without any are left out. Empty where the
    /// service cannot be asked.
    /// </summary>
    /// <param name="messageId">Without angle brackets.</param>
    Task<IReadOnlyList<(FolderPath Path, NumberSet Numbers)>> FindAsync(
        IReadOnlyList<FolderPath> folders,
        string messageId,
        CancellationToken cancel
    );

    /// <summary>The service's own names of messages, where <see cref="AccountTraits.NamesMessages"/>.</summary>
    Task ReadNamesAsync(FolderPath path, NumberSet numbers, Action<uint, string> take, CancellationToken cancel);

    /// <summary>
    /// What happened in many folders, in one round trip where the service bears it; null for a folder that has to be looked at whole.
    /// </summary>
    Task<IReadOnlyList<FolderChange?>> ReadChangesAsync(IReadOnlyList<ChangeQuery> folders, CancellationToken cancel);

    /// <summary>Octets of many messages, folder by folder, in the service's order.</summary>
    /// <param name="withIndex">Date and flags of each are wanted too: <see cref="IMessageReader.Index"/>.</param>
    Task<IMessageReader> ReadMessagesAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        CancellationToken cancel,
        bool withIndex = false
    );

    /// <summary>Takes messages into folders.</summary>
    /// <param name="batchSize">The most messages that may be handed over in one command, at least 1.</param>
    Task<IMessageWriter> AddMessagesAsync(IReadOnlyList<FolderPath> folders, int batchSize, CancellationToken cancel);

    /// <summary>How much room the account has; null when the service does not say.</summary>
    Task<Surveying.Room?> ReadRoomAsync(CancellationToken cancel);

    /// <summary>Whether any keyword may be set on messages in the inbox; null when the service does not say.</summary>
    Task<bool?> KeepsKeywordsAsync(CancellationToken cancel);

    /// <summary>Which of these folders the account may not add messages to; none where the service does not say.</summary>
    Task<IReadOnlyList<Surveying.LackingRight>> ReadLackingRightsAsync(IReadOnlyList<FolderState> folders, CancellationToken cancel);

    /// <summary>
    /// Moves messages within the account. Returns their new numbers by the old ones; null, with nothing done, where the service could not
    /// tell them.
    /// </summary>
    Task<IReadOnlyDictionary<uint, uint>?> MoveMessagesAsync(FolderPath path, NumberSet numbers, FolderPath to, CancellationToken cancel);

    /// <summary>Deletes messages for good. False, with nothing done, where the service cannot delete just these.</summary>
    Task<bool> RemoveMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel);
}

/// <summary>A stream of messages, each in pieces.</summary>
public interface IMessageReader
{
    /// <summary>The next message; null after the last. The one before must be read to its end.</summary>
    ValueTask<MessageStart?> NextAsync(CancellationToken cancel);

    /// <summary>The next piece of the current message, empty at its end. Valid until the next call.</summary>
    ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel);

    /// <summary>
    /// After the end of a message: what the index says of it, where that was asked for and the service tells it along with the octets.
    /// </summary>
    ItemInfo? Index { get; }

    /// <summary>After the end: numbers asked for that did not come because they are no longer there.</summary>
    IReadOnlyCollection<ItemAt> Gone { get; }

    /// <summary>After the end: numbers that the service refused to give, with its reason.</summary>
    IReadOnlyDictionary<ItemAt, Fault> Unreadable { get; }
}

/// <summary>Takes a stream of messages. Several may be under way before the first is confirmed.</summary>
public interface IMessageWriter
{
    /// <param name="folder">Of those named when the writer was made, counted from 0; messages of one folder come together.</param>
    /// <param name="item">The message as the from side lists it; its flags and date go with it.</param>
    /// <param name="size">The exact number of octets of the message.</param>
    /// <param name="first">The first of them: they show in which form the service has to be given the message.</param>
    ValueTask BeginAsync(int folder, ItemInfo item, ByteCount size, ReadOnlyMemory<byte> first, CancellationToken cancel);

    ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel);

    /// <summary>Ends the message and returns what has been confirmed or refused since the last call.</summary>
    ValueTask<IReadOnlyList<AddReceipt>> EndAsync(CancellationToken cancel);

    /// <summary>Waits for all that is under way.</summary>
    ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel);
}
