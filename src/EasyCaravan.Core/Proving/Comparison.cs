using System.Runtime.CompilerServices;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>
/// Reads both sides of a move anew, message by message, because a person wants to see it with their own eyes: octets, flags, keywords,
/// dates, and whether folders still stand under their names. Like a pass it may be stopped at any moment, and goes on where it was.
/// </summary>
public sealed class Comparison(IMailAccounts accounts, ILedger ledger, MailLegOrder order, Tally tally, Action<string> journal)
{
    /// <summary>Messages that are compared before it is written down how far the comparison has come.</summary>
    private const long StepMessages = 8_000;

    /// <summary>Octets of messages after which it is written down too.</summary>
    private static readonly ByteCount s_stepSize = new(256 * 1024 * 1024);

    /// <summary>Entries asked of the ledger at a time.</summary>
    private const int Slice = 1_000;

    /// <summary>Messages of one folder that belong to a step.</summary>
    /// <param name="Ends">The folder is compared to its end with them.</param>
    private sealed record Part(LedgerFolder Page, List<LedgerEntry> Entries, uint UpTo, bool Ends);

    public async Task RunAsync(CancellationToken cancel)
    {
        var progress = await ledger.ComparisonAsync(cancel);
        if (progress is null or { IsDone: true })
            return;
        await using var from = await accounts.OpenAsync(order.From.Service, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.To.Credentials, cancel);
        var toFolders = await to.ListFoldersAsync(cancel);
        var pages = (await ledger.FoldersAsync(cancel)).OrderBy(p => p.Id).ToList();
        await new DestinationCheck(from, to, ledger, false, tally, journal).CheckAsync(Complete(pages), toFolders, cancel);
        tally.Expect(pages.Sum(p => p.Counts.Carried + p.Counts.Paired));
        var here = (await from.ListFoldersAsync(cancel)).Select(f => f.Path).ToHashSet();
        var standing = toFolders.Select(f => (f.Path, f.Cursor?.Epoch)).ToHashSet();
        var comparable = Complete(pages).Where(p => p.Id >= progress.Page && Stands(p, here, standing)).ToList();
        await foreach (var step in StepsAsync(comparable, progress, cancel))
            progress = await CompareStepAsync(step, progress, from, to, cancel);
        await ledger.RecordComparisonAsync(progress with { IsDone = true }, cancel);
        journal(
            $"both sides were read anew: {progress.Compared} message(s) compared, {progress.Differing} differ, {progress.FlagsChanged} "
                + $"with flags changed on the new side, {progress.Arrived} arrived on the old side since"
        );
    }

    /// <summary>Folders that a pass has settled to their end, and that the old side still has.</summary>
    private static IEnumerable<LedgerFolder> Complete(IEnumerable<LedgerFolder> pages) =>
        pages.Where(p => p is { To: not null, Cursor: not null, LeftWhole: false, Counts.Found: > 0 });

    /// <summary>What is not where it was left cannot be compared: it is said instead.</summary>
    private bool Stands(LedgerFolder page, HashSet<FolderPath> here, HashSet<(FolderPath Path, uint? Epoch)> there)
    {
        if (!here.Contains(page.From))
            journal($"the folder '{page.From}' is no longer on the old side; there is nothing to compare '{page.To}' with");
        else if (page.ToEpoch is null || !there.Contains((page.To!, page.ToEpoch)))
            journal($"the folder '{page.To}' is not on the new side as it was left; the next catch-up looks into it");
        else
            return true;
        return false;
    }

    /// <summary>All that is to be compared, in steps over one folder or many small ones.</summary>
    private async IAsyncEnumerable<List<Part>> StepsAsync(
        IReadOnlyList<LedgerFolder> pages,
        ComparisonProgress since,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        var step = new List<Part>();
        var (messages, octets) = (0L, ByteCount.Zero);
        foreach (var page in pages)
        {
            var settled = await ledger.SettledAsync(page.Id, cancel);
            if (page.Id == since.Page)
                settled = settled.From(since.Number + 1);
            var (left, entries) = (settled.Count, new List<LedgerEntry>());
            foreach (var slice in settled.Slices(Slice))
            {
                entries.AddRange(
                    (await ledger.FindAsync(page.Id, slice, cancel)).Where(e =>
                        e.Landed is not null && IsChosen(page.Id, e.Number, since.Share)
                    )
                );
                left -= slice.Count;
                var isFull = messages + entries.Count >= StepMessages || octets + entries.Sum(e => e.Size) >= s_stepSize;
                if (left > 0 && !isFull)
                    continue;
                step.Add(new Part(page, entries, slice.Ranges[^1].Last, left == 0));
                (messages, octets, entries) = (messages + entries.Count, octets + entries.Sum(e => e.Size), []);
                if (!isFull)
                    continue;
                yield return step;
                (step, messages, octets) = ([], 0, ByteCount.Zero);
            }
        }
        if (step.Count > 0)
            yield return step;
    }

    private async Task<ComparisonProgress> CompareStepAsync(
        List<Part> step,
        ComparisonProgress progress,
        IMailAccount from,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        cancel.ThrowIfCancellationRequested();
        tally.Folder = step[^1].Page.From.ToString();
        var comparison = new MessageComparison(from, to, order.Rules, order.RateLimiters, () => tally.Look(1));
        var pages = step.Where(p => p.Entries.Count > 0).Select(p => new ComparedPage(p.Page, p.Entries)).ToList();
        var found = await comparison.CompareAsync(pages, withIndex: true, cancel);
        await RecordAsync(step, found, cancel);
        progress = progress with
        {
            Page = step[^1].Page.Id,
            Number = step[^1].UpTo,
            Compared = progress.Compared + comparison.Compared,
            Octets = progress.Octets + comparison.OctetsRead,
            Differing =
                progress.Differing
                + found.Where(f => Difference.NeedsDecision(f.Kind)).Select(f => (f.Folder, f.Number)).Distinct().Count(),
            FlagsChanged = progress.FlagsChanged + found.Count(f => f.Kind is DifferenceKind.Flags),
            Arrived = progress.Arrived + await CountArrivedAsync([.. step.Where(p => p.Ends).Select(p => p.Page)], from, cancel),
        };
        await ledger.RecordComparisonAsync(progress, cancel);
        return progress;
    }

    /// <summary>Messages on the old side that no pass has settled: they came since the last one.</summary>
    private async Task<long> CountArrivedAsync(IReadOnlyList<LedgerFolder> pages, IMailAccount from, CancellationToken cancel)
    {
        var arrived = 0L;
        var seen = await from.VisitAsync([.. pages.Select(p => new FolderVisit(p.From, List: true))], cancel);
        for (var i = 0; i < pages.Count; i++)
            if (seen[i].Numbers is { } numbers)
                arrived += numbers.Except(await ledger.SettledAsync(pages[i].Id, cancel)).Count;
        return arrived;
    }

    /// <summary>What was found is added; what an earlier comparison found in these messages and is no longer so is taken away.</summary>
    private async Task RecordAsync(List<Part> step, List<Difference> found, CancellationToken cancel)
    {
        var compared = step.SelectMany(p => p.Entries.Select(e => (p.Page.Id, e.Number))).ToHashSet();
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

    /// <summary>The same messages each time, so that a comparison that goes on later chooses no others.</summary>
    private static bool IsChosen(long page, uint number, double share) =>
        share >= 1 || System.IO.Hashing.XxHash64.HashToUInt64(BitConverter.GetBytes(((ulong)page << 32) | number)) < share * ulong.MaxValue;
}
