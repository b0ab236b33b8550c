namespace EasyCaravan.Contract;

/// <summary>The proof for a batch: every move, every folder.</summary>
/// <param name="Closes">The last pass of every move came to its end, every folder was settled, and all sums close.</param>
public sealed record BatchWaybill(string Batch, string From, string To, DateTimeOffset DrawnAt, Counts Total, bool Closes, IReadOnlyList<MoveWaybill> Moves);

/// <param name="LeftBehind">Each item that could not be carried, and why.</param>
public sealed record MoveWaybill(
    string Account, string ToAccount, string Name, MoveStage Stage, Counts Total, long Gone, long Missing, bool Closes, IReadOnlyList<FolderView> Folders, IReadOnlyList<LeftBehindView> LeftBehind);
