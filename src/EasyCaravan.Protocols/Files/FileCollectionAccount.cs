using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files;

/// <summary>
/// The contacts or events of one person in files that were handed over: each file is an address book or a calendar, which can only be read.
/// </summary>
public sealed class FileCollectionAccount(CollectionConnection.Files place, Kind kind, IItemFiles files, string account)
    : ICollectionAccount
{
    private readonly Dictionary<Href, ItemFileState> _known = [];
    private (Href Href, ItemFile File, Dictionary<Href, FileItem> Items)? _read;

    public Kind Kind => kind;

    public CollectionAccountTraits Traits { get; } = new([], Schedules: false);

    /// <summary>The name of this person's file, in which <c>*</c> may stand for any part.</summary>
    public string Pattern { get; } = place.Pattern.Replace("{account}", FileGlob.Plain(account), StringComparison.Ordinal);

    public async Task<IReadOnlyList<CollectionState>> ListAsync(CancellationToken cancel)
    {
        var found = await files.FindAsync(Pattern, cancel);
        var states = new List<CollectionState>();
        foreach (var file in found)
        {
            var href = new Href("/").Item(file.Name);
            _known[href] = file;
            var title = kind is Kind.Calendars ? (await OpenAsync(href, cancel)).File.Title : null;
            var properties = new CollectionProperties(title ?? Path.GetFileNameWithoutExtension(file.Name));
            states.Add(
                new CollectionState(href, properties, CollectionStanding.Own, new CollectionMark(null, MarkOf(file)))
                {
                    // A person's only list is what they have, whatever the file is called.
                    IsDefault = found.Count == 1,
                }
            );
        }
        return states;
    }

    public async Task<CollectionChanges> ReadChangesAsync(CollectionState collection, SyncToken? since, CancellationToken cancel)
    {
        var (_, items) = await OpenAsync(collection.Href, cancel);
        return new CollectionChanges(
            IsWhole: true,
            [.. items.Select(i => new ItemState(i.Key, TagOf(i.Value)))],
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
        var (_, all) = await OpenAsync(collection.Href, cancel);
        foreach (var href in items)
            if (all.TryGetValue(href, out var item))
            {
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
        var (_, items) = await OpenAsync(collection.Href, cancel);
        return items.TryGetValue(item, out var found)
            ? found.Lines.Length == 1
                ? $"line {found.Lines[0]}"
                : $"lines {string.Join(", ", found.Lines)}"
            : null;
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

    /// <summary>What columns hold decides what the contacts are, as much as the file does.</summary>
    private string MarkOf(ItemFileState file)
    {
        var columns = string.Join(
            '\n',
            place.ColumnsWith(file.Columns).OrderBy(c => c.Key, StringComparer.Ordinal).Select(c => $"{c.Key}\t{c.Value}")
        );
        return $"{file.Digest} {XxHash64.HashToUInt64(Encoding.UTF8.GetBytes(columns)):x16}";
    }

    /// <summary>One file at a time is held; a pass goes through them one after the other.</summary>
    private async Task<(ItemFile File, Dictionary<Href, FileItem> Items)> OpenAsync(Href href, CancellationToken cancel)
    {
        if (_read is { } read && read.Href == href)
            return (read.File, read.Items);
        if (!_known.TryGetValue(href, out var state) || await files.ReadAsync(state.Name, cancel) is not { } octets)
            throw new FaultException(
                new Fault(Cause.FolderRefused, account, $"the file {href.Name} is no longer there")
                {
                    Help = "Hand it over again, and retry",
                },
                Verdict.Keep
            );
        var file = ItemFile.Read(place.Speaks, state.Name, octets, place.ColumnsWith(state.Columns));
        var items = new Dictionary<Href, FileItem>();
        foreach (var item in file.Items)
            items[href.Item(NameOf(item.Key))] = item;
        _read = (href, file, items);
        return (file, items);
    }

    /// <summary>The same whenever the file is sent again, and short enough for the name of an object on any server.</summary>
    private static string NameOf(string key) => $"{XxHash128.HashToUInt128(Encoding.UTF8.GetBytes(key)):x32}";
}
