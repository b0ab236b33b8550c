using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>The items of one page: where each is on both sides, and whether it is settled.</summary>
internal sealed class PageItems
{
    /// <summary>No service writes it in a path: it would have to be encoded there.</summary>
    private const string Mark = "#part-";

    private readonly Dictionary<Href, CollectionItem> _items;

    /// <summary>Hardly any page has one, so that they are not looked for among all.</summary>
    private readonly List<CollectionItem> _parts;
    private readonly NumberSet _settled;
    private uint _next;

    /// <param name="settled">Numbers that have an entry and were there when last looked at.</param>
    public PageItems(IReadOnlyList<CollectionItem> items, NumberSet settled)
    {
        _items = items.ToDictionary(i => i.From);
        _parts = [.. items.Where(IsPart)];
        _settled = settled;
        _next = items.Count == 0 ? 1 : items.Max(i => i.Number) + 1;
    }

    /// <summary>Those that stand by themselves on the from side.</summary>
    public IEnumerable<CollectionItem> Settled => _items.Values.Where(i => !IsPart(i) && IsSettled(i));

    public bool IsSettled(CollectionItem item) => _settled.Contains(item.Number);

    /// <summary>Those that were met but have no entry: never begun, broken off, or to be tried again.</summary>
    public IEnumerable<CollectionItem> Unsettled => _items.Values.Where(i => !IsPart(i) && !IsSettled(i));

    /// <summary>
    /// Parts, the first excepted, of objects that the new side took only parted, see <see cref="ItemShapings.SplitUids"/>.
    /// </summary>
    public IReadOnlyList<CollectionItem> Parts => _parts;

    public IEnumerable<CollectionItem> PartsOf(Href whole) => _parts.Where(p => WholeOf(p) == whole);

    public CollectionItem? Find(Href from) => _items.GetValueOrDefault(from);

    public CollectionItem Add(Href from)
    {
        var item = _items[from] = new CollectionItem(_next++, from);
        if (IsPart(item))
            _parts.Add(item);
        return item;
    }

    /// <summary>Where the part of this UID is said to be on the from side, which has it within the whole.</summary>
    public static Href PlaceOfPart(Href whole, string key) => new($"{whole}{Mark}{XxHash64.HashToUInt64(Encoding.UTF8.GetBytes(key)):x16}");

    /// <summary>The object that a part is of.</summary>
    public static Href WholeOf(CollectionItem part) => new(part.From.ToString().Split(Mark)[0]);

    private static bool IsPart(CollectionItem item) => item.From.ToString().Contains(Mark, StringComparison.Ordinal);
}
