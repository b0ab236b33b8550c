using System.IO.Hashing;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Proving;

/// <summary>Entries of one page that are to be read on both sides.</summary>
internal sealed record ComparedPage(LedgerFolder Page, IReadOnlyList<LedgerEntry> Entries);

/// <summary>Reads messages on both sides, octet by octet, and says in words how those differ that do.</summary>
internal sealed class MessageComparison(IMailAccount from, IMailAccount to, CarryRules rules, Paces pace)
{
    /// <summary>What one side shows of a message.</summary>
    private readonly record struct Octets(UInt128 Digest, long Size);

    /// <summary>Messages of the from side that were read, and their octets.</summary>
    public long Compared { get; private set; }

    public long OctetsRead { get; private set; }

    /// <param name="withIndex">Dates and flags are compared too; it costs two more round trips a folder.</param>
    public async Task<List<Difference>> CompareAsync(IReadOnlyList<ComparedPage> pages, bool withIndex, CancellationToken cancel)
    {
        var here = new Dictionary<ItemAt, Octets>();
        var there = new Dictionary<ItemAt, Octets>();
        // Both sides at once: each waits for its own server alone.
        await Task.WhenAll(
            ReadAsync(from, [.. pages.Select(p => (p.Page.From, new NumberSet(p.Entries.Select(e => e.Number))))], here, pace, cancel),
            ReadAsync(to, [.. pages.Select(p => (p.Page.To!, new NumberSet(p.Entries.Select(e => e.Landed!.Value))))], there, null, cancel));
        Compared += here.Count;
        OctetsRead += here.Values.Sum(o => o.Size);
        var differences = new List<Difference>();
        for (var i = 0; i < pages.Count; i++) differences.AddRange(await ComparePageAsync(i, pages[i], here, there, withIndex, cancel));
        return differences;
    }

    private static async Task ReadAsync(IMailAccount account, IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders, Dictionary<ItemAt, Octets> read, Paces? pace, CancellationToken cancel)
    {
        var reader = await account.ReadMessagesAsync(folders, cancel);
        var hash = new XxHash128();
        while (await reader.NextAsync(cancel) is { } message)
        {
            if (pace?.Bounds == true) await pace.TakeAsync(message.Size, cancel);
            while (await reader.ReadAsync(cancel) is { Length: > 0 } piece) hash.Append(piece.Span);
            read[new ItemAt(message.Folder, message.Number)] = new Octets(hash.GetCurrentHashAsUInt128(), message.Size);
            hash.Reset();
            pace?.Count();
        }
    }

    private async Task<List<Difference>> ComparePageAsync(int at, ComparedPage page, Dictionary<ItemAt, Octets> here, Dictionary<ItemAt, Octets> there, bool withIndex, CancellationToken cancel)
    {
        var found = new List<(LedgerEntry Entry, DifferenceKind Kind, string What)>();
        var unlike = new List<LedgerEntry>();
        var present = new List<LedgerEntry>();
        foreach (var entry in page.Entries)
        {
            // What is no longer on the old side was deleted there since the last pass.
            if (!here.TryGetValue(new ItemAt(at, entry.Number), out var original)) continue;
            if (!there.TryGetValue(new ItemAt(at, entry.Landed!.Value), out var copy))
            {
                found.Add((entry, DifferenceKind.Missing, $"it is no longer in '{page.Page.To}' on the new side: somebody there deleted or moved it"));
                continue;
            }
            present.Add(entry);
            if (original.Digest != copy.Digest) unlike.Add(entry);
        }
        foreach (var (entry, what) in await DescribeUnlikeAsync(page.Page, unlike, at, here, there, cancel)) found.Add((entry, DifferenceKind.Altered, what));
        if (withIndex) found.AddRange(await CompareIndexAsync(page.Page, present, cancel));
        return await WithLabelsAsync(page.Page, found, cancel);
    }

    /// <summary>How octets differ. A paired message may have come another way, with other trace headers: its body has to be the same.</summary>
    private async Task<List<(LedgerEntry Entry, string What)>> DescribeUnlikeAsync(
        LedgerFolder page, List<LedgerEntry> unlike, int at, Dictionary<ItemAt, Octets> here, Dictionary<ItemAt, Octets> there, CancellationToken cancel)
    {
        var told = new List<(LedgerEntry, string)>();
        if (unlike.Count == 0) return told;
        var numbers = new NumberSet(unlike.Select(e => e.Number));
        var landed = new NumberSet(unlike.Select(e => e.Landed!.Value));
        var (wholeHere, wholeThere) = (await BodyDigest.ReadAsync(from, page.From, numbers, cancel, whole: true), await BodyDigest.ReadAsync(to, page.To!, landed, cancel, whole: true));
        var (bodyHere, bodyThere) = (await BodyDigest.ReadAsync(from, page.From, numbers, cancel), await BodyDigest.ReadAsync(to, page.To!, landed, cancel));
        foreach (var entry in unlike)
        {
            var (number, place) = (entry.Number, entry.Landed!.Value);
            if (!wholeHere.TryGetValue(number, out var one) || !wholeThere.TryGetValue(place, out var other)) continue;
            var sameBody = bodyHere[number] == bodyThere[place];
            if (entry.Outcome is Outcome.Paired && sameBody) continue;
            var (sizeHere, sizeThere) = (here[new ItemAt(at, number)].Size, there[new ItemAt(at, place)].Size);
            told.Add((entry, one == other
                ? "the new side stores its line ends or NUL octets in another way; nothing else of it is changed"
                : sameBody
                    ? $"its header is not the same on the new side ({sizeHere} octets here, {sizeThere} there)"
                    : $"its body is not the same on the new side ({sizeHere} octets here, {sizeThere} there)"));
        }
        return told;
    }

    private async Task<List<(LedgerEntry Entry, DifferenceKind Kind, string What)>> CompareIndexAsync(LedgerFolder page, List<LedgerEntry> present, CancellationToken cancel)
    {
        var found = new List<(LedgerEntry, DifferenceKind, string)>();
        if (present.Count == 0) return found;
        var both = await Task.WhenAll(
            from.ListItemsAsync(page.From, new NumberSet(present.Select(e => e.Number)), new Dictionary<uint, Fault>(), cancel),
            to.ListItemsAsync(page.To!, new NumberSet(present.Select(e => e.Landed!.Value)), new Dictionary<uint, Fault>(), cancel));
        var (here, there) = (both[0].ToDictionary(i => i.Number), both[1].ToDictionary(i => i.Number));
        foreach (var entry in present)
        {
            if (!here.TryGetValue(entry.Number, out var original) || !there.TryGetValue(entry.Landed!.Value, out var copy)) continue;
            // The same moment may be told in another zone. A paired message keeps the date that it came with.
            if (entry.Outcome is Outcome.Carried && original.Received.ToUnixTimeSeconds() != copy.Received.ToUnixTimeSeconds())
                found.Add((entry, DifferenceKind.Altered, $"its date of receipt is {copy.Received:yyyy-MM-dd HH:mm:ss zzz} on the new side instead of {original.Received:yyyy-MM-dd HH:mm:ss zzz}"));
            var now = rules.Mail.DropKeywords ? original.Flags.WithoutKeywords() : original.Flags;
            // What changed on the old side since the last pass is the next pass's to carry.
            if (!now.Equals(entry.Flags) || entry.Outcome is not Outcome.Carried) continue;
            var wanted = rules.Mail.Mark is { } mark ? FlagSet.Of([.. now.Flags, mark]) : now;
            var (lacking, more) = (wanted.Except(copy.Flags), copy.Flags.Except(wanted));
            if (lacking.Flags.Length + more.Flags.Length > 0) found.Add((entry, DifferenceKind.Flags, $"its flags on the new side were changed by its owner there, or are not kept:{Words("without", lacking)}{Words("with", more)}"));
        }
        return found;
    }

    private static string Words(string word, FlagSet flags) => flags.Flags.Length == 0 ? "" : $" {word} {flags.Written}";

    private async Task<List<Difference>> WithLabelsAsync(LedgerFolder page, List<(LedgerEntry Entry, DifferenceKind Kind, string What)> found, CancellationToken cancel)
    {
        if (found.Count == 0) return [];
        var labels = new Dictionary<uint, (string Subject, string Sender)>();
        var numbers = new NumberSet(found.Select(f => f.Entry.Number).Distinct());
        await from.ReadHeadersAsync(page.From, numbers, h => labels[h.Number] = MessageLabel.Read(h.Header), cancel);
        var items = (await from.ListItemsAsync(page.From, numbers, new Dictionary<uint, Fault>(), cancel)).ToDictionary(i => i.Number);
        return [.. found.Select(f =>
        {
            var (subject, sender) = labels.GetValueOrDefault(f.Entry.Number, ("", ""));
            items.TryGetValue(f.Entry.Number, out var item);
            return new Difference(page.Id, f.Entry.Number, f.Entry.Landed!.Value, f.Kind, f.What, item?.Size ?? f.Entry.Size, item?.Received, subject, sender);
        })];
    }
}
