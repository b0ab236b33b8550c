using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>Writes down what a step of a comparison found.</summary>
internal static class FoundDifferences
{
    /// <summary>What was found is added; what an earlier comparison found in these items and is no longer so is taken away.</summary>
    /// <param name="compared">Pages and numbers of all items that were compared in this step.</param>
    public static async Task RecordAsync(
        ILedger ledger,
        HashSet<(long Folder, uint Number)> compared,
        List<Difference> found,
        Tally tally,
        CancellationToken cancel
    )
    {
        var now = found.Select(f => (f.Folder, f.Kind, f.Number)).ToHashSet();
        var resolved = (await ledger.DifferencesAsync(cancel))
            .Where(d =>
                d.Difference.Kind is DifferenceKind.Altered or DifferenceKind.Flags
                && compared.Contains((d.Difference.Folder, d.Difference.Number))
                && !now.Contains((d.Difference.Folder, d.Difference.Kind, d.Difference.Number))
            )
            .Select(d => d.Id)
            .ToList();
        if (resolved.Count > 0)
            await ledger.RemoveDifferencesAsync(resolved, cancel);
        if (found.Count > 0)
            await ledger.AddDifferencesAsync(found, cancel);
        tally.Differ(found.Count(f => Difference.NeedsDecision(f.Kind)));
    }

    /// <summary>Items, not differences: one item may differ in several ways.</summary>
    public static int CountItems(List<Difference> found) =>
        found.Where(f => Difference.NeedsDecision(f.Kind)).Select(f => (f.Folder, f.Number)).Distinct().Count();
}
