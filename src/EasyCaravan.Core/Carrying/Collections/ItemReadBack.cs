using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Reads back what was written and compares it by what it says. Servers rewrite objects, under the ETag that they told before, and some
/// lose something.
/// </summary>
internal sealed class ItemReadBack(CollectionLegOrder order, ICollectionAccount to, CollectionState collection)
{
    private const string MergeRemedy =
        "Let them be merged (doubles: merge under contacts: in the route) and retry, mend it on the new side by hand, or accept it as it "
        + "is there";

    /// <summary>What was there before us is never overwritten, so that the old one alone cannot be chosen.</summary>
    private const string ForeignRemedy = "Compare both versions, and keep the new side's or both";

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
        var lost = (
            item.IsForeign
                ? ForeignItem.Lacks(order.Kind, item.Component, item.Octets, there.Octets)
                : ForeignItem.Lost(item.SentForm, stored)
        ).ToList();
        if (lost.Count == 0)
            return;
        var told = ForeignItem.Tell(lost);
        item.Leave(
            item.IsForeign
                ? new Fault(
                    Cause.EditedOnBothSides,
                    order.To.Credentials.Account,
                    $"the new side has the same one already, and it does not say all that this one says: {told}"
                )
                {
                    Help = order is { Kind: Planning.Kind.Contacts, Rules.Doubles: not Planning.ItemDoubles.Merge }
                        ? MergeRemedy
                        : ForeignRemedy,
                }
                : new Fault(Cause.ArrivedDamaged, order.To.Credentials.Account, told),
            there.Octets
        );
    }
}
