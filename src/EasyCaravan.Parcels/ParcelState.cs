using System.Collections.Immutable;
using EasyCaravan.Contract;
using EasyCaravan.Parcels.Manifest;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Parcels;

/// <summary>
/// What a parcel holds after some of its parts: folders with their messages, and collections with their items. It is made by going through
/// the manifests in their order.
/// </summary>
public sealed class ParcelState
{
    /// <summary>Folders and collections together; more than that is an attack.</summary>
    private const int MostTables = 250_000;

    private readonly Dictionary<string, int> _flagSets = new(StringComparer.Ordinal);
    private readonly List<ImmutableArray<string>> _flags = [];
    private readonly SortedDictionary<int, PackedFolder> _folders = [];
    private readonly SortedDictionary<int, PackedCollection> _collections = [];

    public IReadOnlyDictionary<int, PackedFolder> Folders => _folders;

    public IReadOnlyDictionary<int, PackedCollection> Collections => _collections;

    /// <summary>The next folder or collection gets this id.</summary>
    public int NextId { get; private set; } = 1;

    /// <summary>The flags that <see cref="PackedMessage.FlagSet"/> stands for.</summary>
    public ImmutableArray<string> FlagsOf(in PackedMessage message) => _flags[message.FlagSet];

    private int FlagSetOf(ImmutableArray<string> flags)
    {
        var key = string.Join(' ', flags);
        if (_flagSets.TryGetValue(key, out var known))
            return known;
        _flags.Add(flags);
        return _flagSets[key] = _flags.Count - 1;
    }

    /// <summary>Takes the whole manifest of a part.</summary>
    /// <param name="withItems">False: only what its tables tell is wanted.</param>
    public void TakePart(ManifestHeader header, IEnumerable<ManifestRecord> manifest, bool withItems)
    {
        var tables = new List<ManifestRecord>();
        foreach (var record in manifest.Skip(1))
        {
            if (tables.Count < header.Tables)
                tables.Add(record);
            else if (!withItems)
                break;
            Take(record, header.Part);
        }
        // What the tables tell is how it was when the part was closed: after its other lines, and without what is not among them.
        foreach (var record in tables)
            Take(record, header.Part);
        var there = tables.Select(IdOf).ToHashSet();
        foreach (var id in _folders.Keys.Where(id => !there.Contains(id)).ToList())
            _folders.Remove(id);
        foreach (var id in _collections.Keys.Where(id => !there.Contains(id)).ToList())
            _collections.Remove(id);
    }

    /// <summary>Takes a line of a part's manifest, or of the log of a part that is not closed.</summary>
    /// <exception cref="ParcelException">The line contradicts those before it.</exception>
    public void Take(ManifestRecord record, int part)
    {
        if (_folders.Count + _collections.Count > MostTables)
            throw new ParcelException(ParcelCause.TooMuch, $"it has more than {MostTables} folders and collections");
        switch (record)
        {
            case FolderRecord folder:
                if (_folders.TryGetValue(folder.Id, out var known))
                    known.Become(folder);
                else
                    _folders[folder.Id] = new PackedFolder(folder);
                NextId = Math.Max(NextId, folder.Id + 1);
                break;
            case CollectionRecord collection:
                if (_collections.TryGetValue(collection.Id, out var old))
                    old.Become(collection);
                else
                    _collections[collection.Id] = new PackedCollection(collection);
                NextId = Math.Max(NextId, collection.Id + 1);
                break;
            case MessageRecord m:
                FolderOf(m.Folder)
                    .Put(
                        new PackedMessage(
                            m.Number,
                            FlagSetOf(m.Flags),
                            m.Size,
                            m.Received,
                            part,
                            ZipPlaces.HashOf(m.Path),
                            PackedDigest.Of(m.Sha256)
                        )
                    );
                break;
            case FlagsRecord f:
                if (FolderOf(f.Folder).Find(f.Number) is { } flagged)
                    FolderOf(f.Folder).Put(flagged with { FlagSet = FlagSetOf(f.Flags) });
                break;
            case MovedRecord m:
                if (FolderOf(m.Folder).Find(m.Number) is { } moved)
                {
                    FolderOf(m.Folder).Remove(m.Number);
                    FolderOf(m.ToFolder).Put(moved with { Number = m.ToNumber });
                }
                break;
            case GoneRecord g:
                FolderOf(g.Folder).Remove(g.Number);
                break;
            case ItemRecord i:
                CollectionOf(i.Collection).Put(new PackedItem(i.Name, i.Size, part, ZipPlaces.HashOf(i.Path), PackedDigest.Of(i.Sha256)));
                break;
            case ItemGoneRecord g:
                CollectionOf(g.Collection).Remove(g.Name);
                break;
            case RemovedRecord r:
                _folders.Remove(r.Id);
                _collections.Remove(r.Id);
                break;
        }
    }

    /// <summary>Of all that is there, by kind; kinds of which the parcel has no folder or collection are left out.</summary>
    public ImmutableSortedDictionary<MoveKind, KindSum> Sums()
    {
        var sums = ImmutableSortedDictionary.CreateBuilder<MoveKind, KindSum>();
        Span<byte> sha256 = stackalloc byte[PackedDigest.Length];
        if (_folders.Count > 0)
        {
            var (items, octets, contents) = (0L, 0L, new ContentsSum());
            foreach (var folder in _folders.Values)
            foreach (ref readonly var message in folder.Messages)
            {
                (items, octets) = (items + 1, octets + message.Size);
                message.Digest.CopyTo(sha256);
                contents.Add(ContentsSum.OfMessage(folder.Names, sha256, message.Received, FlagsOf(message)));
            }
            sums[MoveKind.Mail] = new KindSum(items, octets, contents.ToString());
        }
        foreach (var kind in _collections.Values.GroupBy(c => c.Kind))
        {
            var (items, octets, contents) = (0L, 0L, new ContentsSum());
            foreach (var collection in kind)
            foreach (var item in collection.Items.Values)
            {
                (items, octets) = (items + 1, octets + item.Size);
                item.Digest.CopyTo(sha256);
                contents.Add(ContentsSum.OfItem(collection.Title, sha256));
            }
            sums[kind.Key] = new KindSum(items, octets, contents.ToString());
        }
        return sums.ToImmutable();
    }

    private static int IdOf(ManifestRecord record) =>
        record switch
        {
            FolderRecord folder => folder.Id,
            CollectionRecord collection => collection.Id,
            _ => throw new ParcelException(ParcelCause.Damaged, "the tables of a manifest hold something else"),
        };

    private PackedFolder FolderOf(int id) =>
        _folders.TryGetValue(id, out var folder)
            ? folder
            : throw new ParcelException(ParcelCause.Damaged, "a message is in no folder of the parcel");

    private PackedCollection CollectionOf(int id) =>
        _collections.TryGetValue(id, out var collection)
            ? collection
            : throw new ParcelException(ParcelCause.Damaged, "an item is in no collection of the parcel");
}
