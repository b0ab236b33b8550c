using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>What became of an item of the from side.</summary>
public enum Outcome
{
    /// <summary>Its octets were handed over and taken.</summary>
    Carried,

    /// <summary>The to side had it already.</summary>
    Paired,

    /// <summary>A rule that a person set leaves it out.</summary>
    Excluded,

    /// <summary>It could not be carried; a person sees why.</summary>
    LeftBehind,
}

/// <param name="Landed">Its number on the to side, where it is there.</param>
/// <param name="Flags">As they were on the from side when last carried.</param>
public sealed record LedgerEntry(uint Number, uint? Landed, Outcome Outcome, FlagSet Flags)
{
    /// <summary>Octets of the message on the from side; 0 where it was never looked at.</summary>
    public ByteCount Size { get; init; }
}

/// <summary>An entry whose message is, or was, in one folder of the to side.</summary>
/// <param name="Folder">The ledger's page.</param>
/// <param name="Gone">It has since left the from side.</param>
public sealed record LandedEntry(long Folder, uint Number, uint Landed, Outcome Outcome, bool Gone, ByteCount Size);

/// <summary>A message of the to side that no page claims: somebody else's, or one that an earlier import brought.</summary>
/// <param name="Print">Its identity, so that it need not be read again in each pass.</param>
public readonly record struct UnclaimedMessage(uint Number, ByteCount Size, Carrying.Mail.Identity Print);

/// <summary>An entry of this move whose message has a certain key.</summary>
/// <param name="To">Where its folder lands; null when it stays behind.</param>
public sealed record KeyedEntry(UInt128 Key, long Folder, FolderPath? To, LedgerEntry Entry);

/// <summary>A message that could not be carried, described so that its owner knows which one it is.</summary>
public sealed record LeftBehindItem(uint Number, Fault Fault, ByteCount Size, DateTimeOffset Received, string Subject, string Sender);

/// <summary>The ledger's page for one folder.</summary>
/// <param name="ToEpoch">The epoch of the to side's numbers on this page; null until something landed.</param>
/// <param name="ToBaseNext">The to side's next number when the page was opened: what is below was there before us.</param>
/// <param name="Cursor">The from side as it was when the page was last complete; null before that.</param>
/// <param name="Reopened">
/// Left-behind items are to be tried again, or the rules changed: the folder needs a look though nothing moved.
/// </param>
public sealed record LedgerFolder(
    long Id,
    FolderPath From,
    FolderPath? To,
    uint? FromEpoch,
    uint? ToEpoch,
    uint ToBaseNext,
    FolderCursor? Cursor,
    bool Reopened,
    FolderCounts Counts
)
{
    /// <summary>It was made just now: nothing stands on it.</summary>
    public bool IsNew { get; init; }

    /// <summary>What the to side's folder held when it was last compared with this page; null: it has to be looked at.</summary>
    public Membership? Seen { get; init; }

    /// <summary>One of the sides refused the folder, so that it was left behind as a whole.</summary>
    public bool LeftWhole { get; init; }

    /// <summary>
    /// Where the rules send the folder, if its owner has since renamed that place on the to side to what <see cref="To"/> says; or null.
    /// </summary>
    public FolderPath? RenamedFrom { get; init; }
}

/// <summary>Numbers on the to side that the ledger knows.</summary>
/// <param name="Live">Of messages that are on the from side.</param>
/// <param name="Gone">Of messages that have since left it.</param>
public sealed record Claimed(NumberSet Live, NumberSet Gone);

/// <summary>A page to be opened. The parameters are those of <see cref="LedgerFolder"/>, for a page that has yet to be made.</summary>
public sealed record PageOpening(FolderPath From, FolderPath? To, uint? FromEpoch, uint? ToEpoch, uint ToBaseNext)
{
    /// <summary>Messages that the folder holds as listed: until the page is complete, its sums are seen to be open.</summary>
    public long Found { get; init; }
}

/// <summary>Entries for one page.</summary>
public sealed record PageEntries(long Folder, IReadOnlyList<LedgerEntry> Entries);

/// <summary>A page that is complete up to a cursor. Sums other than found are counted from the entries and the differences.</summary>
/// <param name="Seen">What the to side's folder holds after this pass, if all of it is accounted for; null: it has to be looked at.</param>
public sealed record PageEnd(long Folder, FolderCursor Cursor, long Found, Membership? Seen);

/// <summary>What a look at the to side's folder showed for one page.</summary>
/// <param name="Seen">What the folder holds; null where not all of it could be read, so that it has to be looked at again.</param>
/// <param name="Found">
/// Every difference of the kinds that such a look can see; those of earlier looks that are not among them have resolved themselves, if all
/// was read.
/// </param>
public sealed record PageLook(long Folder, Membership? Seen, IReadOnlyList<Difference> Found);

/// <summary>The sums of a folder. <see cref="Found"/> is counted on the from side, the others in the ledger.</summary>
/// <param name="Gone">In the ledger, but since deleted on the from side by its owner; in none of the other sums.</param>
/// <param name="Missing">Landed once, but no longer on the to side when last looked at.</param>
public sealed record FolderCounts(long Found, long Carried, long Paired, long Excluded, long LeftBehind, long Gone, long Missing)
{
    public static FolderCounts Zero { get; } = new(0, 0, 0, 0, 0, 0, 0);

    /// <summary>Messages of the to side that are a second copy of what was carried.</summary>
    public long Twice { get; init; }

    /// <summary>Messages that are not on the to side as they are on the from side.</summary>
    public long Altered { get; init; }

    /// <summary>Differences between the sides about which nobody has decided.</summary>
    public long Undecided { get; init; }

    /// <summary>Octets of the carried messages.</summary>
    public ByteCount Octets { get; init; }

    /// <summary>Nothing silently skipped: found = carried + paired + excluded + left behind.</summary>
    public bool Closes => Found == Carried + Paired + Excluded + LeftBehind;

    public static FolderCounts operator +(FolderCounts a, FolderCounts b) =>
        new(
            a.Found + b.Found,
            a.Carried + b.Carried,
            a.Paired + b.Paired,
            a.Excluded + b.Excluded,
            a.LeftBehind + b.LeftBehind,
            a.Gone + b.Gone,
            a.Missing + b.Missing
        )
        {
            Twice = a.Twice + b.Twice,
            Altered = a.Altered + b.Altered,
            Undecided = a.Undecided + b.Undecided,
            Octets = a.Octets + b.Octets,
        };
}

/// <summary>
/// Which item on the from side became which item on the to side, for one move. Bound to the lease under which the move runs: once that
/// is lost, every write throws <see cref="LeaseLostException"/> and changes nothing.
/// </summary>
public interface ILedger : IArrivals
{
    Task<IReadOnlyList<LedgerFolder>> FoldersAsync(CancellationToken cancel);

    /// <summary>Opens pages, new or as they are. A folder that now lands elsewhere starts a new page.</summary>
    Task<IReadOnlyList<LedgerFolder>> OpenAsync(IReadOnlyList<PageOpening> folders, CancellationToken cancel);

    /// <summary>Notes what is about to be made on the to side, so that it can be taken back, whatever happens meanwhile.</summary>
    /// <returns>Those that were not noted before.</returns>
    Task<IReadOnlySet<MadePlace>> NoteMadeAsync(IReadOnlyCollection<MadePlace> places, CancellationToken cancel);

    /// <summary>It was not made: it was there already.</summary>
    Task ForgetMadeAsync(MadePlace place, CancellationToken cancel);

    /// <summary>Strikes out a page whose numbers no longer mean anything, keeping the page itself.</summary>
    Task ForgetEntriesAsync(long folder, uint? fromEpoch, uint? toEpoch, CancellationToken cancel);

    /// <summary>
    /// The to side gave the folder another numbering before anything of this page stood in it: it has to be looked at anew. False, and
    /// nothing changed, where something does.
    /// </summary>
    Task<bool> RenumberAsync(long folder, uint toEpoch, CancellationToken cancel);

    /// <summary>
    /// Numbers of the from side that are settled on this page and were there when last looked at. Left-behind items that wait for a retry
    /// are not.
    /// </summary>
    Task<NumberSet> SettledAsync(long folder, CancellationToken cancel);

    /// <summary>Every number on the to side that any page of this move claims in that folder, of this numbering.</summary>
    Task<Claimed> ClaimedAsync(FolderPath to, uint epoch, CancellationToken cancel);

    /// <summary>The entries of any page of this move that claim a message in that folder of the to side, of this numbering.</summary>
    Task<IReadOnlyList<LandedEntry>> LandedAsync(FolderPath to, uint epoch, CancellationToken cancel);

    /// <summary>What was found to differ between the sides.</summary>
    Task<IReadOnlyList<KnownDifference>> DifferencesAsync(CancellationToken cancel);

    /// <summary>
    /// Notes what looks at the to side showed. What a person decided about a difference that is still there stays decided.
    /// </summary>
    Task RecordLooksAsync(IReadOnlyList<PageLook> looks, CancellationToken cancel);

    /// <summary>Adds differences that reading both sides showed; those that are known stay as they are.</summary>
    Task AddDifferencesAsync(IReadOnlyList<Difference> differences, CancellationToken cancel);

    /// <summary>How far the comparison of both sides has come that a person asked for; null when nobody did.</summary>
    Task<ComparisonProgress?> ComparisonAsync(CancellationToken cancel);

    Task RecordComparisonAsync(ComparisonProgress progress, CancellationToken cancel);

    /// <summary>A difference is no more: it was mended, or is not what it was taken for.</summary>
    Task RemoveDifferencesAsync(IReadOnlyCollection<long> ids, CancellationToken cancel);

    Task<IReadOnlyList<LedgerEntry>> FindAsync(long folder, NumberSet numbers, CancellationToken cancel);

    /// <summary>Entries of several pages, all or none.</summary>
    Task RecordAsync(IReadOnlyList<PageEntries> pages, CancellationToken cancel);

    Task RecordAsync(long folder, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel) =>
        RecordAsync([new PageEntries(folder, entries)], cancel);

    /// <summary>Notes which message stands at which number, before anything becomes of it.</summary>
    Task RecordKeysAsync(long folder, IReadOnlyDictionary<uint, UInt128> keys, CancellationToken cancel);

    /// <summary>The keys noted for these numbers.</summary>
    Task<IReadOnlyDictionary<uint, UInt128>> KeysAsync(long folder, NumberSet numbers, CancellationToken cancel);

    /// <summary>Entries of any page of this move that hold one of these messages and are still on the from side.</summary>
    Task<IReadOnlyList<KeyedEntry>> FindKeysAsync(IReadOnlyCollection<UInt128> keys, CancellationToken cancel);

    /// <summary>Its owner renamed the folder of the to side in which a page lands.</summary>
    Task RenamePlaceAsync(long folder, FolderPath to, CancellationToken cancel);

    /// <summary>Strikes out entries, so that their messages are fresh again and the page is looked at whole.</summary>
    Task ReopenAsync(long folder, NumberSet numbers, CancellationToken cancel);

    /// <summary>What is known of the to side's messages that nobody claims.</summary>
    Task<IReadOnlyList<UnclaimedMessage>> UnclaimedAsync(long folder, CancellationToken cancel);

    Task KeepUnclaimedAsync(long folder, IReadOnlyList<UnclaimedMessage> fresh, NumberSet gone, CancellationToken cancel);

    Task LeaveBehindAsync(long folder, IReadOnlyList<LeftBehindItem> items, CancellationToken cancel);

    /// <summary>One of the sides refuses the whole folder: its messages stay behind together, under one reason.</summary>
    Task LeaveFolderBehindAsync(long folder, NumberSet numbers, Fault fault, CancellationToken cancel);

    /// <summary>Strikes out what was left behind with a refused folder, so that it is tried again.</summary>
    Task RetryFolderAsync(long folder, CancellationToken cancel);

    Task MarkGoneAsync(long folder, NumberSet numbers, CancellationToken cancel);

    /// <summary>Messages left one page for another: gone there and recorded here, both or neither.</summary>
    Task TransferAsync(long folder, NumberSet numbers, long to, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel);

    /// <summary>Pages are complete, all or none.</summary>
    Task CompleteAsync(IReadOnlyList<PageEnd> pages, CancellationToken cancel);
}

/// <summary>Another worker has taken the move over; what this one knows is old.</summary>
public sealed class LeaseLostException() : Exception("The lease on the move was lost to another worker.");
