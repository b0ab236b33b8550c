using System.Globalization;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Messages and folders that were left behind, each with its cause.</summary>
internal sealed partial class Ledger
{
    public Task LeaveBehindAsync(long folder, IReadOnlyList<LeftBehindItem> items, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await InsertAsync(
                    db,
                    [new PageEntries(folder, [.. items.Select(i => new LedgerEntry(i.Number, null, Outcome.LeftBehind, FlagSet.Empty))])],
                    cancel
                );
                foreach (var item in items)
                {
                    var row = await db
                        .LeftBehind.AsTracking()
                        .FirstOrDefaultAsync(i => i.FolderId == folder && i.Number == item.Number, cancel);
                    if (row is null)
                        db.LeftBehind.Add(
                            row = new LeftBehindRow
                            {
                                FolderId = folder,
                                Number = item.Number,
                                Whom = "",
                                What = "",
                                Received = "",
                                Subject = "",
                                Sender = "",
                            }
                        );
                    (row.Cause, row.Whom, row.What, row.Code) = (item.Fault.Cause, item.Fault.Whom, item.Fault.What, item.Fault.Code);
                    row.Help = item.Fault.Help;
                    (row.Size, row.Received, row.Subject, row.Sender) = (
                        item.Size.Count,
                        item.Received.ToString("O", CultureInfo.InvariantCulture),
                        item.Subject,
                        item.Sender
                    );
                    (row.State, row.AcceptedBy, row.AcceptedBecause, row.Choice) = (LeftBehindState.Open, null, null, null);
                }
                // Written at once, not at the end of the pass: a person may be waiting for it.
                await db.SaveChangesAsync(cancel);
                await Totals.UpdateLeftBehindAsync(db, Move, kind, cancel);
                return true;
            },
            cancel
        );

    public Task LeaveFolderBehindAsync(long folder, NumberSet numbers, Fault fault, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await InsertAsync(
                    db,
                    [new PageEntries(folder, [.. numbers.Select(n => new LedgerEntry(n, null, Outcome.LeftBehind, FlagSet.Empty))])],
                    cancel
                );
                await db.LeftBehind.Where(i => i.FolderId == folder && i.Number == 0).ExecuteDeleteAsync(cancel);
                db.LeftBehind.Add(
                    new LeftBehindRow
                    {
                        FolderId = folder,
                        Number = 0,
                        Messages = numbers.Count,
                        Cause = fault.Cause,
                        Whom = fault.Whom,
                        What = fault.What,
                        Code = fault.Code,
                        Help = fault.Help,
                        Received = DateTimeOffset.UnixEpoch.ToString("O", CultureInfo.InvariantCulture),
                        Subject = "",
                        Sender = "",
                    }
                );
                await db.SaveChangesAsync(cancel);
                await db
                    .LedgerFolders.Where(f => f.Id == folder)
                    .ExecuteUpdateAsync(set => set.SetProperty(f => f.LeftWhole, true), cancel);
                await Totals.UpdateLeftBehindAsync(db, Move, kind, cancel);
                return true;
            },
            cancel
        );

    public Task RetryFolderAsync(long folder, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                await RefusedFolders.RetryAsync(db, folder, cancel);
                await Totals.UpdateLeftBehindAsync(db, Move, kind, cancel);
                return true;
            },
            cancel
        );
}
