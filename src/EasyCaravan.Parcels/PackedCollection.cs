using System.Collections.Immutable;
using EasyCaravan.Contract;
using EasyCaravan.Parcels.Manifest;

namespace EasyCaravan.Parcels;

/// <summary>An address book or a calendar of a parcel. Its items are there, by name, once the parcel's items were loaded.</summary>
public sealed class PackedCollection
{
    private readonly Dictionary<string, PackedItem> _items = new(StringComparer.Ordinal);
    private readonly Dictionary<string, ulong> _gone = new(StringComparer.Ordinal);

    public PackedCollection(CollectionRecord record)
    {
        (Id, Kind, Name, Place) = (record.Id, record.Kind, record.Name, record.Place);
        Properties = record.Properties;
        Become(record);
    }

    public int Id { get; }

    public MoveKind Kind { get; }

    public string Name { get; }

    public string Place { get; }

    public ImmutableSortedDictionary<string, string> Properties { get; private set; }

    public bool IsDefault { get; private set; }

    public ulong Mark { get; private set; }

    public uint Count { get; private set; }

    public IReadOnlyDictionary<string, PackedItem> Items => _items;

    /// <summary>For people: its title, or where it has none its name.</summary>
    public string Title => Properties.GetValueOrDefault(CollectionWords.Title) is { Length: > 0 } title ? title : Name;

    /// <summary>As a table of the parcel tells it.</summary>
    public void Become(CollectionRecord record)
    {
        (Properties, IsDefault, Mark, Count) = (record.Properties, record.IsDefault, record.Mark, record.Count);
    }

    public CollectionRecord ToRecord() => new(Id, Kind, Name, Place, Properties, IsDefault, Mark, Count);

    /// <summary>Names of items that went since the collection had this mark.</summary>
    public IEnumerable<string> GoneSince(ulong mark) => _gone.Where(g => g.Value > mark).Select(g => g.Key);

    public void Put(PackedItem item)
    {
        Mark++;
        _items[item.Name] = item with { Mark = Mark };
        _gone.Remove(item.Name);
        Count = (uint)_items.Count;
    }

    public bool Remove(string name)
    {
        if (!_items.Remove(name))
            return false;
        Mark++;
        _gone[name] = Mark;
        Count = (uint)_items.Count;
        return true;
    }
}

/// <summary>A contact or an event of a parcel: where its octets are, and what they have to be.</summary>
public sealed record PackedItem(string Name, long Size, int Part, ulong PathHash, PackedDigest Digest)
{
    /// <summary>Of its collection, when it came or changed last.</summary>
    public ulong Mark { get; init; }
}
