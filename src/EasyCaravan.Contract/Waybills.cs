namespace EasyCaravan.Contract;

/// <summary>
/// Items of one kind that were changed, as the route allows, because the new side would not have taken them as they were.
/// </summary>
/// <param name="Kind">The kind.</param>
/// <param name="Shaping">The change, by its word in the plan.</param>
/// <param name="Items">How many items.</param>
public sealed record ShapedCount(MoveKind Kind, string Shaping, long Items);

/// <summary>The proof for a batch: every move, every folder.</summary>
/// <param name="Kinds">The sums of each kind; Total is all of them together.</param>
/// <param name="Closes">
/// The last pass of every move came to its end, every folder was settled, all sums close, and a person has decided about each difference.
/// </param>
/// <param name="Sentence">In words: that it closes, or why it does not yet and what is to be done.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="From">The old side's service.</param>
/// <param name="To">The new side's service.</param>
/// <param name="DrawnAt">When it was drawn.</param>
/// <param name="Total">The sums of all kinds together.</param>
/// <param name="Shaped">What was changed about items, as the route allows.</param>
/// <param name="Moves">Move by move.</param>
public sealed record BatchWaybill(
    string Batch,
    string From,
    string To,
    DateTimeOffset DrawnAt,
    Counts Total,
    IReadOnlyList<KindSums> Kinds,
    bool Closes,
    string Sentence,
    IReadOnlyList<ShapedCount> Shaped,
    IReadOnlyList<MoveWaybill> Moves
);

/// <summary>The proof for one move.</summary>
/// <param name="Kinds">The sums of each kind; Total is all of them together.</param>
/// <param name="Sentence">In words: that it closes, or why it does not yet and what is to be done.</param>
/// <param name="LeftBehind">Each item that could not be carried, and why.</param>
/// <param name="Comparison">When both sides were last read anew, and what came of it; null: never.</param>
/// <param name="Differences">Each message that is not on the new side as it is on the old.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="ToAccount">The to account.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Stage">How far it is.</param>
/// <param name="Total">The sums of all kinds together.</param>
/// <param name="Gone">Settled earlier, since deleted on the old side by its owner.</param>
/// <param name="Missing">Landed earlier, no longer on the new side.</param>
/// <param name="Twice">Second copies on the new side.</param>
/// <param name="Altered">On the new side, but not as they are on the old.</param>
/// <param name="Undecided">Differences between the sides about which nobody has decided.</param>
/// <param name="Closes">All sums close, and nothing is undecided.</param>
/// <param name="Shaped">What was changed about items, as the route allows.</param>
/// <param name="Folders">Folder by folder.</param>
public sealed record MoveWaybill(
    string Account,
    string ToAccount,
    string Name,
    MoveStage Stage,
    Counts Total,
    IReadOnlyList<KindSums> Kinds,
    long Gone,
    long Missing,
    long Twice,
    long Altered,
    long Undecided,
    bool Closes,
    string Sentence,
    IReadOnlyList<ShapedCount> Shaped,
    IReadOnlyList<FolderView> Folders,
    IReadOnlyList<LeftBehindView> LeftBehind,
    IReadOnlyList<DifferenceView> Differences,
    ComparisonView? Comparison
);
