using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Store;

/// <summary>Converts a row to a page of the ledger.</summary>
public static class Pages
{
    public static LedgerFolder PageOf(LedgerFolderRow row)
    {
        var cursor = row.CursorNext is { } next
            ? new FolderCursor((uint)row.FromEpoch!, (uint)next, (ulong?)row.CursorMark, (uint)row.CursorCount!)
            : null;
        var counts = new FolderCounts(row.Found, row.Carried, row.Paired, row.Excluded, row.LeftBehind, row.Gone, row.Missing)
        {
            Twice = row.Twice,
            Altered = row.Altered,
            Undecided = row.Undecided,
            Octets = new ByteCount(row.Octets),
        };
        return new LedgerFolder(
            row.Id,
            FolderPath.Parse(row.From),
            row.To.Length == 0 ? null : FolderPath.Parse(row.To),
            (uint?)row.FromEpoch,
            (uint?)row.ToEpoch,
            (uint)row.ToBaseNext,
            cursor,
            row.Reopened,
            counts
        )
        {
            LeftWhole = row.LeftWhole,
            RenamedFrom = row.RenamedFrom is null ? null : FolderPath.Parse(row.RenamedFrom),
            Seen = row is { ToEpoch: { } epoch, SeenNext: { } seenNext, SeenCount: { } seenCount }
                ? new Membership((uint)epoch, (uint)seenNext, (uint)seenCount)
                : null,
        };
    }
}
