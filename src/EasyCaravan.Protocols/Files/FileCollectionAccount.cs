using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files;

/// <summary>
/// The contacts or events of one person in files that were handed over: each file is an address book or a calendar, which can only be read.
/// Where somebody has a file for each contact or event, the folder is.
/// </summary>
public sealed class FileCollectionAccount(CollectionConnection.Files place, Kind kind, IItemFiles files, string account)
    : ICollectionAccount
{
    private readonly Dictionary<Href, IReadOnlyList<ItemFileState>> _known = [];
    private readonly Dictionary<string, ItemFileState> _outlined = [];
    private Opened? _read;

    /// <param name="Title">What the file calls itself; null: nothing.</param>
    private sealed record Opened(Href Href, string? Title, Dictionary<Href, PlacedItem> Items);

    /// <param name="File">The name of its file; null: the collection has one alone.</param>
    private sealed record PlacedItem(FileItem Item, string? File);

    public Kind Kind => kind;

    public CollectionAccountTraits Traits { get; } = new([], Schedules: false);

    /// <summary>The name of this person's file, in which <c>*</c> may stand for any part.</summary>
    public string Pattern { get; } = place.Pattern.Replace("{account}", FileGlob.Plain(account), StringComparison.Ordinal);

    public async Task<IReadOnlyList<CollectionState>> ListAsync(CancellationToken cancel)
    {
        var states = new List<CollectionState>();
        var found = new List<(string Name, IReadOnlyList<ItemFileState> Files)>();
        foreach (var folder in (await files.FindAsync(Pattern, cancel)).GroupBy(f => FolderOf(f.Name)).Select(g => g.ToList()))
            if (await IsOneCollectionAsync(folder, cancel))
                found.Add((FolderOf(folder[0].Name), folder));
            else
                found.AddRange(folder.Select(f => (f.Name, (IReadOnlyList<ItemFileState>)[f])));
        foreach (var (name, its) in found)
        {
            var href = new Href("/").Item(name);
            _known[href] = its;
            var title = kind is Kind.Calendars && its.Count == 1 ? (await OutlineOfAsync(its[0], cancel)).Title : null;
            // A folder's name may hold dots; the ending of a file, or of a ZIP that is looked into, is no part of its name.
            var isFolder = its.Count > 1 && !name.EndsWith(".zip", StringComparison.OrdinalIgnoreCase);
            var properties = new CollectionProperties(
                title ?? (isFolder ? Path.GetFileName(name) : Path.GetFileNameWithoutExtension(name))
            );
            states.Add(
                new CollectionState(href, properties, CollectionStanding.Own, new CollectionMark(null, MarkOf(its)))
                {
                    // A person's only list is what they have, whatever the file is called.
                    IsDefault = found.Count == 1,
                }
            );
        }
        if (_outlined.Count > 0)
            await files.KeepOutlinesAsync(_outlined.Values, cancel);
        _outlined.Clear();
        return states;
    }

    private static string FolderOf(string name) => name[..Math.Max(0, name.LastIndexOf('/'))];

    /// <summary>Files of a folder that have no name of their own and hold one contact or event each, as many programs write them.</summary>
    private async Task<bool> IsOneCollectionAsync(List<ItemFileState> folder, CancellationToken cancel)
    {
        if (folder.Count == 1 || place.Speaks is ItemFileFormat.Csv || FolderOf(folder[0].Name).Length == 0)
            return false;
        foreach (var file in folder)
            if (await OutlineOfAsync(file, cancel) is not { Title: null, Items: <= 1 })
                return false;
        return true;
    }

    /// <summary>Looked up where the file is as it was when somebody read it: a pass that finds nothing new opens no file.</summary>
    private async Task<ItemFileOutline> OutlineOfAsync(ItemFileState file, CancellationToken cancel)
    {
        if ((file.Outline ?? _outlined.GetValueOrDefault(file.Name)?.Outline) is { } known && known.Format == place.Speaks)
            return known;
        var read = await ReadAsync(file, cancel);
        var outline = new ItemFileOutline(place.Speaks, read.Title, read.Items.Count);
        _outlined[file.Name] = file with { Outline = outline };
        return outline;
    }

    public async Task<CollectionChanges> ReadChangesAsync(CollectionState collection, SyncToken? since, CancellationToken cancel)
    {
        var items = (await OpenAsync(collection.Href, cancel)).Items;
        return new CollectionChanges(
            IsWhole: true,
            [.. items.Select(i => new ItemState(i.Key, TagOf(i.Value.Item)))],
            [],
            new CollectionMark(null, MarkOf(_known[collection.Href]))
        );
    }

    public async Task ReadItemsAsync(
        CollectionState collection,
        IReadOnlyCollection<Href> items,
        Func<StoredItem, CancellationToken, ValueTask> take,
        IDictionary<Href, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var all = (await OpenAsync(collection.Href, cancel)).Items;
        foreach (var href in items)
            if (all.TryGetValue(href, out var placed))
            {
                var item = placed.Item;
                if (item.Fault is { } fault)
                    unreadable[href] = new Fault(Cause.ItemUnreadable, account, fault)
                    {
                        Help = "Mend the line in the file, hand the file over again and retry, or accept that it stays behind",
                    };
                else
                    await take(new StoredItem(href, TagOf(item), item.Octets), cancel);
            }
    }

    public async Task<string?> PlaceOfAsync(CollectionState collection, Href item, CancellationToken cancel)
    {
        if (!(await OpenAsync(collection.Href, cancel)).Items.TryGetValue(item, out var found))
            return null;
        var lines = found.Item.Lines.Length == 1 ? $"line {found.Item.Lines[0]}" : $"lines {string.Join(", ", found.Item.Lines)}";
        return found.File is null ? lines : $"{found.File}, {lines}";
    }

    public Task<ItemWrite> AddAsync(Href item, ReadOnlyMemory<byte> octets, CancellationToken cancel) => throw OnlyRead();

    public Task<ItemWrite> ReplaceAsync(Href item, ETag tag, ReadOnlyMemory<byte> octets, CancellationToken cancel) => throw OnlyRead();

    public Task<ItemWrite> RemoveAsync(Href item, ETag tag, CancellationToken cancel) => throw OnlyRead();

    public Task<CollectionState> MakeAsync(string name, CollectionProperties properties, CancellationToken cancel) => throw OnlyRead();

    public Task RemoveCollectionAsync(Href collection, CancellationToken cancel) => throw OnlyRead();

    public Task<bool> TrySwitchSchedulingAsync(Href calendar, bool on, CancellationToken cancel) => throw OnlyRead();

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;

    /// <summary>A plan with files as a to side is refused before anything is opened.</summary>
    private static InvalidOperationException OnlyRead() => new("Files that were handed over are only read.");

    private static ETag TagOf(FileItem item) => new($"\"{ItemForm.DigestOf(item.Octets):x16}\"");

    /// <summary>What columns hold decides what the contacts are, as much as the files do.</summary>
    private string MarkOf(IReadOnlyList<ItemFileState> its)
    {
        if (its is [var only])
            return MarkOf(only);
        var marks = string.Join('\n', its.Select(f => $"{f.Name}\t{MarkOf(f)}"));
        return $"{XxHash128.HashToUInt128(Encoding.UTF8.GetBytes(marks)):x32}";
    }

    private string MarkOf(ItemFileState file)
    {
        var columns = string.Join(
            '\n',
            place.ColumnsWith(file.Columns).OrderBy(c => c.Key, StringComparer.Ordinal).Select(c => $"{c.Key}\t{c.Value}")
        );
        return $"{file.Digest} {XxHash64.HashToUInt64(Encoding.UTF8.GetBytes(columns)):x16}";
    }

    /// <summary>One collection at a time is held; a pass goes through them one after the other.</summary>
    private async Task<Opened> OpenAsync(Href href, CancellationToken cancel)
    {
        if (_read is { } read && read.Href == href)
            return read;
        string? title = null;
        var items = new Dictionary<Href, PlacedItem>();
        var its = _known.GetValueOrDefault(href) ?? throw Gone(href.Name);
        foreach (var state in its)
        {
            var file = await ReadAsync(state, cancel);
            title ??= file.Title;
            foreach (var item in file.Items)
            {
                var placed = new PlacedItem(item, its.Count > 1 ? state.Name : null);
                // Two files of a folder may say that they are the same contact; both are looked at.
                if (!items.TryAdd(href.Item(NameOf(item.Key)), placed))
                    items[href.Item(NameOf($"{state.Name}\n{item.Key}"))] = placed;
            }
        }
        return _read = new Opened(href, title, items);
    }

    private async Task<ItemFile> ReadAsync(ItemFileState state, CancellationToken cancel) =>
        ItemFile.Read(
            place.Speaks,
            state.Name,
            await files.ReadAsync(state.Name, cancel) ?? throw Gone(state.Name),
            place.ColumnsWith(state.Columns)
        );

    private FaultException Gone(string file) =>
        new(
            new Fault(Cause.FolderRefused, account, $"the file {file} is no longer there") { Help = "Hand it over again, and retry" },
            Verdict.Keep
        );

    /// <summary>The same whenever the file is sent again, and short enough for the name of an object on any server.</summary>
    private static string NameOf(string key) => $"{XxHash128.HashToUInt128(Encoding.UTF8.GetBytes(key)):x32}";
}
