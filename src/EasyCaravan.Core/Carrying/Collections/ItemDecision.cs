using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Decides what each item needs that was read: nothing, to be written, to be looked at, or a person.</summary>
/// <param name="addresses">Of the calendar user on the to side.</param>
internal sealed class ItemDecision(
    CollectionLegOrder order,
    PageInHand page,
    IReadOnlyList<string> addresses,
    ItemReadBack readBack,
    ItemWriter writer
)
{
    /// <summary>Whether it has to be written; if not, its outcome is known, or it is only read back.</summary>
    public bool NeedsWriting(ItemInHand item)
    {
        if (order.Rules.Since is { } since && EventSpan.EndedBefore(item.Component, since))
        {
            item.Outcome = Outcome.Excluded;
            return false;
        }
        if (item.IsEdit && item.Item.FromDigest == item.Form.Digest)
        {
            // The service counts its state anew, and the octets are the same.
            item.StayAsItWas();
            return false;
        }
        var choice = page.Choices.TryGetValue(item.Item.Number, out var chosen) ? chosen : (VersionChoice?)null;
        if (choice is VersionChoice.New && item.Item.To is { } kept && page.Begun.TryGetValue(kept, out var theirs))
        {
            item.Land(item.IsForeign ? Outcome.Paired : Outcome.Carried, theirs, ItemForm.DigestOf(theirs.Octets));
            return false;
        }
        if (!page.IsSilent && Invitations.WouldBeSent(item.Component, addresses, order.Today) && !TrySilence(item))
            return false;
        if (choice is VersionChoice.Both || item.ShapedBefore.HasFlag(ItemShapings.AnotherUid))
            return NeedsWritingBeside(item);
        if (choice is VersionChoice.Old && item is { IsForeign: false, Item.To: { } over } && page.Begun.TryGetValue(over, out var former))
        {
            item.Item = item.Item with { ToDigest = ItemForm.DigestOf(former.Octets) };
            item.Replaces = former.Tag;
            return true;
        }
        if (item.IsForeign)
        {
            // Of events nobody could say what of both to keep.
            if (order.Kind is not Kind.Contacts && item.IsEdit)
                item.Leave(ItemWriter.Conflict(order));
            return false;
        }
        if (item.Item.To is { } begun)
        {
            if (item is { IsEdit: true, Item.ToTag: null })
            {
                item.Leave(new Fault(Cause.ItemRefused, order.To.Credentials.Account, "the new side does not tell in which state it is"));
                return false;
            }
            if (item.IsEdit)
                item.Replaces = item.Item.ToTag;
            else if (page.Begun.TryGetValue(begun, out var there))
                return NeedsWritingAgain(item, there);
            return true;
        }
        if (order.Rules.Doubles is not ItemDoubles.KeepBoth && page.Strangers.Claim(item.Component) is { } same)
        {
            item.Item = item.Item with { To = same, IsForeign = true };
            return false;
        }
        item.Item = item.Item with { To = writer.PlaceOf(item, 0) };
        return true;
    }

    /// <summary>It comes, or came before, beside what has its UID.</summary>
    private bool NeedsWritingBeside(ItemInHand item)
    {
        var place = writer.PlaceBeside(item);
        var wasThere = item.Item.To == place;
        item.Shape(item.Item.Shapings | ItemShapings.AnotherUid, ItemShaper.WithUidBeside(item));
        if (wasThere && item.IsEdit)
            item.Replaces = item.Item.ToTag;
        else if (wasThere && page.Begun.TryGetValue(place, out var there))
        {
            // A pass was killed after it had written it.
            readBack.Judge(item, there);
            return false;
        }
        else
            item.Item = item.Item with { To = place, ToTag = null, ToDigest = null, IsForeign = false };
        return true;
    }

    /// <summary>False, with the item left behind, where nothing that is allowed keeps the new side from sending something.</summary>
    private bool TrySilence(ItemInHand item)
    {
        if (order.Rules.Shaping.HasFlag(ItemShapings.ScheduleAgent) && ItemShaper.Silence(item, addresses) is { } silent)
        {
            item.Shape(ItemShapings.ScheduleAgent, silent);
            return true;
        }
        item.Leave(
            new Fault(Cause.WouldInvite, order.To.Credentials.Account, "the new side would send invitations for it, and has no switch")
        );
        return false;
    }

    /// <summary>A pass was killed while it wrote it, or it was left behind there and is to be tried again.</summary>
    private bool NeedsWritingAgain(ItemInHand item, StoredItem there)
    {
        var digest = ItemForm.DigestOf(there.Octets);
        if (item.Item.ToDigest is { } before)
        {
            if (before != digest)
                item.Leave(ItemWriter.Conflict(order), there.Octets);
            item.Replaces = there.Tag;
            return before == digest;
        }
        var isAsSent = ShapeAsBefore(item, there);
        if (item.Label.Uid is { } uid ? uid == ItemLabel.Of(ItemComponent.Parse(there.Octets)).Uid : isAsSent)
        {
            readBack.Judge(item, there);
            return false;
        }
        item.Item = item.Item with { To = writer.PlaceOf(item, 1) };
        return true;
    }

    /// <summary>
    /// It may have been written shaped, because it was refused as it is: then it is to be judged as it was sent. False: what is there is
    /// not what was sent in any way.
    /// </summary>
    private bool ShapeAsBefore(ItemInHand item, StoredItem there)
    {
        var stored = ItemForm.Of(there.Octets);
        if (!ForeignItem.Lost(item.SentForm, stored).Any())
            return true;
        foreach (var (shapings, octets) in ItemShaper.Ways(item, order.Rules.Shaping))
            if (!ForeignItem.Lost(ItemForm.Of(octets), stored).Any())
            {
                item.Shape(item.Item.Shapings | shapings, octets);
                return true;
            }
        return false;
    }
}
