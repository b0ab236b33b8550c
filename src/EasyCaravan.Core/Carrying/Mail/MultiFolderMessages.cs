using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Messages that stand in several folders of the from side: because its service shows labels as folders, or because a folder is only a
/// view of what stands in the others (RFC 6154 §2, <c>\All</c> and <c>\Flagged</c>).
/// </summary>
public sealed class MultiFolderMessages(ILedger ledger, Labels labels, Tally tally, Action<string> journal)
{
    /// <summary>Null for accounts in which every message stands in one folder and no rule asks for more.</summary>
    public static MultiFolderMessages? For(FolderMap map, Labels labels, ILedger ledger, Tally tally, Action<string> journal) =>
        labels is Labels.OnceWithKeyword || map.Landings.Any(l => l.To is not null && IsView(l.From))
            ? new MultiFolderMessages(ledger, labels, tally, journal)
            : null;

    public static bool IsView(FolderState folder) => folder.Use is SpecialUse.All or SpecialUse.Flagged;

    /// <summary>
    /// The folder that a message is carried from comes first: the inbox, then folders with a use, then the others by name; views last.
    /// </summary>
    public static int Rank(FolderState folder) =>
        folder switch
        {
            _ when IsView(folder) => folder.Use is SpecialUse.All ? 4 : 3,
            { Path.IsInbox: true } => 0,
            { Use: not SpecialUse.None } => 1,
            _ => 2,
        };

    /// <summary>Settles those of the items that another folder has given to the to side already.</summary>
    public async Task SettleAsync(
        LedgerFolder page,
        Dictionary<uint, ItemInfo> items,
        IMailAccount from,
        IMailAccount to,
        bool isView,
        CancellationToken cancel
    )
    {
        if (items.Count == 0)
            return;
        var keys = await MessageKeys.ReadAsync(from, page.From, new NumberSet(items.Keys), cancel);
        // Before anything is carried: after a crash in between, another folder's copy would not be recognised.
        await ledger.RecordKeysAsync(page.Id, keys, cancel);
        if (!isView && labels is Labels.EachFolder)
            return;
        var twins = (await ledger.FindKeysAsync([.. keys.Values.Distinct()], cancel))
            .Where(t =>
                t.Folder != page.Id
                && t.To is not null
                && t.Entry.Outcome is Outcome.Carried or Outcome.Paired
                && t.Entry.Landed is not null
            )
            .ToLookup(t => t.Key);
        var settled = new List<(LedgerEntry Entry, KeyedEntry Twin)>();
        foreach (var (number, key) in keys)
        {
            if (!items.TryGetValue(number, out var item) || twins[key].FirstOrDefault() is not { } twin)
                continue;
            settled.Add((new LedgerEntry(number, null, isView ? Outcome.Excluded : Outcome.Paired, item.Flags) { Size = item.Size }, twin));
            items.Remove(number);
        }
        if (settled.Count == 0)
            return;
        if (!isView)
            await MarkAsync(to, settled.Select(s => s.Twin), FlagSet.Of([KeywordFor(page.From)]), cancel);
        await ledger.RecordAsync(page.Id, [.. settled.Select(s => s.Entry)], cancel);
        if (isView)
        {
            tally.Exclude(settled.Count);
            journal(
                $"{settled.Count} message(s) of '{page.From}' stand in another folder too and are carried from there: here they count as "
                    + "excluded"
            );
        }
        else
        {
            tally.Pair(settled.Count);
            journal(
                $"{settled.Count} message(s) of '{page.From}' stand in another folder too: there they have the keyword "
                    + $"{KeywordFor(page.From)}, here they count as paired"
            );
        }
    }

    private static async Task MarkAsync(IMailAccount to, IEnumerable<KeyedEntry> twins, FlagSet keyword, CancellationToken cancel)
    {
        foreach (var there in twins.GroupBy(t => t.To!))
            await to.ChangeFlagsAsync(
                there.Key,
                new NumberSet(there.Select(t => t.Entry.Landed!.Value).Distinct()),
                keyword,
                FlagSet.Empty,
                cancel
            );
    }

    /// <summary>
    /// A folder's name as a keyword: an atom (RFC 9051 §9), so what may not stand in one becomes an underscore, or its code beyond ASCII.
    /// </summary>
    public static string KeywordFor(FolderPath path)
    {
        var keyword = new StringBuilder();
        foreach (var c in path.ToString())
        {
            if (char.IsAsciiLetterOrDigit(c) || c is '-' or '.' or '/' or '$' or '&')
                keyword.Append(c);
            else if (char.IsAscii(c))
                keyword.Append('_');
            else
                keyword.Append(System.Globalization.CultureInfo.InvariantCulture, $"+{(int)c:X4}");
        }
        return keyword.ToString();
    }
}
