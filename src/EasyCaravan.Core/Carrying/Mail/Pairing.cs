using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

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
    /// <summary>
    /// Copies of one message may differ by this much, in octets, through trace headers and line ends, without a look at their bodies.
    /// </summary>
    public static readonly ByteCount SizeSlack = new(4096);

    private readonly LedgerFolder _page;
    private bool _provesBodies;
    private readonly Dictionary<Identity, List<UnclaimedMessage>> _candidates = [];

    /// <summary>What the ledger knows already.</summary>
    private readonly NumberSet _kept;

    /// <summary>Of messages that this pass settles, if something on the to side has the same.</summary>
    private readonly HashSet<Identity> _met = [];

    private Pairing(LedgerFolder page, IReadOnlyList<UnclaimedMessage> known, NumberSet unknown)
    {
        _page = page;
        _kept = new NumberSet(known.Select(s => s.Number));
        Unread = unknown.Except(_kept);
        foreach (var stranger in known.Where(s => unknown.Contains(s.Number)))
            Add(stranger);
    }

    /// <summary>What the ledger does not know of the folder on the to side and nobody has looked at yet.</summary>
    private NumberSet Unread { get; set; }

    /// <summary>Nothing is there that could be the same as anything.</summary>
    private bool IsIdle => _candidates.Count == 0;

    /// <param name="there">The numbers that the folder on the to side holds.</param>
    /// <param name="claimed">Those that pages of this move claim.</param>
    /// <param name="provesBodies">
    /// Equal heads are never enough: of two messages with one Message-ID a server may have forwarded only one.
    /// </param>
    public static async Task<Pairing> OpenAsync(
        LedgerFolder page,
        ILedger ledger,
        Doubles doubles,
        NumberSet there,
        Claimed claimed,
        CancellationToken cancel,
        bool provesBodies = false
    )
    {
        var unknown = there.Except(claimed.Live).Except(claimed.Gone);
        // Keeping both copies is for what was there before us. Our own unclear appends are looked for in any case.
        if (doubles is Doubles.KeepBoth)
            unknown = unknown.From(page.ToBaseNext);
        return new Pairing(page, page.IsNew ? [] : await ledger.UnclaimedAsync(page.Id, cancel), unknown) { _provesBodies = provesBodies };
    }

    /// <summary>Looks at what the ledger does not know on the to side. What an earlier pass has seen of it is not read again.</summary>
    private static async Task ReadThereAsync(IReadOnlyList<Pairing> pairings, IMailAccount to, CancellationToken cancel)
    {
        var asked = pairings.Where(p => p.Unread.Count > 0).ToList();
        if (asked.Count == 0)
            return;
        await ReadAsync(to, [.. asked.Select(p => (p._page.To!, p.Unread))], (i, stranger) => asked[i].Add(stranger), cancel);
        foreach (var pairing in asked)
            pairing.Unread = new NumberSet();
    }

    private void Add(UnclaimedMessage stranger)
    {
        if (!_candidates.TryGetValue(stranger.Print, out var same))
            _candidates[stranger.Print] = same = [];
        same.Add(stranger);
    }

    /// <summary>
    /// Something that came since the page was opened has the identity of a message settled now, and is nobody's: of two of our own appends
    /// that both came back one was paired. The next look has to tell whether it is a second copy.
    /// </summary>
    public bool LeavesDoubtful => _candidates.Values.Any(c => c.Exists(IsDoubtful));

    private bool IsDoubtful(UnclaimedMessage stranger) => stranger.Number >= _page.ToBaseNext && _met.Contains(stranger.Print);

    /// <summary>Notes what is still nobody's, so that the next pass need not read it again.</summary>
    public Task KeepLeftAsync(ILedger ledger, CancellationToken cancel)
    {
        var left = _candidates.Values.SelectMany(c => c).Where(s => !IsDoubtful(s)).ToList();
        return ledger.KeepUnclaimedAsync(
            _page.Id,
            [.. left.Where(s => !_kept.Contains(s.Number))],
            _kept.Except(new NumberSet(left.Select(s => s.Number))),
            cancel
        );
    }

    private static Task ReadAsync(
        IMailAccount account,
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        Action<int, UnclaimedMessage> take,
        CancellationToken cancel
    )
    {
        // A service may tell a row twice; one message pairs once all the same.
        var told = new HashSet<ItemAt>();
        return account.ReadHeadersAsync(
            folders,
            (i, h) =>
            {
                if (told.Add(new ItemAt(i, h.Number)))
                    take(i, new UnclaimedMessage(h.Number, h.Size, Identity.Of(h.Header)));
            },
            cancel
        );
    }

    /// <summary>Looks at both sides at once and finds what is there already. Returns the pairs of each folder.</summary>
    /// <param name="some">Messages of the from side by their number, for each folder.</param>
    public static async Task<IReadOnlyList<IReadOnlyList<Pair>>> MatchAsync(
        IReadOnlyList<(Pairing Pairing, IReadOnlyDictionary<uint, ItemInfo> Items)> some,
        IMailAccount from,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        var here = some.Select(_ => new List<UnclaimedMessage>()).ToList();
        var asked = Enumerable
            .Range(0, some.Count)
            .Where(i => some[i].Items.Count > 0 && (some[i].Pairing.Unread.Count > 0 || !some[i].Pairing.IsIdle))
            .ToList();
        if (asked.Count == 0)
            return [.. some.Select(_ => (IReadOnlyList<Pair>)[])];
        await Task.WhenAll(
            ReadThereAsync([.. asked.Select(i => some[i].Pairing)], to, cancel),
            ReadAsync(
                from,
                [.. asked.Select(i => (some[i].Pairing._page.From, new NumberSet(some[i].Items.Keys)))],
                (i, stranger) => here[asked[i]].Add(stranger),
                cancel
            )
        );
        var pairs = new List<IReadOnlyList<Pair>>();
        for (var i = 0; i < some.Count; i++)
            pairs.Add(await some[i].Pairing.MatchAsync(here[i], some[i].Items, from, to, cancel));
        return pairs;
    }

    private async Task<IReadOnlyList<Pair>> MatchAsync(
        IReadOnlyList<UnclaimedMessage> all,
        IReadOnlyDictionary<uint, ItemInfo> items,
        IMailAccount from,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        if (_candidates.Count == 0)
            return [];
        var headers = all.Where(h => items.ContainsKey(h.Number) && _candidates.ContainsKey(h.Print)).ToList();
        _met.UnionWith(headers.Select(h => h.Print));
        var pairs = new List<Pair>();
        var doubtful = new List<UnclaimedMessage>();
        foreach (var same in headers.GroupBy(h => h.Print))
        {
            var here = same.ToList();
            var there = _candidates[same.Key];
            var isOne = same.Key.Certain && here.Count == 1 && there.Count == 1;
            if (!_provesBodies && isOne && here[0].Size.DistanceTo(there[0].Size) <= SizeSlack)
                Take(items[here[0].Number], there[0], pairs);
            else
                doubtful.AddRange(here);
        }
        await MatchByBodyAsync(doubtful, items, pairs, from, to, cancel);
        return pairs;
    }

    private async Task MatchByBodyAsync(
        List<UnclaimedMessage> doubtful,
        IReadOnlyDictionary<uint, ItemInfo> items,
        List<Pair> pairs,
        IMailAccount from,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        if (doubtful.Count == 0)
            return;
        var hereDigests = await BodyDigest.ReadAsync(from, _page.From, new NumberSet(doubtful.Select(d => d.Number)), cancel);
        var thereNumbers = new NumberSet(doubtful.SelectMany(d => _candidates[d.Print]).Select(c => c.Number).Distinct());
        var thereDigests = await BodyDigest.ReadAsync(to, _page.To!, thereNumbers, cancel);
        foreach (var here in doubtful)
        {
            if (!hereDigests.TryGetValue(here.Number, out var digest) || !_candidates.TryGetValue(here.Print, out var candidates))
                continue;
            // The nearest in size first: of two copies the one with fewer added headers.
            var matches = candidates.Where(c => thereDigests.TryGetValue(c.Number, out var there) && there == digest).ToList();
            if (matches.Count > 0)
                Take(items[here.Number], matches.MinBy(c => c.Size.DistanceTo(here.Size)), pairs);
        }
    }

    private void Take(ItemInfo item, UnclaimedMessage there, List<Pair> pairs)
    {
        // A forwarded copy has got longer on its way; what we appended ourselves has not.
        var isOurs = there.Number >= _page.ToBaseNext && !(_provesBodies && there.Size != item.Size);
        pairs.Add(new Pair(item, there.Number, isOurs));
        var left = _candidates[there.Print];
        left.Remove(there);
        if (left.Count == 0)
            _candidates.Remove(there.Print);
    }
}
