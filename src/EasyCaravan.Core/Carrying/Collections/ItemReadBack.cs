using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Reads back what was written and compares it by what it says. Servers rewrite objects, under the ETag that they told before, and some
/// lose something.
/// </summary>
internal sealed class ItemReadBack(CollectionLegOrder order, ICollectionAccount to, CollectionState collection)
{
    /// <summary>Changes that are told of one item.</summary>
    private const int MostChanges = 5;

    private const int PreviewLength = 160;

    private const string MergeRemedy =
        "Let them be merged (doubles: merge under contacts: in the route) and retry, mend it on the new side by hand, or accept it as it "
        + "is there";

    /// <param name="items">Those without an outcome are read.</param>
    public async Task ReadAsync(IReadOnlyCollection<ItemInHand> items, CancellationToken cancel)
    {
        var awaited = items.Where(i => i.Outcome is null).ToDictionary(i => i.Item.To!.Value);
        if (awaited.Count == 0)
            return;
        var unreadable = new Dictionary<Href, Fault>();
        await to.ReadItemsAsync(
            collection,
            awaited.Keys,
            (there, _) =>
            {
                if (awaited.Remove(there.Href, out var item))
                    Judge(item, there);
                return ValueTask.CompletedTask;
            },
            unreadable,
            cancel
        );
        foreach (var (place, item) in awaited)
            item.Leave(
                unreadable.TryGetValue(place, out var fault)
                    ? fault
                    : new Fault(
                        Cause.ItemRefused,
                        order.To.Credentials.Account,
                        "the new side said that it had stored it, and it is not there"
                    )
            );
    }

    /// <summary>
    /// What the person had there before us is paired if it says all that this one says. Else somebody has to choose.
    /// </summary>
    public void Judge(ItemInHand item, StoredItem there)
    {
        var stored = ItemForm.Of(there.Octets);
        item.Land(item.IsForeign ? Outcome.Paired : Outcome.Carried, there, stored.Digest);
        var lost = (item.IsForeign, order.Kind) switch
        {
            (true, Planning.Kind.Contacts) => ContactMerge
                .Lacking(there.Octets, item.Component)
                .Select(l => $"{l.Name} is not there ('{Short(l.Text(PreviewLength))}')"),
            (true, _) => LostOf(item.Form.Without("UID"), stored.Without("UID")),
            _ => LostOf(item.SentForm, stored),
        };
        var all = lost.ToList();
        if (all.Count == 0)
            return;
        var told = string.Join("; ", all.Take(MostChanges)) + (all.Count > MostChanges ? $"; and {all.Count - MostChanges} more" : "");
        item.Leave(
            item.IsForeign
                ? new Fault(
                    Cause.EditedOnBothSides,
                    order.To.Credentials.Account,
                    $"the new side has the same one already, and it does not say all that this one says: {told}"
                )
                {
                    Help = order is { Kind: Planning.Kind.Contacts, Rules.Doubles: not Planning.ItemDoubles.Merge } ? MergeRemedy : null,
                }
                : new Fault(Cause.ArrivedDamaged, order.To.Credentials.Account, told),
            there.Octets
        );
    }

    private static IEnumerable<string> LostOf(ItemForm sent, ItemForm stored) =>
        ItemComparison.Of(sent, stored) is { Likeness: ItemLikeness.Damaged } comparison
            ? comparison.Changes.Where(c => c.Kind is not ItemChangeKind.Added).Select(Words)
            : [];

    private static string Words(ItemChange change) =>
        change.Kind is ItemChangeKind.Lost
            ? $"{change.Name} is lost ('{Short(change.Before)}')"
            : $"{change.Name} is changed from '{Short(change.Before)}' to '{Short(change.After)}'";

    private static string Short(string? value) =>
        value is null ? ""
        : value.Length > 60 ? $"{value[..60]}…"
        : value;
}
