using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying;

/// <summary>A message of the from side and the one on the to side that is the same.</summary>
/// <param name="Ours">It arrived since the page was opened: an append whose answer never came, not an earlier import.</param>
public sealed record Pair(ItemInfo Item, uint Landed, bool Ours);

/// <summary>Finds, in the folder where messages land, those that are there already without the ledger knowing.</summary>
/// <remarks>
/// What nobody claims in the ledger may come from an earlier import, from a forwarded copy, or from our own append whose answer was
/// lost. Every such message pairs at most once, so what legally stands twice on the from side still stands twice on the to side.
/// </remarks>
public sealed class Pairing
{
    /// <summary>Copies of one message may differ by this much, in octets, through trace headers and line ends, without a look at their bodies.</summary>
    public const long SizeSlack = 4096;

    private readonly LedgerFolder _page;
    private readonly IMailAccount _from;
    private readonly IMailAccount _to;
    private readonly Dictionary<Identity, List<Stranger>> _candidates;

    /// <summary>What the ledger knows already.</summary>
    private readonly NumberSet _kept;

    private Pairing(LedgerFolder page, IMailAccount from, IMailAccount to, IEnumerable<Stranger> candidates, NumberSet kept)
    {
        (_page, _from, _to, _kept) = (page, from, to, kept);
        _candidates = candidates.GroupBy(s => s.Print).ToDictionary(g => g.Key, g => g.ToList());
    }

    /// <summary>Looks at what the ledger does not know on the to side. What an earlier pass has seen of it is not read again.</summary>
    /// <param name="there">The numbers that the folder holds.</param>
    /// <param name="claimed">Those that pages of this move claim.</param>
    public static async Task<Pairing> PrepareAsync(
        LedgerFolder page, IMailAccount from, IMailAccount to, ILedger ledger, Doubles doubles, NumberSet there, NumberSet claimed, CancellationToken cancel)
    {
        var unknown = there.Except(claimed);
        // Keeping both copies is for what was there before us. Our own unclear appends are looked for in any case.
        if (doubles is Doubles.KeepBoth) unknown = unknown.From(page.ToBaseNext);
        var seen = await ledger.StrangersAsync(page.Id, cancel);
        var seenNumbers = new NumberSet(seen.Select(s => s.Number));
        if (unknown.Count == 0) return new Pairing(page, from, to, [], seenNumbers);
        var fresh = new List<Stranger>();
        await ReadAsync(to, page.To!, unknown.Except(seenNumbers), fresh.Add, cancel);
        return new Pairing(page, from, to, seen.Where(s => unknown.Contains(s.Number)).Concat(fresh), seenNumbers);
    }

    /// <summary>Notes what is still nobody's, so that the next pass need not read it again.</summary>
    public Task KeepLeftAsync(ILedger ledger, CancellationToken cancel)
    {
        var left = _candidates.Values.SelectMany(c => c).ToList();
        return ledger.KeepStrangersAsync(_page.Id, [.. left.Where(s => !_kept.Contains(s.Number))], _kept.Except(new NumberSet(left.Select(s => s.Number))), cancel);
    }

    private static Task ReadAsync(IMailAccount account, FolderPath path, NumberSet numbers, Action<Stranger> take, CancellationToken cancel)
    {
        // A service may tell a row twice; one message pairs once all the same.
        var told = new HashSet<uint>();
        return numbers.Count == 0 ? Task.CompletedTask : account.ReadHeadersAsync(path, numbers, h => { if (told.Add(h.Number)) take(new Stranger(h.Number, h.Size, Identity.Of(h.Header))); }, cancel);
    }

    public async Task<IReadOnlyList<Pair>> MatchAsync(IReadOnlyDictionary<uint, ItemInfo> items, CancellationToken cancel)
    {
        if (_candidates.Count == 0 || items.Count == 0) return [];
        var pairs = new List<Pair>();
        var doubtful = new List<Stranger>();
        var headers = new List<Stranger>();
        await ReadAsync(_from, _page.From, new NumberSet(items.Keys), h => { if (items.ContainsKey(h.Number) && _candidates.ContainsKey(h.Print)) headers.Add(h); }, cancel);
        foreach (var same in headers.GroupBy(h => h.Print))
        {
            var here = same.ToList();
            var there = _candidates[same.Key];
            if (same.Key.Certain && here.Count == 1 && there.Count == 1 && Math.Abs(here[0].Size - there[0].Size) <= SizeSlack) Take(items[here[0].Number], there[0], pairs);
            else doubtful.AddRange(here);
        }
        await MatchByBodyAsync(doubtful, items, pairs, cancel);
        return pairs;
    }

    private async Task MatchByBodyAsync(List<Stranger> doubtful, IReadOnlyDictionary<uint, ItemInfo> items, List<Pair> pairs, CancellationToken cancel)
    {
        if (doubtful.Count == 0) return;
        var hereDigests = await BodyDigest.ReadAsync(_from, _page.From, new NumberSet(doubtful.Select(d => d.Number)), cancel);
        var thereNumbers = new NumberSet(doubtful.SelectMany(d => _candidates[d.Print]).Select(c => c.Number).Distinct());
        var thereDigests = await BodyDigest.ReadAsync(_to, _page.To!, thereNumbers, cancel);
        foreach (var here in doubtful)
        {
            if (!hereDigests.TryGetValue(here.Number, out var digest) || !_candidates.TryGetValue(here.Print, out var candidates)) continue;
            // The nearest in size first: of two copies the one with fewer added headers.
            var matches = candidates.Where(c => thereDigests.TryGetValue(c.Number, out var there) && there == digest).ToList();
            if (matches.Count > 0) Take(items[here.Number], matches.MinBy(c => Math.Abs(c.Size - here.Size)), pairs);
        }
    }

    private void Take(ItemInfo item, Stranger there, List<Pair> pairs)
    {
        pairs.Add(new Pair(item, there.Number, Ours: there.Number >= _page.ToBaseNext));
        var left = _candidates[there.Print];
        left.Remove(there);
        if (left.Count == 0) _candidates.Remove(there.Print);
    }
}
