using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Leaves a folder behind that one of the sides refuses, so that it keeps no other folder waiting.
/// </summary>
internal sealed class RefusedFolder(IMailAccount from, ILedger ledger, Tally tally, Action<string> journal)
{
    /// <summary>All its messages that are not settled yet stay behind under one reason.</summary>
    public async Task LeaveFolderAsync(FolderWork work, Fault refused, CancellationToken cancel)
    {
        var cursor = work.Landing.From.Cursor!;
        var page = (
            await ledger.OpenAsync(
                [
                    new PageOpening(
                        work.Landing.From.Path,
                        work.Landing.To,
                        cursor.Epoch,
                        work.There?.Cursor?.Epoch,
                        work.There?.Cursor?.Next ?? 0
                    )
                    {
                        Found = cursor.Count,
                    },
                ],
                cancel
            )
        )[0];
        if (page.FromEpoch != cursor.Epoch)
            await ledger.ForgetEntriesAsync(page.Id, cursor.Epoch, page.ToEpoch, cancel);
        else if (page.LeftWhole)
            await ledger.RetryFolderAsync(page.Id, cancel);
        var settled = await ledger.SettledAsync(page.Id, cancel);
        // Where it is the old side that refuses, nobody knows the numbers: as many as it tells are left behind.
        var seen = (await from.VisitAsync([new FolderVisit(page.From, List: true)], cancel))[0];
        var present = seen.Numbers ?? (cursor.Count == 0 ? new NumberSet() : NumberSet.OfRange(1, cursor.Count));
        await ledger.MarkGoneAsync(page.Id, settled.Except(present), cancel);
        var left = present.Except(settled);
        await ledger.LeaveFolderBehindAsync(
            page.Id,
            left,
            refused with
            {
                Help = refused.Help ?? RemedyFor(page.From, isOfFrom: seen.Numbers is null),
            },
            cancel
        );
        await ledger.CompleteAsync([new PageEnd(page.Id, cursor, present.Count, null)], cancel);
        tally.Expect(left.Count - work.Estimate);
        tally.LeaveBehind(left.Count);
        journal($"folder '{page.From}' stays behind with {left.Count} message(s): {refused.What}");
    }

    /// <summary>The rule stands there as it has to stand in the plan, whatever characters the name holds.</summary>
    private static string RemedyFor(FolderPath path, bool isOfFrom) =>
        isOfFrom
            ? "Have the account given the right to read the folder, then have it tried again; or accept that it stays behind"
            : $"Send it elsewhere with a rule under 'folders' of the route, such as {{match: {{name: "
                + $"'{path.ToString().Replace("'", "''", StringComparison.Ordinal)}'}}, to: 'Another name'}}, and apply the plan; "
                + "or have the new side take it and have it tried again; or accept that it stays behind";
}
