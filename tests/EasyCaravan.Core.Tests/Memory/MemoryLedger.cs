using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>The ledger's twin in memory.</summary>
internal sealed class MemoryLedger : ILedger
{
    private readonly Dictionary<long, LedgerFolder> _pages = [];
    private readonly Dictionary<long, Dictionary<uint, (LedgerEntry Entry, bool Gone)>> _entries = [];

    private readonly Dictionary<(long Folder, uint Number), UInt128> _keys = [];
    private readonly Dictionary<(long Folder, uint Number), UnclaimedMessage> _unclaimed = [];

    /// <summary>Another worker has the move.</summary>
    public bool IsLeaseLost { get; set; }

    public Dictionary<(long Folder, uint Number), LeftBehindItem> LeftBehind { get; } = [];

    public Dictionary<long, (Fault Fault, long Messages)> FoldersLeft { get; } = [];

    public List<KnownDifference> Differences { get; } = [];

    private readonly Dictionary<FolderPath, Membership> _looked = [];

    public List<Arrival> Arrived { get; } = [];

    public Task<IReadOnlyDictionary<FolderPath, Membership>> LookedAsync(CancellationToken cancel) =>
        Task.FromResult<IReadOnlyDictionary<FolderPath, Membership>>(_looked);

    public Task<IReadOnlyList<Arrival>> ArrivalsAsync(CancellationToken cancel) => Task.FromResult<IReadOnlyList<Arrival>>([.. Arrived]);

    public Task RecordArrivalsAsync(
        IReadOnlyCollection<Arrival> arrivals,
        IReadOnlyDictionary<FolderPath, Membership> looked,
        CancellationToken cancel
    )
    {
        ProveLease();
        foreach (var arrival in arrivals)
        {
            Arrived.RemoveAll(a => arrival.Id > 0 && a.Id == arrival.Id);
            Arrived.Add(arrival.Id > 0 ? arrival : arrival with { Id = Arrived.Select(a => a.Id).DefaultIfEmpty().Max() + 1 });
        }
        foreach (var (path, holds) in looked)
            _looked[path] = holds;
        return Task.CompletedTask;
    }

    public List<LateMail> Late { get; } = [];

    public Task NoteLateMailAsync(IReadOnlyList<LateMail> mail, CancellationToken cancel)
    {
        ProveLease();
        Late.AddRange(mail.Where(m => !Late.Exists(l => (l.Folder, l.Number) == (m.Folder, m.Number))));
        return Task.CompletedTask;
    }

    public async Task RecordMatchesAsync(IReadOnlyList<PageEntries> pages, IReadOnlyCollection<long> arrivals, CancellationToken cancel)
    {
        await RecordAsync(pages, cancel);
        for (var i = 0; i < Arrived.Count; i++)
            if (arrivals.Contains(Arrived[i].Id))
                Arrived[i] = Arrived[i] with { IsMatched = true };
    }

    public Task<IReadOnlyList<LedgerFolder>> FoldersAsync(CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<LedgerFolder>>([.. _pages.Values]);

    public Task<IReadOnlyList<LedgerFolder>> OpenAsync(IReadOnlyList<PageOpening> folders, CancellationToken cancel)
    {
        ProveLease();
        return Task.FromResult<IReadOnlyList<LedgerFolder>>([.. folders.Select(Open)]);
    }

    private void ProveLease()
    {
        if (IsLeaseLost)
            throw new LeaseLostException();
    }

    private LedgerFolder Open(PageOpening folder)
    {
        if (_pages.Values.FirstOrDefault(p => p.From.Equals(folder.From) && Equals(p.To, folder.To)) is { } known)
            return _pages[known.Id] = known with { Counts = known.Counts with { Found = folder.Found } };
        var page = new LedgerFolder(
            _pages.Count + 1,
            folder.From,
            folder.To,
            folder.FromEpoch,
            folder.ToEpoch,
            folder.ToBaseNext,
            null,
            false,
            FolderCounts.Zero with
            {
                Found = folder.Found,
            }
        );
        _pages[page.Id] = page;
        _entries[page.Id] = [];
        return page with { IsNew = true };
    }

    public HashSet<MadePlace> Made { get; } = [];

    public Task<IReadOnlySet<MadePlace>> NoteMadeAsync(IReadOnlyCollection<MadePlace> places, CancellationToken cancel)
    {
        ProveLease();
        return Task.FromResult<IReadOnlySet<MadePlace>>(places.Where(Made.Add).ToHashSet());
    }

    public Task ForgetMadeAsync(MadePlace place, CancellationToken cancel)
    {
        ProveLease();
        Made.Remove(place);
        return Task.CompletedTask;
    }

    public Task ForgetEntriesAsync(long folder, uint? fromEpoch, uint? toEpoch, CancellationToken cancel)
    {
        ProveLease();
        _entries[folder].Clear();
        FoldersLeft.Remove(folder);
        Differences.RemoveAll(d => d.Difference.Folder == folder);
        foreach (var key in LeftBehind.Keys.Where(k => k.Folder == folder).ToList())
            LeftBehind.Remove(key);
        foreach (var key in _keys.Keys.Where(k => k.Folder == folder).ToList())
            _keys.Remove(key);
        foreach (var key in _unclaimed.Keys.Where(k => k.Folder == folder).ToList())
            _unclaimed.Remove(key);
        _pages[folder] = _pages[folder] with
        {
            FromEpoch = fromEpoch,
            ToEpoch = toEpoch,
            ToBaseNext = 0,
            Cursor = null,
            Seen = null,
            LeftWhole = false,
            Counts = FolderCounts.Zero with { Found = _pages[folder].Counts.Found },
        };
        return Task.CompletedTask;
    }

    public Task<bool> RenumberAsync(long folder, uint toEpoch, CancellationToken cancel)
    {
        ProveLease();
        if (_entries[folder].Values.Any(e => e.Entry.Landed is not null))
            return Task.FromResult(false);
        _pages[folder] = _pages[folder] with { ToEpoch = toEpoch, Seen = null };
        return Task.FromResult(true);
    }

    public Task<NumberSet> SettledAsync(long folder, CancellationToken cancel) =>
        Task.FromResult(new NumberSet(_entries[folder].Values.Where(e => !e.Gone).Select(e => e.Entry.Number)));

    public Task<IReadOnlyList<LandedEntry>> LandedAsync(FolderPath to, uint epoch, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<LandedEntry>>([
            .. _pages
                .Values.Where(p => Equals(p.To, to) && p.ToEpoch == epoch)
                .SelectMany(p =>
                    _entries[p.Id]
                        .Values.Where(e => e.Entry.Landed is not null)
                        .Select(e => new LandedEntry(p.Id, e.Entry.Number, e.Entry.Landed!.Value, e.Entry.Outcome, e.Gone, e.Entry.Size))
                ),
        ]);

    public Task<IReadOnlyList<KnownDifference>> DifferencesAsync(CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<KnownDifference>>([.. Differences]);

    public Task RecordLooksAsync(IReadOnlyList<PageLook> looks, CancellationToken cancel)
    {
        ProveLease();
        foreach (var look in looks)
        {
            if (look.Seen is not null)
                Differences.RemoveAll(d =>
                    d.Difference.Folder == look.Folder
                    && d.Difference.Kind is DifferenceKind.Missing or DifferenceKind.Twice or DifferenceKind.Moved
                    && !look.Found.Any(f => KeyOf(f) == KeyOf(d.Difference))
                );
            Add(look.Found);
            _pages[look.Folder] = _pages[look.Folder] with { Seen = look.Seen };
            Count(look.Folder);
        }
        return Task.CompletedTask;
    }

    public Task AddDifferencesAsync(IReadOnlyList<Difference> differences, CancellationToken cancel)
    {
        ProveLease();
        Add(differences);
        foreach (var folder in differences.Select(d => d.Folder).Distinct())
            Count(folder);
        return Task.CompletedTask;
    }

    public Task RenamePlaceAsync(long folder, FolderPath to, CancellationToken cancel)
    {
        ProveLease();
        _pages[folder] = _pages[folder] with { To = to, RenamedFrom = _pages[folder].RenamedFrom ?? _pages[folder].To };
        return Task.CompletedTask;
    }

    public ComparisonProgress? Comparison { get; set; }

    public Task<ComparisonProgress?> ComparisonAsync(CancellationToken cancel) => Task.FromResult(Comparison);

    public Task RecordComparisonAsync(ComparisonProgress progress, CancellationToken cancel)
    {
        ProveLease();
        Comparison = progress;
        return Task.CompletedTask;
    }

    public Task RemoveDifferencesAsync(IReadOnlyCollection<long> ids, CancellationToken cancel)
    {
        ProveLease();
        var folders = Differences.Where(d => ids.Contains(d.Id)).Select(d => d.Difference.Folder).Distinct().ToList();
        Differences.RemoveAll(d => ids.Contains(d.Id));
        foreach (var folder in folders)
            Count(folder);
        return Task.CompletedTask;
    }

    private static (long, DifferenceKind, uint, uint) KeyOf(Difference d) => (d.Folder, d.Kind, d.Number, d.Landed);

    private long _differenceIds;

    private void Add(IReadOnlyList<Difference> found)
    {
        foreach (var difference in found.Where(f => !Differences.Exists(d => KeyOf(d.Difference) == KeyOf(f))))
            Differences.Add(new KnownDifference(++_differenceIds, difference, DifferenceState.Open));
    }

    private void Count(long folder)
    {
        long Of(DifferenceKind kind) => Differences.Count(d => d.Difference.Folder == folder && d.Difference.Kind == kind);
        _pages[folder] = _pages[folder] with
        {
            Counts = _pages[folder].Counts with
            {
                Missing = Of(DifferenceKind.Missing),
                Twice = Of(DifferenceKind.Twice),
                Altered = Of(DifferenceKind.Altered),
                Undecided = Differences.Count(d =>
                    d.Difference.Folder == folder && d.State is not DifferenceState.Accepted && Difference.NeedsDecision(d.Difference.Kind)
                ),
            },
        };
    }

    public Task LeaveFolderBehindAsync(long folder, NumberSet numbers, Fault fault, CancellationToken cancel)
    {
        ProveLease();
        FoldersLeft[folder] = (fault, numbers.Count);
        foreach (var number in numbers)
            _entries[folder][number] = (new LedgerEntry(number, null, Outcome.LeftBehind, FlagSet.Empty), false);
        _pages[folder] = _pages[folder] with { LeftWhole = true };
        return Task.CompletedTask;
    }

    public Task RetryFolderAsync(long folder, CancellationToken cancel)
    {
        ProveLease();
        FoldersLeft.Remove(folder);
        foreach (
            var number in _entries[folder].Values.Where(e => e.Entry.Outcome is Outcome.LeftBehind).Select(e => e.Entry.Number).ToList()
        )
        {
            _entries[folder].Remove(number);
            LeftBehind.Remove((folder, number));
        }
        _pages[folder] = _pages[folder] with { LeftWhole = false, Reopened = true };
        return Task.CompletedTask;
    }

    public Task<Claimed> ClaimedAsync(FolderPath to, uint epoch, CancellationToken cancel)
    {
        var entries = _pages
            .Values.Where(p => Equals(p.To, to) && p.ToEpoch == epoch)
            .SelectMany(p => _entries[p.Id].Values)
            .Where(e => e.Entry.Landed is not null)
            .ToLookup(e => e.Gone, e => e.Entry.Landed!.Value);
        return Task.FromResult(new Claimed(new NumberSet(entries[false]), new NumberSet(entries[true])));
    }

    public Task<IReadOnlyList<LedgerEntry>> FindAsync(long folder, NumberSet numbers, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<LedgerEntry>>([
            .. _entries[folder].Values.Where(e => !e.Gone && numbers.Contains(e.Entry.Number)).Select(e => e.Entry),
        ]);

    public Task RecordAsync(IReadOnlyList<PageEntries> pages, CancellationToken cancel)
    {
        ProveLease();
        if (pages.FirstOrDefault(p => !_pages.ContainsKey(p.Folder)) is { } unknown)
            throw new InvalidOperationException($"There is no page {unknown.Folder}.");
        foreach (var page in pages)
        {
            foreach (var entry in page.Entries)
            {
                _entries[page.Folder][entry.Number] = (entry, false);
                if (entry.Outcome is not Outcome.LeftBehind)
                    LeftBehind.Remove((page.Folder, entry.Number));
            }
        }
        return Task.CompletedTask;
    }

    public Task LeaveBehindAsync(long folder, IReadOnlyList<LeftBehindItem> items, CancellationToken cancel)
    {
        ProveLease();
        foreach (var item in items)
        {
            LeftBehind[(folder, item.Number)] = item;
            _entries[folder][item.Number] = (new LedgerEntry(item.Number, null, Outcome.LeftBehind, FlagSet.Empty), false);
        }
        return Task.CompletedTask;
    }

    public Task MarkGoneAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        ProveLease();
        foreach (var number in numbers.Where(_entries[folder].ContainsKey))
            _entries[folder][number] = (_entries[folder][number].Entry, true);
        foreach (var number in numbers)
            LeftBehind.Remove((folder, number));
        return Task.CompletedTask;
    }

    public async Task TransferAsync(long folder, NumberSet numbers, long to, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel)
    {
        ProveLease();
        await MarkGoneAsync(folder, numbers, cancel);
        await RecordAsync([new PageEntries(to, entries)], cancel);
    }

    public Task RecordKeysAsync(long folder, IReadOnlyDictionary<uint, UInt128> keys, CancellationToken cancel)
    {
        ProveLease();
        foreach (var (number, key) in keys)
            _keys[(folder, number)] = key;
        return Task.CompletedTask;
    }

    public Task<IReadOnlyDictionary<uint, UInt128>> KeysAsync(long folder, NumberSet numbers, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyDictionary<uint, UInt128>>(
            _keys.Where(k => k.Key.Folder == folder && numbers.Contains(k.Key.Number)).ToDictionary(k => k.Key.Number, k => k.Value)
        );

    public Task<IReadOnlyList<KeyedEntry>> FindKeysAsync(IReadOnlyCollection<UInt128> keys, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<KeyedEntry>>([
            .. _keys
                .Where(k => keys.Contains(k.Value) && _entries[k.Key.Folder].TryGetValue(k.Key.Number, out var e) && !e.Gone)
                .Select(k => new KeyedEntry(k.Value, k.Key.Folder, _pages[k.Key.Folder].To, _entries[k.Key.Folder][k.Key.Number].Entry)),
        ]);

    public Task ReopenAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        ProveLease();
        foreach (var number in numbers)
        {
            _entries[folder].Remove(number);
            LeftBehind.Remove((folder, number));
        }
        _pages[folder] = _pages[folder] with { Reopened = true };
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<UnclaimedMessage>> UnclaimedAsync(long folder, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<UnclaimedMessage>>([.. _unclaimed.Where(s => s.Key.Folder == folder).Select(s => s.Value)]);

    public Task KeepUnclaimedAsync(long folder, IReadOnlyList<UnclaimedMessage> fresh, NumberSet gone, CancellationToken cancel)
    {
        ProveLease();
        foreach (var stranger in fresh)
            _unclaimed[(folder, stranger.Number)] = stranger;
        foreach (var number in gone)
            _unclaimed.Remove((folder, number));
        return Task.CompletedTask;
    }

    public Task CompleteAsync(IReadOnlyList<PageEnd> pages, CancellationToken cancel)
    {
        ProveLease();
        foreach (var page in pages)
            Complete(page);
        return Task.CompletedTask;
    }

    private void Complete(PageEnd end)
    {
        var entries = _entries[end.Folder].Values;
        long Sum(Outcome outcome) => entries.Count(e => !e.Gone && e.Entry.Outcome == outcome);
        var counts = new FolderCounts(
            end.Found,
            Sum(Outcome.Carried),
            Sum(Outcome.Paired),
            Sum(Outcome.Excluded),
            Sum(Outcome.LeftBehind),
            entries.Count(e => e.Gone),
            0
        )
        {
            Octets = entries.Where(e => !e.Gone && e.Entry.Outcome is Outcome.Carried).Sum(e => e.Entry.Size),
        };
        _pages[end.Folder] = _pages[end.Folder] with { Cursor = end.Cursor, Counts = counts, Reopened = false, Seen = end.Seen };
        Count(end.Folder);
    }
}
