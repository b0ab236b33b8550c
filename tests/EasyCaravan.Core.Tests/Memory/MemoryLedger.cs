using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>The ledger's twin in memory.</summary>
internal sealed class MemoryLedger : ILedger
{
    private readonly Dictionary<long, LedgerFolder> _pages = [];
    private readonly Dictionary<long, Dictionary<uint, (LedgerEntry Entry, bool Gone)>> _entries = [];

    private readonly Dictionary<(long Folder, uint Number), UInt128> _keys = [];
    private readonly Dictionary<(long Folder, uint Number), Stranger> _strangers = [];

    public Dictionary<(long Folder, uint Number), LeftBehindItem> LeftBehind { get; } = [];

    public Task<IReadOnlyList<LedgerFolder>> FoldersAsync(CancellationToken cancel) => Task.FromResult<IReadOnlyList<LedgerFolder>>([.. _pages.Values]);

    public Task<IReadOnlyList<LedgerFolder>> OpenAsync(IReadOnlyList<PageOpening> folders, CancellationToken cancel) => Task.FromResult<IReadOnlyList<LedgerFolder>>([.. folders.Select(Open)]);

    private LedgerFolder Open(PageOpening folder)
    {
        if (_pages.Values.FirstOrDefault(p => p.From.Equals(folder.From) && Equals(p.To, folder.To)) is { } known) return _pages[known.Id] = known with { Counts = known.Counts with { Found = folder.Found } };
        var page = new LedgerFolder(_pages.Count + 1, folder.From, folder.To, folder.FromEpoch, folder.ToEpoch, folder.ToBaseNext, null, false, FolderCounts.Zero with { Found = folder.Found });
        _pages[page.Id] = page;
        _entries[page.Id] = [];
        return page with { IsNew = true };
    }

    public Task ForgetEntriesAsync(long folder, uint? fromEpoch, uint? toEpoch, CancellationToken cancel)
    {
        _entries[folder].Clear();
        foreach (var key in _keys.Keys.Where(k => k.Folder == folder).ToList()) _keys.Remove(key);
        foreach (var key in _strangers.Keys.Where(k => k.Folder == folder).ToList()) _strangers.Remove(key);
        _pages[folder] = _pages[folder] with { FromEpoch = fromEpoch, ToEpoch = toEpoch, ToBaseNext = 0, Cursor = null, Counts = FolderCounts.Zero with { Found = _pages[folder].Counts.Found } };
        return Task.CompletedTask;
    }

    public Task<bool> RenumberAsync(long folder, uint toEpoch, CancellationToken cancel)
    {
        if (_entries[folder].Values.Any(e => e.Entry.Landed is not null)) return Task.FromResult(false);
        _pages[folder] = _pages[folder] with { ToEpoch = toEpoch };
        return Task.FromResult(true);
    }

    public Task<NumberSet> SettledAsync(long folder, CancellationToken cancel) =>
        Task.FromResult(new NumberSet(_entries[folder].Values.Where(e => !e.Gone).Select(e => e.Entry.Number)));

    public Task<Claimed> ClaimedAsync(FolderPath to, CancellationToken cancel)
    {
        var entries = _pages.Values.Where(p => Equals(p.To, to)).SelectMany(p => _entries[p.Id].Values).Where(e => e.Entry.Landed is not null).ToLookup(e => e.Gone, e => e.Entry.Landed!.Value);
        return Task.FromResult(new Claimed(new NumberSet(entries[false]), new NumberSet(entries[true])));
    }

    public Task<IReadOnlyList<LedgerEntry>> FindAsync(long folder, NumberSet numbers, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<LedgerEntry>>([.. _entries[folder].Values.Where(e => !e.Gone && numbers.Contains(e.Entry.Number)).Select(e => e.Entry)]);

    public Task RecordAsync(IReadOnlyList<PageEntries> pages, CancellationToken cancel)
    {
        foreach (var page in pages)
            foreach (var entry in page.Entries) _entries[page.Folder][entry.Number] = (entry, false);
        return Task.CompletedTask;
    }

    public Task LeaveBehindAsync(long folder, IReadOnlyList<LeftBehindItem> items, CancellationToken cancel)
    {
        foreach (var item in items)
        {
            LeftBehind[(folder, item.Number)] = item;
            _entries[folder][item.Number] = (new LedgerEntry(item.Number, null, Outcome.LeftBehind, FlagSet.Empty), false);
        }
        return Task.CompletedTask;
    }

    public Task MarkGoneAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        foreach (var number in numbers) _entries[folder][number] = (_entries[folder][number].Entry, true);
        return Task.CompletedTask;
    }

    public async Task TransferAsync(long folder, NumberSet numbers, long to, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel)
    {
        await MarkGoneAsync(folder, numbers, cancel);
        await RecordAsync([new PageEntries(to, entries)], cancel);
    }

    public Task RecordKeysAsync(long folder, IReadOnlyDictionary<uint, UInt128> keys, CancellationToken cancel)
    {
        foreach (var (number, key) in keys) _keys[(folder, number)] = key;
        return Task.CompletedTask;
    }

    public Task<IReadOnlyDictionary<uint, UInt128>> KeysAsync(long folder, NumberSet numbers, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyDictionary<uint, UInt128>>(_keys.Where(k => k.Key.Folder == folder && numbers.Contains(k.Key.Number)).ToDictionary(k => k.Key.Number, k => k.Value));

    public Task<IReadOnlyList<KeyedEntry>> FindKeysAsync(IReadOnlyCollection<UInt128> keys, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<KeyedEntry>>([.. _keys.Where(k => keys.Contains(k.Value) && _entries[k.Key.Folder].TryGetValue(k.Key.Number, out var e) && !e.Gone)
            .Select(k => new KeyedEntry(k.Value, k.Key.Folder, _pages[k.Key.Folder].To, _entries[k.Key.Folder][k.Key.Number].Entry))]);

    public Task ReopenAsync(long folder, NumberSet numbers, CancellationToken cancel)
    {
        foreach (var number in numbers) _entries[folder].Remove(number);
        _pages[folder] = _pages[folder] with { Reopened = true };
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<Stranger>> StrangersAsync(long folder, CancellationToken cancel) => Task.FromResult<IReadOnlyList<Stranger>>([.. _strangers.Where(s => s.Key.Folder == folder).Select(s => s.Value)]);

    public Task KeepStrangersAsync(long folder, IReadOnlyList<Stranger> fresh, NumberSet gone, CancellationToken cancel)
    {
        foreach (var stranger in fresh) _strangers[(folder, stranger.Number)] = stranger;
        foreach (var number in gone) _strangers.Remove((folder, number));
        return Task.CompletedTask;
    }

    public Task CompleteAsync(IReadOnlyList<PageEnd> pages, CancellationToken cancel)
    {
        foreach (var page in pages) Complete(page);
        return Task.CompletedTask;
    }

    private void Complete(PageEnd end)
    {
        var entries = _entries[end.Folder].Values;
        long Sum(Outcome outcome) => entries.Count(e => !e.Gone && e.Entry.Outcome == outcome);
        var counts = new FolderCounts(
            end.Found, Sum(Outcome.Carried), Sum(Outcome.Paired), Sum(Outcome.Excluded), Sum(Outcome.LeftBehind), entries.Count(e => e.Gone), end.Missing ?? _pages[end.Folder].Counts.Missing);
        _pages[end.Folder] = _pages[end.Folder] with { Cursor = end.Cursor, Counts = counts, Reopened = false };
    }
}
