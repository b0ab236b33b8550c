using System.Runtime.CompilerServices;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>
/// Reads the mail of both sides anew, message by message: octets, flags, keywords, dates, and whether folders still stand under their
/// names.
/// </summary>
public sealed class MailComparison(IMailAccounts accounts, ILedger ledger, MailLegOrder order, Tally tally, Action<string> journal)
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

    /// <summary>Goes on where it was, and writes down after each step how far it has come.</summary>
    public async Task<ComparisonProgress> CompareAsync(ComparisonProgress progress, CancellationToken cancel)
    {
        await using var from = await accounts.OpenAsync(order.From.Service, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.To.Credentials, cancel);
        var toFolders = await to.ListFoldersAsync(cancel);
        var pages = (await ledger.FoldersAsync(cancel)).OrderBy(p => p.Id).ToList();
        var check = new DestinationCheck(from, to, ledger, false, tally, journal) { IsForwarded = order.IsForwarded };
        await check.CheckAsync(Complete(pages), toFolders, cancel);
        tally.Expect(pages.Sum(p => p.Counts.Carried + p.Counts.Paired));
        var here = (await from.ListFoldersAsync(cancel)).Select(f => f.Path).ToHashSet();
        var standing = toFolders.Select(f => (f.Path, f.Cursor?.Epoch)).ToHashSet();
        var comparable = Complete(pages).Where(p => p.Id >= progress.Page && Stands(p, here, standing)).ToList();
        await foreach (var step in StepsAsync(comparable, progress, cancel))
            progress = await CompareStepAsync(step, progress, from, to, cancel);
        return progress;
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
                        e.Landed is not null && ComparedShare.Has(page.Id, e.Number, since.Share)
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
        await FoundDifferences.RecordAsync(
            ledger,
            [.. step.SelectMany(p => p.Entries.Select(e => (p.Page.Id, e.Number)))],
            found,
            tally,
            cancel
        );
        progress = progress with
        {
            Page = step[^1].Page.Id,
            Number = step[^1].UpTo,
            Compared = progress.Compared + comparison.Compared,
            Octets = progress.Octets + comparison.OctetsRead,
            Differing = progress.Differing + FoundDifferences.CountItems(found),
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
}
