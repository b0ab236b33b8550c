using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Prepares the folders of the to side for what comes from the from side.
/// </summary>
internal sealed class DestinationFolders(IMailAccount to, ILedger ledger, MailLegOrder order, Tally tally, Action<string> journal)
{
    /// <summary>
    /// Prepares the folders of the to side: applies changed flags, and lists the UIDs of folders that will receive messages.
    /// </summary>
    public async Task PrepareDestinationAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        var visits = new List<(FolderJob Folder, FolderVisit Visit, List<LedgerEntry> Entries)>();
        foreach (var folder in folders.Where(f => f.To is not null))
        {
            var updates = folder.Flags.ToDictionary(u => u.Number, u => order.CarriedFlags(u.Flags));
            var changed =
                updates.Count == 0
                    ? []
                    : (await ledger.FindAsync(folder.Page.Id, new NumberSet(updates.Keys), cancel))
                        .Where(e => e.Landed is not null && !updates[e.Number].Equals(e.Flags))
                        .ToList();
            // Only the flags that changed are set or removed, so that changes made by the owner on the new side are kept.
            var changes = changed
                .GroupBy(e => (Add: updates[e.Number].Except(e.Flags), Remove: e.Flags.Except(updates[e.Number])))
                .Select(g => new FlagChange(new NumberSet(g.Select(e => e.Landed!.Value)), g.Key.Add, g.Key.Remove))
                .ToList();
            // The folder was created in this pass, so it is empty: skip the listing.
            var visit = new FolderVisit(
                folder.To!,
                List: folder is not { MadeNow: true, Page.IsNew: true } && (folder.Fresh.Count > 0 || folder.IsLookedWhole)
            )
            {
                Flags = changes,
                // Subscribe only on the first pass; later the owner decides.
                Subscribe = folder is { Page.IsNew: true, From.Subscribed: true, Work.There.Subscribed: false },
            };
            if (visit.List || visit.Subscribe || changes.Count > 0)
                visits.Add((folder, visit, [.. changed.Select(e => e with { Flags = updates[e.Number] })]));
        }
        if (visits.Count == 0)
            return;
        if (
            visits.Where(v => v.Visit.Subscribe).Select(v => new MadePlace($"{v.Folder.To}", MadeAs.Subscription)).ToList() is
            { Count: > 0 } shown
        )
            await ledger.NoteMadeAsync(shown, cancel);
        var seen = await to.VisitAsync([.. visits.Select(v => v.Visit)], cancel);
        for (var i = 0; i < visits.Count; i++)
        {
            var (folder, visit, entries) = visits[i];
            if (seen[i].Refused is { } refused)
                throw new FaultException(refused, Verdict.Keep);
            for (var c = 0; c < visit.Flags.Count; c++)
                if (seen[i].FlagsRefused[c] is { } fault && !await ChangeFlagsBareAsync(folder, visit.Flags[c], fault, cancel))
                    entries.RemoveAll(e => visit.Flags[c].Numbers.Contains(e.Landed!.Value));
            if (entries.Count > 0)
                await ledger.RecordAsync(folder.Page.Id, entries, cancel);
            tally.ChangeFlags(entries.Count);
            if (seen[i].Numbers is not { } numbers)
                continue;
            (folder.NumbersThere, folder.IsListedThere) = (numbers, true);
            folder.Claimed = await ledger.ClaimedAsync(folder.To!, folder.There!.Epoch, cancel);
        }
    }

    /// <summary>
    /// If the new side refuses a keyword, change the system flags without it. False if these are refused too.
    /// </summary>
    private async Task<bool> ChangeFlagsBareAsync(FolderJob folder, FlagChange change, Fault refused, CancellationToken cancel)
    {
        if (refused.Action is FaultAction.RetryLater)
            throw new FaultException(refused, Verdict.Keep);
        var bare = change.Add.WithoutKeywords();
        var isBare = bare.Equals(change.Add);
        var again = isBare
            ? refused
            : (await to.VisitAsync([new FolderVisit(folder.To!, List: false) { Flags = [change with { Add = bare }] }], cancel))[
                0
            ].FlagsRefused[0];
        if (again?.Action is FaultAction.RetryLater)
            throw new FaultException(again, Verdict.Keep);
        journal(
            $"{(again is null ? "keywords" : "flags")} of {change.Numbers.Count} message(s) in '{folder.To}' could not be changed on the "
                + $"new side: {refused.What}"
        );
        return again is null;
    }
}
