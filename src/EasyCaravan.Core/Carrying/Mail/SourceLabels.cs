using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>Messages that are in several folders of the from side, when they leave one of them.</summary>
internal sealed class SourceLabels(IMailAccount to, ILedger ledger, Action<string> journal)
{
    /// <summary>The owner took a label off messages that are in another folder too: in that folder they lose the label's keyword.</summary>
    public async Task RemoveKeywordAsync(
        LedgerFolder page,
        IReadOnlyList<LedgerEntry> entries,
        Dictionary<FolderPath, FolderState> there,
        CancellationToken cancel
    )
    {
        if (entries.Count == 0)
            return;
        var keys = await ledger.KeysAsync(page.Id, new NumberSet(entries.Select(e => e.Number)), cancel);
        var epochs = (await ledger.FoldersAsync(cancel)).ToDictionary(p => p.Id, p => p.ToEpoch);
        var twins = (await ledger.FindKeysAsync([.. keys.Values], cancel))
            .Where(t => t.To is not null && t.Entry.Landed is not null && there.GetValueOrDefault(t.To)?.Cursor?.Epoch == epochs[t.Folder])
            .ToList();
        var keyword = MultiFolderMessages.KeywordFor(page.From);
        foreach (var place in twins.GroupBy(t => t.To!))
            await to.ChangeFlagsAsync(
                place.Key,
                new NumberSet(place.Select(t => t.Entry.Landed!.Value).Distinct()),
                FlagSet.Empty,
                FlagSet.Of([keyword]),
                cancel
            );
        if (twins.Count > 0)
            journal($"{twins.Count} message(s) that left '{page.From}' on the old side lost the keyword {keyword} on the new");
    }

    /// <summary>
    /// A message that left one folder and is in another too belongs to the other now: it counts as fresh there, and what landed moves to
    /// it.
    /// </summary>
    public async Task ReopenOthersAsync(
        List<FolderWork> work,
        IReadOnlyList<FolderWork> unchanged,
        VanishedEntries vanished,
        CancellationToken cancel
    )
    {
        var keys = await ledger.KeysAsync(vanished.Page.Id, new NumberSet(vanished.Entries.Select(e => e.Number)), cancel);
        var gone = vanished.Entries.Select(e => e.Number).ToHashSet();
        var twins = (await ledger.FindKeysAsync([.. keys.Values], cancel))
            .Where(t => t.To is not null && t.Entry.Landed is null && !(t.Folder == vanished.Page.Id && gone.Contains(t.Entry.Number)))
            .DistinctBy(t => t.Key);
        foreach (var page in twins.GroupBy(t => t.Folder))
        {
            var numbers = new NumberSet(page.Select(t => t.Entry.Number));
            await ledger.ReopenAsync(page.Key, numbers, cancel);
            var at = work.FindIndex(w => w.Page?.Id == page.Key);
            if (at >= 0)
                work[at] = work[at] with { Reopened = work[at].Reopened.Or(numbers) };
            else if (unchanged.FirstOrDefault(w => w.Page?.Id == page.Key) is { } other)
                work.Add(other with { Reopened = numbers });
        }
    }
}
