using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Deletes on the old side what is proven to have arrived: each copy is read back from the new side and compared with the original first.
/// </summary>
public sealed class DeleteAfterVerify(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    MailLegOrder order,
    Tally tally,
    Action<string> journal
)
{
    /// <summary>Messages compared at a time.</summary>
    private const int Slice = 200;

    public async Task DeleteAsync(CancellationToken cancel)
    {
        foreach (var page in (await ledger.FoldersAsync(cancel)).Where(p => p is { To: not null, Cursor: not null, Counts.Closes: true }))
        {
            var entries = (await ledger.FindAsync(page.Id, await ledger.SettledAsync(page.Id, cancel), cancel))
                .Where(e => e.Landed is not null)
                .ToList();
            var proven = new NumberSet();
            foreach (var some in entries.Chunk(Slice))
            foreach (var number in await ProveAsync(page, some, cancel))
                proven.Add(number);
            await TellOthersAsync(page, [.. entries.Where(e => !proven.Contains(e.Number))], cancel);
            if (proven.Count == 0 || !await from.RemoveMessagesAsync(page.From, proven, cancel))
                continue;
            tally.Remove(proven.Count);
            journal(
                $"{proven.Count} message(s) of '{page.From}' were read back from '{page.To}', found to be the same, and deleted on the "
                    + "old side, as the route says old-side: delete-after-proof"
            );
        }
    }

    /// <summary>What is not proven stays on the old side, and is told message by message.</summary>
    private async Task TellOthersAsync(LedgerFolder page, List<LedgerEntry> others, CancellationToken cancel)
    {
        if (others.Count == 0)
            return;
        var found = (
            await new MessageComparison(from, to, order.Rules, order.RateLimiters).CompareAsync(
                [new ComparedPage(page, others)],
                withIndex: false,
                cancel
            )
        )
            .Where(f => Difference.NeedsDecision(f.Kind))
            .ToList();
        await ledger.AddDifferencesAsync(found, cancel);
        tally.Differ(found.Count);
        journal(
            $"{others.Count} message(s) of '{page.From}' are not the same on the new side, or no longer there: they stay on the old side"
        );
    }

    private async Task<List<uint>> ProveAsync(LedgerFolder page, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel)
    {
        var proven = new List<uint>();
        // What was paired may have come another way, with more trace headers: its body and identity have to be the same, not its header.
        foreach (var outcome in entries.GroupBy(e => e.Outcome))
        {
            var whole = outcome.Key is Outcome.Carried;
            var here = await BodyDigest.ReadAsync(from, page.From, new NumberSet(outcome.Select(e => e.Number)), cancel, whole);
            var there = await BodyDigest.ReadAsync(to, page.To!, new NumberSet(outcome.Select(e => e.Landed!.Value)), cancel, whole);
            proven.AddRange(
                outcome
                    .Where(e =>
                        here.TryGetValue(e.Number, out var original) && there.TryGetValue(e.Landed!.Value, out var copy) && original == copy
                    )
                    .Select(e => e.Number)
            );
        }
        return proven;
    }
}
