using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>The items of one page: where each is on both sides, and whether it is settled.</summary>
internal sealed class PageItems
{
    private readonly Dictionary<Href, CollectionItem> _items;
    private readonly NumberSet _settled;
    private uint _next;

    /// <param name="settled">Numbers that have an entry and were there when last looked at.</param>
    public PageItems(IReadOnlyList<CollectionItem> items, NumberSet settled)
    {
        _items = items.ToDictionary(i => i.From);
        _settled = settled;
        _next = items.Count == 0 ? 1 : items.Max(i => i.Number) + 1;
    }

    public uint Next => _next;

    public IEnumerable<CollectionItem> Settled => _items.Values.Where(IsSettled);

    public bool IsSettled(CollectionItem item) => _settled.Contains(item.Number);

    /// <summary>Those that were met but have no entry: never begun, broken off, or to be tried again.</summary>
    public IEnumerable<CollectionItem> Unsettled => _items.Values.Where(i => !IsSettled(i));

    public CollectionItem? Find(Href from) => _items.GetValueOrDefault(from);

    public CollectionItem Add(Href from) => _items[from] = new CollectionItem(_next++, from);

    public void Replace(CollectionItem item) => _items[item.From] = item;
}
