using System.Runtime.CompilerServices;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Proof;

/// <summary>What became of each item of one folder or collection, by its number.</summary>
/// <param name="Epochs">Of the numbers of both sides (RFC 9051 §2.3.1.1); in another epoch a number is another item.</param>
/// <param name="Carried">As <see cref="ItemRuns"/> has them; null: none.</param>
/// <param name="Gone">Of all these, those that have since left the old side.</param>
internal sealed record SealedItems(
    string Kind,
    string From,
    string? To,
    long?[] Epochs,
    string? Carried,
    string? Paired,
    string? Excluded,
    string? LeftBehind,
    string? Gone
)
{
    /// <summary>Folder by folder of these moves, in one reading of the ledger.</summary>
    public static async IAsyncEnumerable<(long Move, SealedItems Items)> ReadAsync(
        CaravanDb db,
        IReadOnlyCollection<long> moves,
        [EnumeratorCancellation] CancellationToken cancel
    )
    {
        var rows =
            from item in db.LedgerItems
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            where moves.Contains(folder.MoveId)
            orderby item.FolderId, item.Number
            select new
            {
                folder,
                item.Number,
                item.Landed,
                item.Outcome,
                item.Gone,
            };
        LedgerFolderRow? current = null;
        var runs = NewRuns();
        var gone = new ItemRuns();
        await foreach (var row in rows.AsNoTracking().AsAsyncEnumerable().WithCancellation(cancel))
        {
            if (current is not null && current.Id != row.folder.Id)
            {
                yield return (current.MoveId, Of(current, runs, gone));
                (runs, gone) = (NewRuns(), new ItemRuns());
            }
            current = row.folder;
            runs[(int)row.Outcome].Add(row.Number, row.Landed);
            if (row.Gone)
                gone.Add(row.Number, null);
        }
        if (current is not null)
            yield return (current.MoveId, Of(current, runs, gone));
    }

    private static ItemRuns[] NewRuns() => [.. Enum.GetValues<Outcome>().Select(_ => new ItemRuns())];

    private static SealedItems Of(LedgerFolderRow folder, ItemRuns[] runs, ItemRuns gone) =>
        new(
            KebabWord.Of(folder.Kind),
            folder.From,
            folder.To.Length == 0 ? null : folder.To,
            [folder.FromEpoch, folder.ToEpoch],
            runs[(int)Outcome.Carried].End(),
            runs[(int)Outcome.Paired].End(),
            runs[(int)Outcome.Excluded].End(),
            runs[(int)Outcome.LeftBehind].End(),
            gone.End()
        );
}
