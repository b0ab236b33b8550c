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

    /// <param name="foreign">
    /// These were there before us: what is the same is paired, and what is not has been edited on one side or the other.
    /// </param>
    public async Task ReadAsync(IReadOnlyCollection<ItemInHand> items, bool foreign, CancellationToken cancel)
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
                    Judge(item, there, foreign);
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

    public void Judge(ItemInHand item, StoredItem there, bool foreign)
    {
        var stored = ItemForm.Of(there.Octets);
        var comparison = ItemComparison.Of(foreign ? item.Form : item.SentForm, stored);
        item.Land(foreign ? Outcome.Paired : Outcome.Carried, there, stored.Digest);
        if (comparison.Likeness is not ItemLikeness.Damaged)
            return;
        var changes = comparison.Changes.Where(c => c.Kind is not ItemChangeKind.Added).ToList();
        var told = string.Join("; ", changes.Take(MostChanges).Select(Words));
        var more = changes.Count > MostChanges ? $"; and {changes.Count - MostChanges} more" : "";
        item.Leave(
            foreign
                ? new Fault(
                    Cause.EditedOnBothSides,
                    order.To.Credentials.Account,
                    $"one of the same UID was there already, and is not the same: {told}{more}"
                )
                : new Fault(Cause.ArrivedDamaged, order.To.Credentials.Account, $"{told}{more}"),
            there.Octets
        );
    }

    private static string Words(ItemChange change) =>
        change.Kind is ItemChangeKind.Lost
            ? $"{change.Name} is lost ('{Short(change.Before)}')"
            : $"{change.Name} is changed from '{Short(change.Before)}' to '{Short(change.After)}'";

    private static string Short(string? value) =>
        value is null ? ""
        : value.Length > 60 ? $"{value[..60]}…"
        : value;
}
