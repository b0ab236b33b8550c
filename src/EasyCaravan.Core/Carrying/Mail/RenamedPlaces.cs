using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Folders that their owner renamed on the to side after mail had landed in them. What is there stays where its owner wants it, and what is
/// new goes there too: made again under its old name, the folder would hold everything a second time.
/// </summary>
internal static class RenamedPlaces
{
    /// <summary>Looks for places that are gone and stand there under another name, and follows them in the ledger.</summary>
    /// <remarks>
    /// A folder keeps its epoch when it is renamed, and no two folders need to have the same: its next number has to fit as well, and its
    /// count.
    /// </remarks>
    public static async Task<IReadOnlyList<LedgerFolder>> FollowAsync(
        IReadOnlyList<LedgerFolder> pages,
        IReadOnlyList<FolderState> toFolders,
        ILedger ledger,
        Action<string> journal,
        CancellationToken cancel
    )
    {
        var standing = toFolders.Select(f => f.Path).ToHashSet();
        var lost = pages.Where(p => p is { To: not null, Seen: { Count: > 0 } } && !standing.Contains(p.To)).GroupBy(p => p.To!).ToList();
        if (lost.Count == 0)
            return pages;
        var used = pages.Where(p => p.To is not null).Select(p => p.To!).ToHashSet();
        var free = toFolders.Where(f => f.Selectable && f.Cursor is not null && !used.Contains(f.Path)).ToList();
        var followed = pages.ToList();
        foreach (var place in lost)
        {
            var seen = place.First().Seen!;
            var fitting = free.Where(f => f.Cursor!.Epoch == seen.Epoch && f.Cursor.Next >= seen.Next && f.Cursor.Count > 0).ToList();
            if (fitting is not [var now])
                continue;
            free.Remove(now);
            foreach (var page in place)
            {
                await ledger.RenamePlaceAsync(page.Id, now.Path, cancel);
                followed[followed.FindIndex(p => p.Id == page.Id)] = page with { To = now.Path, RenamedFrom = page.RenamedFrom ?? page.To };
            }
            journal(
                $"its owner renamed the folder '{place.Key}' on the new side to '{now.Path}'; what comes from '{place.First().From}' "
                    + "goes there from now on"
            );
        }
        return followed;
    }

    /// <summary>The landings with places under the names that their owners gave them.</summary>
    public static IEnumerable<FolderLanding> Apply(
        IEnumerable<FolderLanding> landings,
        IReadOnlyList<LedgerFolder> pages,
        IReadOnlyList<FolderState> toFolders
    )
    {
        var renamed = pages
            .Where(p => p.RenamedFrom is not null)
            .GroupBy(p => (p.From, p.RenamedFrom!))
            .ToDictionary(g => g.Key, g => g.First().To!);
        if (renamed.Count == 0)
            return landings;
        var standing = toFolders.Select(f => f.Path).ToHashSet();
        return landings.Select(l =>
            l.To is { } to && !standing.Contains(to) && renamed.TryGetValue((l.From.Path, to), out var now) && standing.Contains(now)
                ? l with
                {
                    To = now,
                }
                : l
        );
    }
}
