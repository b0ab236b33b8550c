using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>What its owner deleted on the from side is deleted on the to side too, where the route says <c>deletions: follow</c>.</summary>
internal sealed class SourceDeletions(IMailAccount to, ILedger ledger, Tally tally, Action<string> journal)
{
    /// <summary>
    /// The largest share of what was carried that is deleted at once: a mailbox that is suddenly empty is more likely a mishap than a wish.
    /// </summary>
    private const double MostShare = 0.2;

    /// <summary>So few messages are deleted whatever their share.</summary>
    private const int Few = 25;

    public async Task ApplyAsync(IReadOnlyList<VanishedEntries> vanished, CancellationToken cancel)
    {
        // What was on the new side before the move is not ours to delete.
        var ours = vanished
            .Select(v => v with { Entries = [.. v.Entries.Where(e => e.Outcome is Outcome.Carried)] })
            .Where(v => v.Entries.Count > 0)
            .ToList();
        var many = ours.Sum(v => v.Entries.Count);
        if (many == 0)
            return;
        var carried = (await ledger.FoldersAsync(cancel)).Sum(p => p.Counts.Carried);
        if (many > Few && many > carried * MostShare)
        {
            journal(
                $"{many} of {carried} carried messages vanished from the old side at once; that is more than a fifth, so they are kept "
                    + "on the new side although the route says deletions: follow"
            );
            return;
        }
        foreach (var folder in ours)
        {
            if (!await to.RemoveMessagesAsync(folder.There, new NumberSet(folder.Entries.Select(e => e.Landed!.Value)), cancel))
            {
                journal("the new side cannot delete single messages (no UIDPLUS): what was deleted on the old side stays there");
                return;
            }
            await ledger.MarkGoneAsync(folder.Page.Id, new NumberSet(folder.Entries.Select(e => e.Number)), cancel);
            tally.Remove(folder.Entries.Count);
            journal(
                $"{folder.Entries.Count} message(s) that were deleted in '{folder.Page.From}' on the old side were deleted in "
                    + $"'{folder.There}' on the new"
            );
        }
    }
}
