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
    private const long SizeSlack = 4096;

    private readonly LedgerFolder _page;
    private readonly IMailAccount _from;
    private readonly IMailAccount _to;
    private readonly Dictionary<Identity, List<ItemHeader>> _candidates;

    private Pairing(LedgerFolder page, IMailAccount from, IMailAccount to, Dictionary<Identity, List<ItemHeader>> candidates) =>
        (_page, _from, _to, _candidates) = (page, from, to, candidates);

    /// <summary>Reads the headers of what the ledger does not know on the to side; usually nothing.</summary>
    public static async Task<Pairing> PrepareAsync(
        LedgerFolder page, IMailAccount from, IMailAccount to, ILedger ledger, Doubles doubles, CancellationToken cancel)
    {
        var unknown = (await to.ListNumbersAsync(page.To!, cancel)).Except(await ledger.ClaimedAsync(page.To!, cancel));
        // Keeping both copies is for what was there before us. Our own unclear appends are looked for in any case.
        if (doubles is Doubles.KeepBoth) unknown = unknown.From(page.ToBaseNext);
        var headers = unknown.Count == 0 ? [] : await to.ReadHeadersAsync(page.To!, unknown, cancel);
        return new Pairing(page, from, to, headers.GroupBy(h => Identity.Of(h.Header)).ToDictionary(g => g.Key, g => g.ToList()));
    }

    public async Task<IReadOnlyList<Pair>> MatchAsync(IReadOnlyDictionary<uint, ItemInfo> items, CancellationToken cancel)
    {
        if (_candidates.Count == 0 || items.Count == 0) return [];
        var pairs = new List<Pair>();
        var doubtful = new List<(ItemInfo Item, Identity Identity)>();
        var headers = await _from.ReadHeadersAsync(_page.From, new NumberSet(items.Keys), cancel);
        foreach (var same in headers.Where(h => items.ContainsKey(h.Number)).GroupBy(h => Identity.Of(h.Header)))
        {
            if (!_candidates.TryGetValue(same.Key, out var there)) continue;
            var here = same.ToList();
            if (same.Key.Certain && here.Count == 1 && there.Count == 1 && Math.Abs(here[0].Size - there[0].Size) <= SizeSlack)
                Take(items[here[0].Number], same.Key, there[0], pairs);
            else
                doubtful.AddRange(here.Select(h => (items[h.Number], same.Key)));
        }
        await MatchByBodyAsync(doubtful, pairs, cancel);
        return pairs;
    }

    private async Task MatchByBodyAsync(List<(ItemInfo Item, Identity Identity)> doubtful, List<Pair> pairs, CancellationToken cancel)
    {
        if (doubtful.Count == 0) return;
        var hereDigests = await BodyDigest.ReadAsync(_from, _page.From, new NumberSet(doubtful.Select(d => d.Item.Number)), cancel);
        var thereNumbers = new NumberSet(doubtful.SelectMany(d => _candidates[d.Identity]).Select(c => c.Number).Distinct());
        var thereDigests = await BodyDigest.ReadAsync(_to, _page.To!, thereNumbers, cancel);
        foreach (var (item, identity) in doubtful)
        {
            if (!hereDigests.TryGetValue(item.Number, out var digest) || !_candidates.TryGetValue(identity, out var candidates)) continue;
            // The nearest in size first: of two copies the one with fewer added headers.
            var match = candidates.Where(c => thereDigests.TryGetValue(c.Number, out var there) && there == digest)
                .MinBy(c => Math.Abs(c.Size - item.Size));
            if (match is not null) Take(item, identity, match, pairs);
        }
    }

    private void Take(ItemInfo item, Identity identity, ItemHeader there, List<Pair> pairs)
    {
        pairs.Add(new Pair(item, there.Number, Ours: there.Number >= _page.ToBaseNext));
        _candidates[identity].Remove(there);
        if (_candidates[identity].Count == 0) _candidates.Remove(identity);
    }
}
