using System.Collections.Immutable;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <param name="To">Null when a rule leaves the folder behind.</param>
/// <param name="Complete">A pass has settled the folder to its end.</param>
public sealed record WaybillFolder(FolderPath From, FolderPath? To, FolderCounts Counts, bool Complete)
{
    public bool Closes => Complete && Counts.Closes && Counts.Undecided == 0;
}

/// <summary>The proof for one move: what was found on the from side, and what became of it.</summary>
public sealed record Waybill(ImmutableArray<WaybillFolder> Folders)
{
    public FolderCounts Total { get; } = Folders.Aggregate(FolderCounts.Zero, (sum, f) => sum + f.Counts);

    /// <summary>Every folder was settled to its end, in each the sums close, and a person has decided about each difference.</summary>
    public bool Closes => Folders.All(f => f.Closes);

    /// <summary>Draws the proof from the ledger's pages. Pages whose folder is gone from the from side count only what was there.</summary>
    public static Waybill Draw(IEnumerable<LedgerFolder> pages) =>
        new([
            .. pages
                .OrderByDescending(p => p.From.IsInbox)
                .ThenBy(p => p.From.ToString(), StringComparer.Ordinal)
                .Select(p => new WaybillFolder(p.From, p.To, p.Counts, p.Cursor is not null)),
        ]);
}
