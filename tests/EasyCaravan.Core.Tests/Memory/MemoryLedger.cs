using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>The ledger's twin in memory.</summary>
internal sealed class MemoryLedger : ILedger
{
    private readonly Dictionary<long, LedgerFolder> _pages = [];
    private readonly Dictionary<long, Dictionary<uint, (LedgerEntry Entry, bool Gone)>> _entries = [];

    public Dictionary<(long Folder, uint Number), LeftBehindItem> LeftBehind { get; } = [];

    public Task<IReadOnlyList<LedgerFolder>> FoldersAsync(CancellationToken cancel) => Task.FromResult<IReadOnlyList<LedgerFolder>>([.. _pages.Values]);

    public Task<LedgerFolder> OpenFolderAsync(FolderPath from, FolderPath? to, uint? fromEpoch, uint? toEpoch, uint toBaseNext, CancellationToken cancel)
    {
        var page = _pages.Values.FirstOrDefault(p => p.From.Equals(from) && Equals(p.To, to));
        if (page is null)
        {
            page = new LedgerFolder(_pages.Count + 1, from, to, fromEpoch, toEpoch, toBaseNext, null, false, FolderCounts.Zero);
            _pages[page.Id] = page;
            _entries[page.Id] = [];
        }
        return Task.FromResult(page);
    }

    public Task ForgetEntriesAsync(long folder, uint? fromEpoch, uint? toEpoch, CancellationToken cancel)
    {
        _entries[folder].Clear();
        _pages[folder] = _pages[folder] with { FromEpoch = fromEpoch, ToEpoch = toEpoch, ToBaseNext = 0, Cursor = null };
        return Task.CompletedTask;
    }

    public Task<NumberSet> SettledAsync(long folder, CancellationToken cancel) =>
        Task.FromResult(new NumberSet(_entries[folder].Values.Where(e => !e.Gone).Select(e => e.Entry.Number)));

    public Task<NumberSet> ClaimedAsync(FolderPath to, CancellationToken cancel) =>
        Task.FromResult(new NumberSet(_pages.Values.Where(p => Equals(p.To, to)).SelectMany(p => _entries[p.Id].Values).Select(e => e.Entry.Landed).OfType<uint>()));

    public Task<IReadOnlyList<LedgerEntry>> FindAsync(long folder, NumberSet numbers, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<LedgerEntry>>([.. _entries[folder].Values.Where(e => !e.Gone && numbers.Contains(e.Entry.Number)).Select(e => e.Entry)]);

    public Task RecordAsync(long folder, IReadOnlyList<LedgerEntry> entries, CancellationToken cancel)
    {
        foreach (var entry in entries) _entries[folder][entry.Number] = (entry, false);
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

    public Task<FolderCounts> CompleteAsync(long folder, FolderCursor cursor, long found, long missing, CancellationToken cancel)
    {
        var entries = _entries[folder].Values;
        long Sum(Outcome outcome) => entries.Count(e => !e.Gone && e.Entry.Outcome == outcome);
        var counts = new FolderCounts(found, Sum(Outcome.Carried), Sum(Outcome.Paired), Sum(Outcome.Excluded), Sum(Outcome.LeftBehind), entries.Count(e => e.Gone), missing);
        _pages[folder] = _pages[folder] with { Cursor = cursor, Counts = counts, Reopened = false };
        return Task.FromResult(counts);
    }
}
