using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>
/// Reads both sides of a move anew, message by message, because a person wants to see it with their own eyes: octets, flags, keywords, dates, and
/// whether folders still stand under their names. Like a pass it may be stopped at any moment, and goes on where it was.
/// </summary>
public sealed class Comparison(IMailAccounts accounts, ILedger ledger, PassOrder order, Tally tally, Action<string> journal)
{
    /// <summary>Messages compared before it is written down how far it came.</summary>
    private const int Step = 1_000;

    public async Task RunAsync(CancellationToken cancel)
    {
        var progress = await ledger.ComparisonAsync(cancel);
        if (progress is null or { IsDone: true }) return;
        await using var from = await accounts.OpenAsync(order.From.Service, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.To.Credentials, cancel);
        var toFolders = await to.ListFoldersAsync(cancel);
        var pages = (await ledger.FoldersAsync(cancel)).OrderBy(p => p.Id).ToList();
        await new DestinationCheck(from, to, ledger, false, tally, journal).LookAsync(Complete(pages), toFolders, cancel);
        tally.Expect(pages.Sum(p => p.Counts.Carried + p.Counts.Paired));
        var here = (await from.ListFoldersAsync(cancel)).Select(f => f.Path).ToHashSet();
        var standing = toFolders.Select(f => (f.Path, f.Cursor?.Epoch)).ToHashSet();
        foreach (var page in Complete(pages).Where(p => p.Id >= progress.Page))
        {
            cancel.ThrowIfCancellationRequested();
            tally.Folder = page.From.ToString();
            if (!here.Contains(page.From))
            {
                journal($"the folder '{page.From}' is no longer on the old side; there is nothing to compare '{page.To}' with");
                continue;
            }
            var settled = await ledger.SettledAsync(page.Id, cancel);
            progress = progress with { Arrived = progress.Arrived + (await from.ListNumbersAsync(page.From, cancel)).Except(settled).Count };
            if (page.ToEpoch is null || !standing.Contains((page.To!, page.ToEpoch)))
            {
                journal($"the folder '{page.To}' is not on the new side as it was left; the next catch-up looks into it");
                continue;
            }
            progress = await ComparePageAsync(page, page.Id == progress.Page ? settled.From(progress.Number + 1) : settled, progress, from, to, cancel);
        }
        await ledger.RecordComparisonAsync(progress with { IsDone = true }, cancel);
        journal($"both sides were read anew: {progress.Compared} message(s) compared, {progress.Differing} differ, {progress.FlagsChanged} with flags changed on the new side, {progress.Arrived} arrived on the old side since");
    }

    /// <summary>Folders that a pass has settled to their end, and that the old side still has.</summary>
    private static IEnumerable<LedgerFolder> Complete(IEnumerable<LedgerFolder> pages) => pages.Where(p => p is { To: not null, Cursor: not null, LeftWhole: false, Counts.Found: > 0 });

    private async Task<ComparisonProgress> ComparePageAsync(LedgerFolder page, NumberSet numbers, ComparisonProgress progress, IMailAccount from, IMailAccount to, CancellationToken cancel)
    {
        foreach (var step in numbers.Slices(Step))
        {
            var entries = (await ledger.FindAsync(page.Id, step, cancel)).Where(e => e.Landed is not null && IsChosen(page.Id, e.Number, progress.Share)).ToList();
            var comparison = new MessageComparison(from, to, order.Rules, order.Pace);
            var found = entries.Count == 0 ? [] : await comparison.CompareAsync([new ComparedPage(page, entries)], withIndex: true, cancel);
            await RecordAsync(page, entries, found, cancel);
            progress = progress with
            {
                Page = page.Id, Number = step.Ranges[^1].Last, Compared = progress.Compared + comparison.Compared, Octets = progress.Octets + comparison.OctetsRead,
                Differing = progress.Differing + found.Where(f => Difference.NeedsDecision(f.Kind)).Select(f => f.Number).Distinct().Count(),
                FlagsChanged = progress.FlagsChanged + found.Count(f => f.Kind is DifferenceKind.Flags),
            };
            await ledger.RecordComparisonAsync(progress, cancel);
            tally.Look(entries.Count);
        }
        return progress;
    }

    /// <summary>What was found is added; what an earlier comparison found in these messages and is no longer so is taken away.</summary>
    private async Task RecordAsync(LedgerFolder page, List<LedgerEntry> entries, List<Difference> found, CancellationToken cancel)
    {
        var compared = entries.Select(e => e.Number).ToHashSet();
        var now = found.Select(f => (f.Kind, f.Number)).ToHashSet();
        var resolved = (await ledger.DifferencesAsync(cancel)).Where(d => d.Difference.Folder == page.Id && d.Difference.Kind is DifferenceKind.Altered or DifferenceKind.Flags
            && compared.Contains(d.Difference.Number) && !now.Contains((d.Difference.Kind, d.Difference.Number))).Select(d => d.Id).ToList();
        if (resolved.Count > 0) await ledger.RemoveDifferencesAsync(resolved, cancel);
        if (found.Count > 0) await ledger.AddDifferencesAsync(found, cancel);
        tally.Differ(found.Count(f => Difference.NeedsDecision(f.Kind)));
    }

    /// <summary>The same messages each time, so that a comparison that goes on later chooses no others.</summary>
    private static bool IsChosen(long page, uint number, double share) =>
        share >= 1 || System.IO.Hashing.XxHash64.HashToUInt64(BitConverter.GetBytes(((ulong)page << 32) | number)) < share * ulong.MaxValue;
}
