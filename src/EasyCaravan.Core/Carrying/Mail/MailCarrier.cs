using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Carries one batch of folders after another over one pair of sessions. A batch goes through each step together, so that small folders
/// share the round trips and transactions that would cost more than their mail.
/// </summary>
/// <param name="multiFolder">Knows what stands in other folders of the from side too; null where that does not matter.</param>
/// <param name="arrivals">What came to the new address by itself; null where nobody looked.</param>
internal sealed class MailCarrier(
    IMailAccount from,
    IMailAccount to,
    ILedger ledger,
    MailLegOrder order,
    MultiFolderMessages? multiFolder,
    Arrivals? arrivals,
    ReadBackSample sample,
    Tally tally,
    Action<string> journal
)
{
    private readonly FolderPages _pages = new(to, ledger, journal);
    private readonly DestinationFolders _destination = new(to, ledger, order, tally, journal);
    private readonly FreshMessages _fresh = new(
        from,
        to,
        ledger,
        order,
        multiFolder,
        arrivals,
        new MessageCopier(from, to, ledger, order, sample, tally, journal),
        tally
    );
    private readonly RefusedFolder _refused = new(from, ledger, tally, journal);

    public async Task CarryFolderBatchAsync(FolderBatch batch, CancellationToken cancel)
    {
        try
        {
            if (batch.InTurn)
                foreach (var work in batch.Folders)
                    await CarryFoldersAsync([work], cancel);
            else
                await CarryFoldersAsync(batch.Folders, cancel);
        }
        catch (FaultException e) when (e is { Verdict: Verdict.Keep, Fault.Cause: Cause.FolderRefused or Cause.NotPermitted })
        {
            // Only one folder of the batch was refused: each is tried by itself.
            if (batch.Folders.Count == 1)
                await _refused.LeaveFolderAsync(batch.Folders[0], e.Fault, cancel);
            else
                foreach (var folder in batch.Folders)
                    await CarryFolderBatchAsync(new FolderBatch([folder]), cancel);
        }
    }

    private async Task CarryFoldersAsync(IReadOnlyList<FolderWork> batch, CancellationToken cancel)
    {
        var folders = batch
            .Select(w => new FolderJob(
                w,
                w.Landing.From.Cursor
                    ?? throw new FaultException(
                        new Fault(
                            Cause.ProtocolBroken,
                            order.From.Credentials.Account,
                            $"the old side does not tell the state of folder '{w.Landing.From.Path}'"
                        ),
                        Verdict.Keep
                    )
            ))
            .ToList();
        tally.Folder = folders[0].From.Path.ToString();
        await _pages.OpenPagesAsync(folders, cancel);
        await FindFreshAsync(folders, cancel);
        await _destination.PrepareDestinationAsync(folders, cancel);
        await ExcludeFoldersAsync(folders, cancel);
        await _fresh.SettleFreshAsync(folders, cancel);
        await ledger.CompleteAsync([.. folders.Select(f => f.End)], cancel);
    }

    /// <summary>
    /// Finds the messages to settle: from the changes if their counts agree, otherwise by listing the whole folder.
    /// </summary>
    private async Task FindFreshAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        // The changes were asked for before the page was opened. They hold only if the UIDs are still the same.
        foreach (var folder in folders)
            if (folder.Page is { Cursor: not null, Reopened: false } && folder.Work.Change is { } change)
                folder.Take(change);

        var since = folders.Where(f => f is { Page.Cursor: not null, IsLooked: false, To: not null }).ToList();
        var flags = await from.ReadChangesAsync([.. since.Select(f => new ChangeQuery(f.From.Path, f.Page.Cursor!, f.Cursor))], cancel);
        for (var i = 0; i < since.Count; i++)
            since[i].FlagsOf(flags[i]);

        // For a small folder, ask for all changes since the beginning: that gives its index together with its UIDs in one command.
        var room = (long)FreshMessages.IndexAtATime;
        var small = folders.Where(f => f is { IsLooked: false, To: not null } && (room -= f.Cursor.Count) >= 0).ToList();
        var whole = await from.ReadChangesAsync(
            [.. small.Select(f => new ChangeQuery(f.From.Path, new FolderCursor(f.Cursor.Epoch, 1, null, 0), f.Cursor))],
            cancel
        );
        for (var i = 0; i < small.Count; i++)
            if (whole[i] is { } change)
                small[i].TakeWhole(change.Fresh, change.Items, change.Digest);

        var rest = folders.Where(f => !f.IsLooked).ToList();
        var seen = await from.VisitAsync([.. rest.Select(f => new FolderVisit(f.From.Path, List: true))], cancel);
        for (var i = 0; i < rest.Count; i++)
        {
            if (seen[i].Numbers is { } present)
                rest[i].TakeWhole(present, [], null);
            else if (rest[i].To is null && seen[i].Refused!.Cause is Cause.NotPermitted)
                rest[i].TakeNothing();
            else
                throw new FaultException(seen[i].Refused!, Verdict.Keep);
        }
        foreach (var folder in folders)
        {
            await ledger.MarkGoneAsync(folder.Page.Id, folder.LeftFrom, cancel);
            tally.Expect(folder.Fresh.Count - folder.Work.Estimate);
        }
    }

    /// <summary>Folders that stay behind by a rule: each of their messages is excluded under that name.</summary>
    private async Task ExcludeFoldersAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        foreach (var folder in folders.Where(f => f.To is null))
        {
            if (!folder.IsReadable)
                journal(
                    $"folder '{folder.From.Path}' stays behind by {folder.Work.Landing.Rule} and may not be read: what it holds is not "
                        + "counted"
                );
            foreach (var slice in folder.Fresh.Slices(FreshMessages.IndexAtATime))
            {
                await ledger.RecordAsync(
                    folder.Page.Id,
                    [.. slice.Select(n => new LedgerEntry(n, null, Outcome.Excluded, FlagSet.Empty))],
                    cancel
                );
                tally.Exclude(slice.Count);
            }
        }
    }
}
