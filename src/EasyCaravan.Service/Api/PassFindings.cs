using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Service.Surveying;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>What passes found out about the new side, which no survey can see: what it makes of what it is given.</summary>
internal static class PassFindings
{
    /// <param name="most">Rows of each finding.</param>
    /// <param name="only">Moves to be looked at; null: all of the batch.</param>
    public static async Task<List<FindingGroup>> LoadAsync(
        Database database,
        SurveyedBatch surveyed,
        int most,
        CancellationToken cancel,
        IReadOnlyCollection<long>? only = null
    )
    {
        await using var db = database.Read();
        var batch = surveyed.Batch.Name;
        FindingGroup?[] all =
        [
            // What is altered is accepted message by message, and shows it.
            GroupOf(FindingCode.AltersMessages, await AlteredAsync(db, batch, only, cancel), most, [], []),
            GroupOf(
                FindingCode.PropertiesLost,
                await LostAsync(db, surveyed, only, cancel),
                most,
                SurveyApi.WaysOf(FindingCode.PropertiesLost),
                SurveyApi.DecisionsOf(surveyed, FindingCode.PropertiesLost)
            ),
        ];
        return [.. all.OfType<FindingGroup>()];
    }

    private sealed record Row(FindingRow View, long Move, bool IsOpen);

    private static FindingGroup? GroupOf(
        FindingCode code,
        List<Row> rows,
        int most,
        IReadOnlyList<WayView> ways,
        IReadOnlyList<DecisionView> decisions
    )
    {
        var rule = FindingRules.Of(code);
        return rows.Count == 0
            ? null
            : new FindingGroup(
                KebabWord.Of(code),
                ContractWord.To<FindingWeight>(rule.Weight),
                rule.Title,
                rule.Otherwise,
                rows.Select(r => r.Move).Distinct().Count(),
                rows.Where(r => r.IsOpen).Select(r => r.Move).Distinct().Count(),
                rows.Sum(r => r.View.Messages),
                rows.Sum(r => r.View.Octets),
                ways,
                decisions,
                [.. rows.Take(most).Select(r => r.View)]
            );
    }

    private static FindingRow RowOf(
        FindingCode code,
        string account,
        string name,
        string what,
        long items,
        long octets,
        string? remedy,
        string? decision = null
    ) =>
        new(
            KebabWord.Of(code),
            ContractWord.To<FindingWeight>(FindingRules.Of(code).Weight),
            account,
            name,
            what,
            items,
            octets,
            remedy,
            decision
        );

    /// <summary>What reading back has shown: a service that alters messages does so for everybody.</summary>
    private static async Task<List<Row>> AlteredAsync(CaravanDb db, string batch, IReadOnlyCollection<long>? only, CancellationToken cancel)
    {
        var rows = await (
            from difference in db.Differences
            where difference.Kind == DifferenceKind.Altered
            join folder in db.LedgerFolders on difference.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            where move.Batch == batch && (only == null || only.Contains(move.Id))
            group difference by new
            {
                move.Id,
                move.FromAccount,
                move.Name,
            } into own
            select new
            {
                own.Key.Id,
                own.Key.FromAccount,
                own.Key.Name,
                Messages = own.Count(),
                Open = own.Count(d => d.State != DifferenceState.Accepted),
                Octets = own.Sum(d => d.Size),
                What = own.Min(d => d.What),
            }
        ).ToListAsync(cancel);
        return rows.ConvertAll(r => new Row(
            RowOf(
                FindingCode.AltersMessages,
                r.FromAccount,
                r.Name,
                r.What!,
                r.Messages,
                r.Octets,
                $"See them with: caravan differences {batch}"
            ),
            r.Id,
            r.Open > 0
        ));
    }

    /// <summary>Properties of address books and calendars that the new side dropped when they were made there.</summary>
    private static async Task<List<Row>> LostAsync(
        CaravanDb db,
        SurveyedBatch surveyed,
        IReadOnlyCollection<long>? only,
        CancellationToken cancel
    )
    {
        var batch = surveyed.Batch.Name;
        var rows = await (
            from page in db.CollectionPages
            where page.Lost != null
            join folder in db.LedgerFolders on page.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            where move.Batch == batch && (only == null || only.Contains(move.Id))
            orderby move.Id, folder.Id
            select new
            {
                move.Id,
                move.FromAccount,
                move.Name,
                folder.From,
                folder.Kind,
                page.Lost,
            }
        ).ToListAsync(cancel);
        return rows.ConvertAll(r =>
        {
            var decided = Decision
                .InForce(SurveyCache.DecisionsOf(surveyed.Decisions, r.Id))
                .FirstOrDefault(d => d.Code is FindingCode.PropertiesLost);
            return new Row(
                RowOf(
                    FindingCode.PropertiesLost,
                    r.FromAccount,
                    r.Name,
                    $"the {(r.Kind is Kind.Contacts ? "address book" : "calendar")} '{r.From}' is there without its {r.Lost}",
                    0,
                    0,
                    null,
                    decided is null ? null : KebabWord.Of(decided.Way)
                ),
                r.Id,
                decided is null
            );
        });
    }
}
