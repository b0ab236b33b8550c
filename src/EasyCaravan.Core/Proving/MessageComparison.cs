using System.IO.Hashing;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>Entries of one page that are to be read on both sides.</summary>
internal sealed record ComparedPage(LedgerFolder Page, IReadOnlyList<LedgerEntry> Entries);

/// <summary>How a message that was carried stands on the to side.</summary>
internal enum CarriedIs
{
    Same,
    FlagsChanged,
    Different,
    NotThere,
    Unreadable,

    /// <summary>It has left the from side.</summary>
    WithoutOriginal,
}

/// <summary>Reads messages on both sides, octet by octet, and says in words how those differ that do.</summary>
/// <param name="look">Told of each message of the from side that was read.</param>
internal sealed class MessageComparison(IMailAccount from, IMailAccount to, CarryRules rules, RateLimiters pace, Action? look = null)
{
    private static readonly FlagSet s_seen = FlagSet.Of(["\\Seen"]);
    private static readonly FlagSet s_deleted = FlagSet.Of(["\\Deleted"]);

    /// <summary>What one side shows of a message.</summary>
    /// <param name="Index">Its date and flags, where the service told them along.</param>
    private readonly record struct Octets(UInt128 Digest, ByteCount Size, ItemInfo? Index);

    /// <summary>Messages of the from side that were read, and their octets.</summary>
    public long Compared { get; private set; }

    public ByteCount OctetsRead { get; private set; }

    /// <param name="withIndex">Dates and flags are compared too.</param>
    public async Task<List<Difference>> CompareAsync(IReadOnlyList<ComparedPage> pages, bool withIndex, CancellationToken cancel)
    {
        if (pages.Count == 0)
            return [];
        var (here, there, _) = await ReadBothAsync(pages, withIndex, cancel);
        var differences = new List<Difference>();
        for (var i = 0; i < pages.Count; i++)
            differences.AddRange(await ComparePageAsync(i, pages[i], here, there, withIndex, cancel));
        return differences;
    }

    /// <summary>
    /// Which entries are on both sides as they were carried, octet by octet and flag by flag; and what is with the others.
    /// </summary>
    /// <param name="keepsKeywords">The to side is known to keep any keyword, so that one which lacks was taken away.</param>
    /// <param name="deleted">Entries, by number, on whose messages we ourselves may have set the mark of deletion.</param>
    public async Task<IReadOnlyDictionary<uint, CarriedIs>> JudgeAsync(
        LedgerFolder page,
        IReadOnlyList<LedgerEntry> entries,
        bool keepsKeywords,
        IReadOnlySet<uint> deleted,
        CancellationToken cancel
    )
    {
        var (here, there, unreadable) = await ReadBothAsync([new ComparedPage(page, entries)], withIndex: true, cancel);
        var verdicts = new Dictionary<uint, CarriedIs>();
        var unlike = new List<LedgerEntry>();
        foreach (var entry in entries)
        {
            var (original, copy) = (new ItemAt(0, entry.Number), new ItemAt(0, entry.Landed!.Value));
            if (unreadable[0].ContainsKey(original) || unreadable[1].ContainsKey(copy))
                verdicts[entry.Number] = CarriedIs.Unreadable;
            else if (!there.TryGetValue(copy, out var landed))
                verdicts[entry.Number] = CarriedIs.NotThere;
            else if (!here.TryGetValue(original, out var first))
                verdicts[entry.Number] = CarriedIs.WithoutOriginal;
            else if (first.Digest != landed.Digest)
                unlike.Add(entry);
            else
                verdicts[entry.Number] = CarriedIs.Same;
        }
        if (unlike.Count > 0)
        {
            // Some servers store line ends and NUL octets in another way (see PeculiarOctets): nobody changed those.
            var digests = await Task.WhenAll(
                ReadDigestsAsync(from, page.From, new NumberSet(unlike.Select(e => e.Number)), cancel),
                ReadDigestsAsync(to, page.To!, new NumberSet(unlike.Select(e => e.Landed!.Value)), cancel)
            );
            foreach (var entry in unlike)
                verdicts[entry.Number] =
                    digests[0].TryGetValue(entry.Number, out var original)
                    && digests[1].TryGetValue(entry.Landed!.Value, out var copy)
                    && original.Whole == copy.Whole
                        ? CarriedIs.Same
                        : CarriedIs.Different;
        }
        var same = entries.Where(e => verdicts[e.Number] is CarriedIs.Same).ToList();
        var index = await ReadIndexAsync(to, page.To!, same.Select(e => e.Landed!.Value), 0, there, cancel);
        foreach (var entry in same)
            if (!index.TryGetValue(entry.Landed!.Value, out var now))
                verdicts[entry.Number] = CarriedIs.NotThere;
            else if (FlagsChanged(entry, now.Flags, keepsKeywords, deleted.Contains(entry.Number)))
                verdicts[entry.Number] = CarriedIs.FlagsChanged;
        return verdicts;
    }

    /// <summary>To have read a message is not to have changed it.</summary>
    private bool FlagsChanged(LedgerEntry entry, FlagSet now, bool keepsKeywords, bool mayBeDeleted)
    {
        var wanted = Marked(rules.Mail.DropKeywords ? entry.Flags.WithoutKeywords() : entry.Flags);
        var lacking = wanted.Except(now).Except(s_seen);
        var more = now.Except(wanted).Except(s_seen);
        return (mayBeDeleted ? more.Except(s_deleted) : more).Flags.Length > 0
            || (keepsKeywords ? lacking : lacking.WithoutKeywords()).Flags.Length > 0;
    }

    private FlagSet Marked(FlagSet flags) => rules.Mail.Mark is { } mark ? FlagSet.Of([.. flags.Flags, mark]) : flags;

    private async Task<(
        Dictionary<ItemAt, Octets> Here,
        Dictionary<ItemAt, Octets> There,
        IReadOnlyDictionary<ItemAt, Fault>[] Unreadable
    )> ReadBothAsync(IReadOnlyList<ComparedPage> pages, bool withIndex, CancellationToken cancel)
    {
        var here = new Dictionary<ItemAt, Octets>();
        var there = new Dictionary<ItemAt, Octets>();
        // Both sides at once: each waits for its own server alone.
        var unreadable = await Task.WhenAll(
            ReadAsync(
                from,
                [.. pages.Select(p => (p.Page.From, new NumberSet(p.Entries.Select(e => e.Number))))],
                here,
                pace,
                look,
                withIndex,
                cancel
            ),
            ReadAsync(
                to,
                [.. pages.Select(p => (p.Page.To!, new NumberSet(p.Entries.Select(e => e.Landed!.Value))))],
                there,
                null,
                null,
                withIndex,
                cancel
            )
        );
        Compared += here.Count;
        OctetsRead += here.Values.Sum(o => o.Size);
        return (here, there, unreadable);
    }

    private static async Task<IReadOnlyDictionary<ItemAt, Fault>> ReadAsync(
        IMailAccount account,
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        Dictionary<ItemAt, Octets> read,
        RateLimiters? pace,
        Action? look,
        bool withIndex,
        CancellationToken cancel
    )
    {
        var reader = await account.ReadMessagesAsync(folders, cancel, withIndex);
        var hash = new XxHash128();
        while (await reader.NextAsync(cancel) is { } message)
        {
            if (pace?.Bounds == true)
                await pace.TakeAsync(message.Size, cancel);
            while (await reader.ReadAsync(cancel) is { Length: > 0 } piece)
                hash.Append(piece.Span);
            read[new ItemAt(message.Folder, message.Number)] = new Octets(hash.GetCurrentHashAsUInt128(), message.Size, reader.Index);
            hash.Reset();
            pace?.Count();
            look?.Invoke();
        }
        return reader.Unreadable;
    }

    private async Task<List<Difference>> ComparePageAsync(
        int at,
        ComparedPage page,
        Dictionary<ItemAt, Octets> here,
        Dictionary<ItemAt, Octets> there,
        bool withIndex,
        CancellationToken cancel
    )
    {
        var found = new List<(LedgerEntry Entry, DifferenceKind Kind, string What)>();
        var unlike = new List<LedgerEntry>();
        var present = new List<LedgerEntry>();
        foreach (var entry in page.Entries)
        {
            // What is no longer on the old side was deleted there since the last pass.
            if (!here.TryGetValue(new ItemAt(at, entry.Number), out var original))
                continue;
            if (!there.TryGetValue(new ItemAt(at, entry.Landed!.Value), out var copy))
            {
                found.Add(
                    (
                        entry,
                        DifferenceKind.Missing,
                        $"it is no longer in '{page.Page.To}' on the new side: somebody there deleted or moved it"
                    )
                );
                continue;
            }
            present.Add(entry);
            if (original.Digest != copy.Digest)
                unlike.Add(entry);
        }
        foreach (var (entry, what) in await DescribeUnlikeAsync(page.Page, unlike, at, here, there, cancel))
            found.Add((entry, DifferenceKind.Altered, what));
        if (withIndex)
            found.AddRange(await CompareIndexAsync(at, page.Page, present, here, there, cancel));
        return await WithLabelsAsync(page.Page, found, cancel);
    }

    /// <summary>
    /// How octets differ. A paired message may have come another way, with other trace headers: its body has to be the same.
    /// </summary>
    private async Task<List<(LedgerEntry Entry, string What)>> DescribeUnlikeAsync(
        LedgerFolder page,
        List<LedgerEntry> unlike,
        int at,
        Dictionary<ItemAt, Octets> here,
        Dictionary<ItemAt, Octets> there,
        CancellationToken cancel
    )
    {
        var told = new List<(LedgerEntry, string)>();
        if (unlike.Count == 0)
            return told;
        var digests = await Task.WhenAll(
            ReadDigestsAsync(from, page.From, new NumberSet(unlike.Select(e => e.Number)), cancel),
            ReadDigestsAsync(to, page.To!, new NumberSet(unlike.Select(e => e.Landed!.Value)), cancel)
        );
        foreach (var entry in unlike)
        {
            var (number, place) = (entry.Number, entry.Landed!.Value);
            if (!digests[0].TryGetValue(number, out var original) || !digests[1].TryGetValue(place, out var copy))
                continue;
            var sameBody = original.Body == copy.Body;
            if (entry.Outcome is Outcome.Paired && sameBody)
                continue;
            var (sizeHere, sizeThere) = (here[new ItemAt(at, number)].Size, there[new ItemAt(at, place)].Size);
            told.Add(
                (
                    entry,
                    original.Whole == copy.Whole
                        ? "the new side stores its line ends or NUL octets in another way; nothing else of it is changed"
                    : sameBody ? $"its header is not the same on the new side ({sizeHere} octets here, {sizeThere} there)"
                    : $"its body is not the same on the new side ({sizeHere} octets here, {sizeThere} there)"
                )
            );
        }
        return told;
    }

    /// <summary>Digests that are blind to what some servers change when they store, of whole messages and of their bodies alone.</summary>
    private static async Task<Dictionary<uint, (UInt128 Whole, UInt128 Body)>> ReadDigestsAsync(
        IMailAccount account,
        FolderPath path,
        NumberSet numbers,
        CancellationToken cancel
    )
    {
        var digests = new Dictionary<uint, (UInt128, UInt128)>();
        var reader = await account.ReadMessagesAsync([(path, numbers)], cancel);
        while (await reader.NextAsync(cancel) is { } message)
        {
            var (whole, body) = (new BodyDigest(whole: true), new BodyDigest());
            while (await reader.ReadAsync(cancel) is { Length: > 0 } piece)
            {
                whole.Append(piece.Span);
                body.Append(piece.Span);
            }
            digests[message.Number] = (whole.Value, body.Value);
        }
        return digests;
    }

    private async Task<List<(LedgerEntry Entry, DifferenceKind Kind, string What)>> CompareIndexAsync(
        int at,
        LedgerFolder page,
        List<LedgerEntry> present,
        Dictionary<ItemAt, Octets> octetsHere,
        Dictionary<ItemAt, Octets> octetsThere,
        CancellationToken cancel
    )
    {
        var found = new List<(LedgerEntry, DifferenceKind, string)>();
        var both = await Task.WhenAll(
            ReadIndexAsync(from, page.From, present.Select(e => e.Number), at, octetsHere, cancel),
            ReadIndexAsync(to, page.To!, present.Select(e => e.Landed!.Value), at, octetsThere, cancel)
        );
        foreach (var entry in present)
        {
            if (!both[0].TryGetValue(entry.Number, out var original) || !both[1].TryGetValue(entry.Landed!.Value, out var copy))
                continue;
            // The same moment may be told in another zone. A paired message keeps the date that it came with.
            if (entry.Outcome is Outcome.Carried && original.Received.ToUnixTimeSeconds() != copy.Received.ToUnixTimeSeconds())
                found.Add(
                    (
                        entry,
                        DifferenceKind.Altered,
                        $"its date of receipt is {copy.Received:yyyy-MM-dd HH:mm:ss zzz} on the new side instead of "
                            + $"{original.Received:yyyy-MM-dd HH:mm:ss zzz}"
                    )
                );
            var now = rules.Mail.DropKeywords ? original.Flags.WithoutKeywords() : original.Flags;
            // What changed on the old side since the last pass is the next pass's to carry.
            if (!now.Equals(entry.Flags) || entry.Outcome is not Outcome.Carried)
                continue;
            var wanted = Marked(now);
            if (wanted.Equals(copy.Flags))
                continue;
            var (lacking, more) = (wanted.Except(copy.Flags), copy.Flags.Except(wanted));
            if (lacking.Flags.Length + more.Flags.Length > 0)
                found.Add(
                    (
                        entry,
                        DifferenceKind.Flags,
                        $"its flags on the new side were changed by its owner there, or are not kept:{Words("without", lacking)}"
                            + $"{Words("with", more)}"
                    )
                );
        }
        return found;
    }

    /// <summary>What came along with the octets, and of the others what the folder's index says.</summary>
    private static async Task<Dictionary<uint, ItemInfo>> ReadIndexAsync(
        IMailAccount account,
        FolderPath path,
        IEnumerable<uint> numbers,
        int at,
        Dictionary<ItemAt, Octets> read,
        CancellationToken cancel
    )
    {
        var (index, untold) = (new Dictionary<uint, ItemInfo>(), new List<uint>());
        foreach (var number in numbers)
        {
            if (read[new ItemAt(at, number)].Index is { } told)
                index[number] = told;
            else
                untold.Add(number);
        }
        if (untold.Count == 0)
            return index;
        foreach (var item in await account.ListItemsAsync(path, new NumberSet(untold), new Dictionary<uint, Fault>(), cancel))
            index[item.Number] = item;
        return index;
    }

    private static string Words(string word, FlagSet flags) => flags.Flags.Length == 0 ? "" : $" {word} {flags.Written}";

    private async Task<List<Difference>> WithLabelsAsync(
        LedgerFolder page,
        List<(LedgerEntry Entry, DifferenceKind Kind, string What)> found,
        CancellationToken cancel
    )
    {
        if (found.Count == 0)
            return [];
        var labels = new Dictionary<uint, (string Subject, string Sender)>();
        var numbers = new NumberSet(found.Select(f => f.Entry.Number).Distinct());
        await from.ReadHeadersAsync(page.From, numbers, h => labels[h.Number] = MessageLabel.Read(h.Header), cancel);
        var items = (await from.ListItemsAsync(page.From, numbers, new Dictionary<uint, Fault>(), cancel)).ToDictionary(i => i.Number);
        return
        [
            .. found.Select(f =>
            {
                var (subject, sender) = labels.GetValueOrDefault(f.Entry.Number, ("", ""));
                items.TryGetValue(f.Entry.Number, out var item);
                return new Difference(
                    page.Id,
                    f.Entry.Number,
                    f.Entry.Landed!.Value,
                    f.Kind,
                    f.What,
                    item?.Size ?? f.Entry.Size,
                    item?.Received,
                    subject,
                    sender
                );
            }),
        ];
    }
}
