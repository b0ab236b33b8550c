using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Items of the to side that no page claims: an earlier import brought them, or the person made them there. Only what they are known by is
/// held, so that thousands with photos do not fill the memory.
/// </summary>
internal sealed class Strangers
{
    private const int MostOfTitle = 80;

    private readonly Dictionary<string, Href> _byUid = new(StringComparer.Ordinal);
    private readonly ContactIndex<(Href Href, string Title)> _contacts = new();
    private readonly Dictionary<EventIdentity, Href> _events = [];
    private readonly HashSet<Href> _claimed = [];

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
        if (ItemLabel.Main(ItemComponent.Parse(item.Octets)) is not { } main)
            return ValueTask.CompletedTask;
        if (UidOf(main) is { } uid)
            _byUid.TryAdd(uid, item.Href);
        if (main.Name == "VCARD")
            _contacts.Add(ContactIdentity.Of(main), (item.Href, main.Find("FN")?.Text(MostOfTitle) ?? ""));
        else
            _events.TryAdd(EventIdentity.Of(main) with { Uid = null }, item.Href);
        return ValueTask.CompletedTask;
    }

    /// <summary>The one that is the same contact or event, by UID or by what it says; it is nobody else's from now on.</summary>
    public Href? Claim(ItemComponent item)
    {
        if (ItemLabel.Main(item) is not { } main)
            return null;
        if (UidOf(main) is { } uid && _byUid.TryGetValue(uid, out var same) && _claimed.Add(same))
            return same;
        if (main.Name == "VCARD")
        {
            foreach (var (there, match) in _contacts.Find(ContactIdentity.Of(main)))
                if (match is ContactMatch.Same && _claimed.Add(there.Href))
                    return there.Href;
            return null;
        }
        var known = EventIdentity.Of(main) with { Uid = null };
        return known is { Start.Length: > 0, Summary.Length: > 0 } && _events.TryGetValue(known, out var place) && _claimed.Add(place)
            ? place
            : null;
    }

    /// <summary>What a contact is called that may be the same, without anybody being able to tell; null: none.</summary>
    public string? FindUnclear(ItemComponent item) =>
        ItemLabel.Main(item) is { Name: "VCARD" } card
            ? _contacts
                .Find(ContactIdentity.Of(card))
                .Where(c => c.Match is ContactMatch.Unclear && !_claimed.Contains(c.Value.Href))
                .Select(c => c.Value.Title)
                .FirstOrDefault()
            : null;

    private static string? UidOf(ItemComponent main) => main.Find("UID")?.Text().Trim() is { Length: > 0 } uid ? uid : null;
}
