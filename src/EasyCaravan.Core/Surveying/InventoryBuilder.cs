using System.Collections.Immutable;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Surveying;

/// <summary>Sums up one folder's index while it streams by, in memory that does not grow with the folder.</summary>
public sealed class InventoryBuilder(
    FolderState folder,
    DateTimeOffset now,
    IReadOnlyList<LocalDate> days,
    IReadOnlyList<ByteCount> sizes,
    int largest
)
{
    /// <summary>Keywords of one folder that are named; a client that makes one for every message shall not fill the store.</summary>
    private const int MostKeywords = 100;

    private readonly Dictionary<(LocalDate, ByteCount), (long Messages, ByteCount Octets)> _cells = [];
    private readonly SortedSet<string> _keywords = new(StringComparer.OrdinalIgnoreCase);
    private readonly PriorityQueue<ItemInfo, ByteCount> _largest = new();
    private DateTimeOffset? _oldest,
        _newest;
    private long _future,
        _messages,
        _unreadable;
    private ByteCount _octets;

    /// <summary>The largest messages seen, largest first.</summary>
    public IEnumerable<ItemInfo> Largest => _largest.UnorderedItems.Select(i => i.Element).OrderByDescending(i => i.Size);

    /// <summary>Sizes at which something is decided, in octets: what people commonly leave out, and the limits in force.</summary>
    public static ImmutableArray<ByteCount> SizesFor(IEnumerable<ByteCount?> limits) =>
        [
            .. new long[] { 0, 1_000_000, 5_000_000, 10_000_000, 25_000_000, 50_000_000, 100_000_000 }
                .Select(octets => new ByteCount(octets))
                .Concat(limits.OfType<ByteCount>())
                .Distinct()
                .Order(),
        ];

    /// <summary>Messages that are listed and not told about.</summary>
    public void AddUnreadable(long messages)
    {
        _messages += messages;
        _unreadable += messages;
    }

    public void Add(ItemInfo item)
    {
        var day = LocalDate.FromDateTime(item.Received.DateTime);
        var year = new LocalDate(day.Year, 1, 1);
        var from = days.Where(d => d <= day && d > year).Append(year).Max();
        var above = sizes.LastOrDefault(s => item.Size > s);
        var (messages, octets) = _cells.GetValueOrDefault((from, above));
        _cells[(from, above)] = (messages + 1, octets + item.Size);
        _messages++;
        _octets += item.Size;
        if (item.Received > now.AddDays(1))
            _future++;
        else if (_newest is null || item.Received > _newest)
            _newest = item.Received;
        if (_oldest is null || item.Received < _oldest)
            _oldest = item.Received;
        foreach (var flag in item.Flags.Flags)
            if (flag[0] != '\\' && _keywords.Count < MostKeywords)
                _keywords.Add(flag);
        _largest.Enqueue(item, item.Size);
        if (_largest.Count > largest)
            _largest.Dequeue();
    }

    public FolderInventory Build(string? unreadable = null) =>
        new(
            folder.Path.ToString(),
            folder.Use,
            folder.Selectable,
            folder.Subscribed,
            _messages,
            _octets,
            _oldest,
            _newest,
            _future,
            [.. _keywords],
            [.. _cells.OrderBy(c => c.Key).Select(c => new Cell(c.Key.Item1, c.Key.Item2, c.Value.Messages, c.Value.Octets))],
            unreadable
        )
        {
            UnreadableMessages = _unreadable,
        };
}
