using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Items of the to side that no page claims: an earlier import brought them, or the person made them there.</summary>
internal sealed class Strangers
{
    private readonly Dictionary<string, StoredItem> _byUid = new(StringComparer.Ordinal);

    public static Strangers None { get; } = new();

    public static async Task<Strangers> ReadAsync(
        ICollectionAccount to,
        CollectionState collection,
        IReadOnlyCollection<Href> items,
        CancellationToken cancel
    )
    {
        var strangers = new Strangers();
        if (items.Count > 0)
            await to.ReadItemsAsync(collection, items, strangers.TakeAsync, new Dictionary<Href, Pacing.Fault>(), cancel);
        return strangers;
    }

    private ValueTask TakeAsync(StoredItem item, CancellationToken cancel)
    {
        if (ItemLabel.Of(ItemComponent.Parse(item.Octets)).Uid is { } uid)
            _byUid.TryAdd(uid, item);
        return ValueTask.CompletedTask;
    }

    /// <summary>The one of this UID, which is nobody's any more from now on.</summary>
    public StoredItem? Claim(string? uid) => uid is not null && _byUid.Remove(uid, out var item) ? item : null;
}
