using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Opens the ledger's pages of folders that are about to be carried, and makes those that are missing on the to side.
/// </summary>
internal sealed class FolderPages(IMailAccount to, ILedger ledger, Action<string> journal)
{
    /// <summary>
    /// Makes the folders that are missing on the to side, and opens the ledger's pages; anew where either side has numbered its messages
    /// anew.
    /// </summary>
    public async Task OpenPagesAsync(List<FolderJob> folders, CancellationToken cancel)
    {
        var missing = folders.Where(f => f is { To: not null, There: null }).ToList();
        if (missing.Count > 0)
        {
            var noted = await ledger.NoteMadeAsync(
                [
                    .. missing
                        .SelectMany(f => f.Work.MissingAbove.Append(f.To!))
                        .Distinct()
                        .Select(p => new MadePlace($"{p}", MadeAs.Folder)),
                ],
                cancel
            );
            var made = await to.CreateFoldersAsync([.. missing.Select(f => new NewFolder(f.To!, f.From.Use, f.From.Subscribed))], cancel);
            for (var i = 0; i < made.Count; i++)
            {
                missing[i].Take(made[i]);
                var place = new MadePlace($"{missing[i].To}", MadeAs.Folder);
                // One that was noted before was made earlier in this pass, or by a pass that was broken off.
                if (made[i].WasThere && noted.Contains(place))
                    await ledger.ForgetMadeAsync(place, cancel);
            }
        }
        var pages = await ledger.OpenAsync(
            [
                .. folders.Select(f => new PageOpening(f.From.Path, f.To, f.Cursor.Epoch, f.There?.Epoch, f.There?.Next ?? 0)
                {
                    Found = f.Cursor.Count,
                }),
            ],
            cancel
        );
        for (var i = 0; i < pages.Count; i++)
        {
            var (folder, page) = (folders[i], pages[i]);
            folder.Page = page;
            // Only with a new page, so that the next pass does not repeat it in the journal.
            if (page.IsNew && folder.Work.Landing.Note is { } note)
                journal($"folder '{folder.From.Path}' {(folder.To is null ? "stays behind" : $"lands in '{folder.To}'")}: {note}");
            if (page.IsNew && folder.IsAlias)
                journal(
                    $"the new side takes '{folder.To}' for the name of a folder that it lists under another: what comes from "
                        + $"'{folder.From.Path}' lands in it, beside what it holds"
                );
            var wentBack =
                page.FromEpoch == folder.Cursor.Epoch && page.ToEpoch == folder.There?.Epoch && await HasGoneBackAsync(folder, cancel);
            if (page.FromEpoch != folder.Cursor.Epoch || page.ToEpoch != folder.There?.Epoch || wentBack)
            {
                if (wentBack)
                    journal(
                        $"the new side has lost numbers of '{folder.To}' that it had given out; what is there is matched again by identity"
                    );
                else if (folder.To is not null)
                    journal(
                        $"the {(page.FromEpoch == folder.Cursor.Epoch ? "new" : "old")} side numbered the messages of '{folder.From.Path}"
                            + "' anew; they are matched again by identity"
                    );
                folder.IsMatchedAnew = true;
                await ledger.ForgetEntriesAsync(page.Id, folder.Cursor.Epoch, folder.There?.Epoch, cancel);
                // Whatever is there may be what we carried under the old numbers, so all of it is looked at, whatever the rule on doubles
                // says.
                folder.Page = page with
                {
                    FromEpoch = folder.Cursor.Epoch,
                    ToEpoch = folder.There?.Epoch,
                    ToBaseNext = 0,
                    Cursor = null,
                    Seen = null,
                };
            }
            else if (!page.IsNew)
            {
                if (page.LeftWhole)
                    await ledger.RetryFolderAsync(page.Id, cancel);
                folder.Settled = await ledger.SettledAsync(page.Id, cancel);
            }
        }
    }

    /// <summary>
    /// A server that was restored, or lost its index, may give out numbers a second time: then the ledger's numbers mean other messages,
    /// though the epoch is the same (RFC 9051 §2.3.1.1 forbids it).
    /// </summary>
    private async Task<bool> HasGoneBackAsync(FolderJob folder, CancellationToken cancel)
    {
        if (folder.Page.IsNew || folder.There is not { } there)
            return false;
        if (folder.Page.Seen is { } seen && !folder.MadeNow && folder.Page.Cursor is not null)
            return there.Next < seen.Next;
        var claimed = await ledger.ClaimedAsync(folder.To!, there.Epoch, cancel);
        return claimed.Live.Or(claimed.Gone).From(there.Next).Count > 0;
    }
}
