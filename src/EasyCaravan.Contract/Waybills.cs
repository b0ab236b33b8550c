namespace EasyCaravan.Contract;

/// <summary>The proof for a batch: every move, every folder.</summary>
/// <param name="Kinds">The sums of each kind; Total is all of them together.</param>
/// <param name="Closes">
/// The last pass of every move came to its end, every folder was settled, all sums close, and a person has decided about each difference.
/// </param>
/// <param name="Sentence">In words: that it closes, or why it does not yet and what is to be done.</param>
public sealed record BatchWaybill(
    string Batch,
    string From,
    string To,
    DateTimeOffset DrawnAt,
    Counts Total,
    IReadOnlyList<KindSums> Kinds,
    bool Closes,
    string Sentence,
    IReadOnlyList<MoveWaybill> Moves
);

/// <param name="Kinds">The sums of each kind; Total is all of them together.</param>
/// <param name="Sentence">In words: that it closes, or why it does not yet and what is to be done.</param>
/// <param name="LeftBehind">Each item that could not be carried, and why.</param>
/// <param name="Comparison">When both sides were last read anew, and what came of it; null: never.</param>
/// <param name="Differences">Each message that is not on the new side as it is on the old.</param>
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
    IReadOnlyList<FolderView> Folders,
    IReadOnlyList<LeftBehindView> LeftBehind,
    IReadOnlyList<DifferenceView> Differences,
    ComparisonView? Comparison
);
