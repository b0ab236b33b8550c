using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>An item between having been read and having been settled.</summary>
/// <param name="item">What the ledger knew of it.</param>
/// <param name="read">As the from side gives it.</param>
internal sealed class ItemInHand(CollectionItem item, StoredItem read)
{
    private ItemForm? _form;
    private ItemComponent? _component;

    public ReadOnlyMemory<byte> Octets => read.Octets;

    public ByteCount Size { get; } = new(read.Octets.Length);

    /// <summary>What it says. Made when it is asked for: until it is its turn, an item is its octets and nothing else.</summary>
    public ItemForm Form => _form ??= ItemForm.Of(read.Octets);

    public ItemComponent Component => _component ??= ItemComponent.Parse(read.Octets);

    /// <summary>It is written: lets go of what is needed only to decide about it, which takes several times its octets.</summary>
    public void Rest() => _component = null;

    /// <summary>What is written: the item as it is, or shaped.</summary>
    public ReadOnlyMemory<byte> Sent { get; private set; } = read.Octets;

    /// <summary>What the to side has to store.</summary>
    public ItemForm SentForm => Item.Shapings is ItemShapings.None ? Form : ItemForm.Of(Sent);

    public void Shape(ItemShapings shapings, byte[] octets)
    {
        Sent = octets;
        Item = Item with { Shapings = shapings };
    }

    /// <summary>What is there gets what it lacks; false where it lacks nothing.</summary>
    public bool Merge(ReadOnlyMemory<byte> there, ETag tag)
    {
        if (ContactMerge.Merge(there, Component) is not { } merged)
            return false;
        (Sent, Replaces) = (merged, tag);
        // Should somebody edit it in this very moment, its state says so.
        Item = Item with { ToDigest = ItemForm.DigestOf(there) };
        return true;
    }

    /// <summary>For people; made when somebody asks, which is seldom.</summary>
    public ItemLabel Label => field ??= ItemLabel.Of(Component);

    /// <summary>What is known of it now.</summary>
    public CollectionItem Item { get; set; } = item with { FromTag = read.Tag?.Digest, Shapings = ItemShapings.None };

    /// <summary>What was changed about it when it was written last.</summary>
    public ItemShapings ShapedBefore => item.Shapings;

    /// <summary>It was there before us: paired, or merged with what is there, and never overwritten.</summary>
    public bool IsForeign => Item.IsForeign;

    /// <summary>It was settled before, and was edited since.</summary>
    public bool IsEdit { get; init; }

    /// <summary>The object on the to side that it replaces; null: it is new there.</summary>
    public ETag? Replaces { get; set; }

    /// <summary>What became of it; null: not known yet.</summary>
    public Outcome? Outcome { get; set; }

    /// <summary>Why it was left behind.</summary>
    public Fault? Fault { get; set; }

    /// <summary>As the to side has it, where that is not the same.</summary>
    public ReadOnlyMemory<byte>? Other { get; set; }

    public void Leave(Fault fault, ReadOnlyMemory<byte>? other = null) =>
        (Outcome, Fault, Other) = (Ports.Outcome.LeftBehind, fault, other);

    /// <summary>What is on the to side is what was carried before, and it stays.</summary>
    public void StayAsItWas()
    {
        Outcome = IsForeign ? Ports.Outcome.Paired : Ports.Outcome.Carried;
        Item = Item with { Shapings = ShapedBefore };
    }

    public void Land(Outcome outcome, StoredItem there, ulong digest)
    {
        Outcome = outcome;
        Item = Item with { FromDigest = Form.Digest, To = there.Href, ToTag = there.Tag, ToDigest = digest };
    }
}
