using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>Entries that vanished from one folder of the from side, and are still where they landed.</summary>
/// <param name="Deleted">They may have been deleted by their owner; false where only a rule sends them to another place.</param>
internal sealed record VanishedEntries(LedgerFolder Page, FolderPath There, bool Deleted, List<LedgerEntry> Entries);

/// <summary>
/// What its owner moved, deleted or took labels off on the from side after it was carried, and what follows from it on the to side.
/// </summary>
/// <param name="inSeveralFolders">Messages may be in several folders of the from side.</param>
internal sealed class SourceChanges(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    MailLegOrder order,
    bool inSeveralFolders,
    Tally tally,
    Action<string> journal
)
{
    private readonly SourceLabels _labels = new(to, ledger, journal);

    /// <param name="work">Folders that changed; others are added where what happened concerns them.</param>
    /// <param name="unchanged">The others.</param>
    /// <param name="vanishedPages">Pages of folders that are no longer there, or now land elsewhere.</param>
    public async Task ApplyAsync(
        List<FolderWork> work,
        IReadOnlyList<FolderWork> unchanged,
        IReadOnlyList<LedgerFolder> vanishedPages,
        IReadOnlyList<FolderState> fromFolders,
        IReadOnlyList<FolderState> toFolders,
        CancellationToken cancel
    )
    {
        var vanished = await FindVanishedAsync(work, vanishedPages, fromFolders, toFolders, cancel);
        if (vanished.Count == 0)
            return;
        if (inSeveralFolders)
            foreach (var v in vanished)
                await _labels.ReopenOthersAsync(work, unchanged, v, cancel);
        await new SourceMoves(from, to, ledger, order, inSeveralFolders, tally, journal).ApplyAsync(work, vanished, cancel);
        if (order.Rules.Deletions is Deletions.Follow)
            await new SourceDeletions(to, ledger, tally, journal).ApplyAsync([.. vanished.Where(v => v.Deleted)], cancel);
    }

    private async Task<List<VanishedEntries>> FindVanishedAsync(
        List<FolderWork> work,
        IReadOnlyList<LedgerFolder> vanishedPages,
        IReadOnlyList<FolderState> fromFolders,
        IReadOnlyList<FolderState> toFolders,
        CancellationToken cancel
    )
    {
        var there = toFolders.Where(f => f.Cursor is not null).DistinctBy(f => f.Path).ToDictionary(f => f.Path);
        var listed = fromFolders.Select(f => f.Path).ToHashSet();
        var found = new List<VanishedEntries>();
        async Task AddAsync(LedgerFolder page, NumberSet gone, bool deleted)
        {
            if (gone.Count == 0 || page.To is not { } place)
                return;
            var all = await ledger.FindAsync(page.Id, gone, cancel);
            if (order.Rules.Labels is Labels.OnceWithKeyword)
                await _labels.RemoveKeywordAsync(page, [.. all.Where(e => e is { Landed: null, Outcome: Outcome.Paired })], there, cancel);
            // The to side has numbered its messages anew, so these numbers mean other messages: nothing is touched by them.
            if (there.GetValueOrDefault(place)?.Cursor?.Epoch != page.ToEpoch)
                return;
            var entries = all.Where(e => e.Landed is not null).ToList();
            if (entries.Count > 0)
                found.Add(new VanishedEntries(page, place, deleted, entries));
        }
        foreach (var folder in work)
        {
            if (folder.Page is not { } page || folder.Landing.To is null)
                continue;
            var settled = await ledger.SettledAsync(page.Id, cancel);
            if (folder.Change is { } change)
                await AddAsync(page, change.GoneOf(settled), true);
            // A pass that was broken off: its owner may have moved messages meanwhile.
            else if (page.Cursor is null && settled.Count > 0 && page.FromEpoch == folder.Landing.From.Cursor?.Epoch)
                await AddAsync(page, settled.Except(await from.ListNumbersAsync(page.From, cancel)), true);
        }
        foreach (var page in vanishedPages)
            await AddAsync(page, await ledger.SettledAsync(page.Id, cancel), !listed.Contains(page.From));
        return found;
    }
}
