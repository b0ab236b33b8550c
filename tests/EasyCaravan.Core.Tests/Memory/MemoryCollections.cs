using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests.Memory;

/// <summary>An address book or a calendar in memory.</summary>
internal sealed class MemoryCollection(Href href, string name)
{
    private int _changes;

    public Href Href => href;

    public string Name => name;

    public CollectionStanding Standing { get; set; } = CollectionStanding.Own;

    /// <summary>Items, and when each was changed last.</summary>
    public Dictionary<Href, (byte[] Octets, int Changed)> Items { get; } = [];

    public Dictionary<Href, int> Gone { get; } = [];

    public SyncToken Token => new($"t{_changes}");

    public void Put(Href item, byte[] octets)
    {
        Gone.Remove(item);
        Items[item] = (octets, ++_changes);
    }

    public void Put(string file, string text) => Put(href.Item(file), Encoding.UTF8.GetBytes(text));

    public void Remove(Href item)
    {
        if (Items.Remove(item))
            Gone[item] = ++_changes;
    }

    public ETag TagOf(Href item) => new($"\"{Items[item].Changed}\"");

    public string Text(string file) => Encoding.UTF8.GetString(Items[href.Item(file)].Octets);
}

/// <summary>A service of address books and calendars in memory, with faults on demand.</summary>
internal sealed class MemoryCollections(string root)
{
    public List<MemoryCollection> All { get; } = [];

    public List<string> Calls { get; } = [];

    /// <summary>What it makes of what it is given.</summary>
    public Func<byte[], byte[]> Stores { get; set; } = octets => octets;

    public Func<byte[], Fault?> Refuses { get; set; } = _ => null;

    /// <summary>The connection is lost with this call; null: never.</summary>
    public int? BreaksAt { get; set; }

    /// <summary>What the last call asked for is done all the same.</summary>
    public bool AnswersAreLost { get; set; }

    /// <summary>Old tokens mean nothing to it.</summary>
    public bool ForgetsTokens { get; set; }

    public CollectionAccountTraits Traits { get; set; } = new([], Schedules: false);

    public bool HasSwitch { get; set; } = true;

    public MemoryCollection Make(string name)
    {
        var made = new MemoryCollection(new Href($"{root}{name.ToLowerInvariant()}/"), name);
        All.Add(made);
        return made;
    }

    public MemoryCollection Find(Href href) => All.Single(c => c.Href == href);

    /// <summary>Notes a call. True: it is to be done, and then the connection breaks.</summary>
    public bool Call(string name)
    {
        lock (Calls)
        {
            Calls.Add(name);
            if (BreaksAt is not { } left)
                return false;
            BreaksAt = left - 1;
            if (left > 0)
                return false;
            BreaksAt = null;
            return AnswersAreLost ? true : throw Lost();
        }
    }

    public static FaultException Lost() => new(new Fault(Cause.ConnectionLost, "a", "the connection was lost"), Verdict.Close);
}

internal sealed class MemoryCollectionAccount(MemoryCollections service, Kind kind) : ICollectionAccount
{
    public Kind Kind => kind;

    public CollectionAccountTraits Traits => service.Traits;

    public Task<IReadOnlyList<CollectionState>> ListAsync(CancellationToken cancel) =>
        Do<IReadOnlyList<CollectionState>>("list", () => [.. service.All.Select(StateOf)]);

    private static CollectionState StateOf(MemoryCollection collection) =>
        new(collection.Href, new CollectionProperties(collection.Name), collection.Standing, new CollectionMark(collection.Token, null));

    public Task<CollectionChanges> ReadChangesAsync(CollectionState collection, SyncToken? since, CancellationToken cancel) =>
        Do("changes", () =>
        {
            var own = service.Find(collection.Href);
            var isKnown = int.TryParse(since?.Value[1..], System.Globalization.CultureInfo.InvariantCulture, out var from);
            var isWhole = !isKnown || service.ForgetsTokens;
            if (isWhole)
                from = -1;
            return new CollectionChanges(
                isWhole,
                [.. own.Items.Where(i => i.Value.Changed > from).Select(i => new ItemState(i.Key, own.TagOf(i.Key)))],
                isWhole ? [] : [.. own.Gone.Where(g => g.Value > from).Select(g => g.Key)],
                new CollectionMark(own.Token, null)
            );
        });

    public async Task ReadItemsAsync(
        CollectionState collection,
        IReadOnlyCollection<Href> items,
        Func<StoredItem, CancellationToken, ValueTask> take,
        IDictionary<Href, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var own = service.Find(collection.Href);
        foreach (var item in items.Where(own.Items.ContainsKey).ToList())
            if (
                await Do("read", () =>
                    own.Items.TryGetValue(item, out var found) ? new StoredItem(item, own.TagOf(item), found.Octets) : null
                ) is
                { } stored
            )
                await take(stored, cancel);
    }

    public Task<ItemWrite> AddAsync(Href item, ReadOnlyMemory<byte> octets, CancellationToken cancel) => WriteAsync(item, null, octets);

    public Task<ItemWrite> ReplaceAsync(Href item, ETag tag, ReadOnlyMemory<byte> octets, CancellationToken cancel) =>
        WriteAsync(item, tag, octets);

    private Task<ItemWrite> WriteAsync(Href item, ETag? tag, ReadOnlyMemory<byte> octets) => Do<ItemWrite>("write", () =>
        {
            var own = service.All.Single(c => item.IsItemOf(c.Href));
            if (tag is { } known ? !own.Items.ContainsKey(item) || own.TagOf(item) != known : own.Items.ContainsKey(item))
                return new ItemWrite.NotAsExpected();
            if (service.Refuses(octets.ToArray()) is { } fault)
                return new ItemWrite.Refused(fault);
            own.Put(item, service.Stores(octets.ToArray()));
            return new ItemWrite.Taken();
        });

    public Task<ItemWrite> RemoveAsync(Href item, ETag tag, CancellationToken cancel) => Do<ItemWrite>("remove", () =>
        {
            var own = service.All.Single(c => item.IsItemOf(c.Href));
            if (own.Items.ContainsKey(item) && own.TagOf(item) != tag)
                return new ItemWrite.NotAsExpected();
            own.Remove(item);
            return new ItemWrite.Taken();
        });

    public Task<CollectionState> MakeAsync(string name, CollectionProperties properties, CancellationToken cancel) =>
        Do("make", () => StateOf(service.Make(properties.Name!)));

    public Task RemoveCollectionAsync(Href collection, CancellationToken cancel) =>
        Do("remove collection", () => service.All.RemoveAll(c => c.Href == collection));

    public Task<bool> TrySwitchSchedulingAsync(Href calendar, bool on, CancellationToken cancel) =>
        Do(on ? "scheduling on" : "scheduling off", () => service.HasSwitch);

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;

    private async Task<T> Do<T>(string name, Func<T> work)
    {
        await Task.Yield();
        var breaks = service.Call(name);
        T result;
        lock (service.All)
            result = work();
        return breaks ? throw MemoryCollections.Lost() : result;
    }
}

/// <summary>What the ledger keeps of collections, in memory.</summary>
internal sealed class MemoryCollectionLedger : ICollectionLedger
{
    private readonly Dictionary<long, CollectionPage> _pages = [];
    private readonly Dictionary<(long Folder, uint Number), CollectionItem> _items = [];

    public Dictionary<(long Folder, uint Number), ItemForms> Forms { get; } = [];

    public IEnumerable<CollectionItem> Items => _items.Values;

    public Task<IReadOnlyList<CollectionPage>> PagesAsync(CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<CollectionPage>>([.. _pages.Values]);

    public Task KeepPageAsync(CollectionPage page, CancellationToken cancel)
    {
        _pages[page.Folder] = page;
        return Task.CompletedTask;
    }

    public Task<IReadOnlyList<CollectionItem>> ItemsAsync(long folder, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<CollectionItem>>([.. _items.Where(i => i.Key.Folder == folder).Select(i => i.Value)]);

    public Task KeepItemsAsync(long folder, IReadOnlyCollection<CollectionItem> items, CancellationToken cancel)
    {
        foreach (var item in items)
        {
            _items[(folder, item.Number)] = item;
            Forms.Remove((folder, item.Number));
        }
        return Task.CompletedTask;
    }

    public Task ForgetItemsAsync(long folder, IReadOnlyCollection<uint> numbers, CancellationToken cancel)
    {
        foreach (var number in numbers)
            _items.Remove((folder, number));
        return Task.CompletedTask;
    }

    /// <summary>What somebody chose; holds until the item is settled.</summary>
    public Dictionary<uint, VersionChoice> Choices { get; } = [];

    public Task<IReadOnlyDictionary<uint, VersionChoice>> ChoicesAsync(long folder, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyDictionary<uint, VersionChoice>>(Choices);

    private readonly Dictionary<(long Folder, uint Number), ReadOnlyMemory<byte>> _originals = [];

    public Task KeepOriginalsAsync(long folder, IReadOnlyDictionary<uint, ReadOnlyMemory<byte>> originals, CancellationToken cancel)
    {
        foreach (var (number, octets) in originals)
            _originals.TryAdd((folder, number), octets);
        return Task.CompletedTask;
    }

    public Task<IReadOnlyDictionary<uint, ReadOnlyMemory<byte>>> OriginalsAsync(long folder, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyDictionary<uint, ReadOnlyMemory<byte>>>(
            _originals.Where(o => o.Key.Folder == folder).ToDictionary(o => o.Key.Number, o => o.Value)
        );

    public Task KeepFormsAsync(long folder, IReadOnlyCollection<ItemForms> forms, CancellationToken cancel)
    {
        foreach (var form in forms)
            Forms[(folder, form.Number)] = form;
        return Task.CompletedTask;
    }
}
