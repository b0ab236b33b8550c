using System.Diagnostics;
using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Writes items to one collection of the to side. Each write says what it expects to be there, so that nothing of anybody else is ever
/// overwritten.
/// </summary>
internal sealed class ItemWriter(CollectionLegOrder order, ICollectionAccount to, CollectionState collection)
{
    /// <summary>Names that are tried for one item, where others have the first.</summary>
    private const int MostNames = 5;

    /// <summary>Characters of a name. Longer ones are made from the digest.</summary>
    private const int LongestName = 180;

    private string Suffix => order.Kind is Planning.Kind.Contacts ? ".vcf" : ".ics";

    /// <summary>Where an item goes: under its own name, so that a second try finds the first.</summary>
    public Href PlaceOf(ItemInHand item, int attempt)
    {
        var name = item.Item.From.Name;
        if (name.Length is 0 or > LongestName || name.Any(char.IsControl) || name.Any(c => c is '/' or '#'))
            name = $"{item.Form.OctetDigest:x32}";
        else if (name.EndsWith(Suffix, StringComparison.OrdinalIgnoreCase))
            name = name[..^Suffix.Length];
        return collection.Href.Item($"{name}{(attempt == 0 ? "" : $"-{attempt + 1}")}{Suffix}");
    }

    /// <summary>Where it goes if what has its place and its UID is to stay.</summary>
    public Href PlaceBeside(ItemInHand item) =>
        collection.Href.Item($"{XxHash64.HashToUInt64(Encoding.UTF8.GetBytes(ItemShaper.UidBeside(item))):x16}-old-side{Suffix}");

    /// <summary>Writes as many at a time as the service likes best. Afterwards each is written, or has an outcome.</summary>
    public async Task WriteAsync(IReadOnlyCollection<ItemInHand> items, CancellationToken cancel)
    {
        var (lanes, began) = (order.Writing.Next(order.Lanes), Stopwatch.GetTimestamp());
        await Parallel.ForEachAsync(
            items,
            new ParallelOptions { MaxDegreeOfParallelism = lanes, CancellationToken = cancel },
            async (item, c) => await WriteAsync(item, c)
        );
        order.Writing.Took(lanes, items.Count, Stopwatch.GetElapsedTime(began));
    }

    private async Task WriteAsync(ItemInHand item, CancellationToken cancel)
    {
        using var ways = ItemShaper.Ways(item, order.Rules.Shaping).GetEnumerator();
        for (var attempt = 0; ; attempt++)
        {
            if (!order.RateLimiters.TryTake(item.Size))
                await order.RateLimiters.TakeAsync(item.Size, cancel);
            var place = item.Item.To!.Value;
            var write = item.Replaces is { } tag
                ? await to.ReplaceAsync(place, tag, item.Sent, cancel)
                : await to.AddAsync(place, item.Sent, cancel);
            switch (write)
            {
                case ItemWrite.Taken:
                    return;
                case ItemWrite.Refused when ways.MoveNext():
                    item.Shape(item.Item.Shapings | ways.Current.Shapings, ways.Current.Octets);
                    break;
                case ItemWrite.Refused refused:
                    item.Leave(refused.Fault);
                    return;
                case ItemWrite.UidTaken taken:
                    item.Leave(
                        taken.Where is { } where ? taken.Fault with { What = $"{taken.Fault.What}: it is at {where}" } : taken.Fault
                    );
                    return;
                case ItemWrite.NotAsExpected when attempt == MostNames:
                    item.Leave(
                        new Fault(Cause.ItemRefused, order.To.Credentials.Account, "the new side says again and again that it changed")
                    );
                    return;
                case ItemWrite.NotAsExpected when await IsSettledAsync(item, attempt, cancel):
                    return;
            }
        }
    }

    /// <summary>Something else is there than was expected. False: it is to be written again, to where the item says now.</summary>
    private async Task<bool> IsSettledAsync(ItemInHand item, int attempt, CancellationToken cancel)
    {
        var there = await to.FindItemAsync(collection, item.Item.To!.Value, cancel);
        if (there is null)
        {
            item.Replaces = null;
            return false;
        }
        if (item.Replaces is null)
        {
            if (ItemLabel.Of(ItemComponent.Parse(there.Octets)).Uid == item.Label.Uid && item.Label.Uid is not null)
            {
                // The same one, perhaps by our own hand: reading back says whether it is whole.
                return true;
            }
            item.Item = item.Item with { To = PlaceOf(item, attempt + 1) };
            return false;
        }
        // The service may count a state anew although nobody edited the item.
        if (there.Tag is { } tag && ItemForm.DigestOf(there.Octets) == item.Item.ToDigest)
        {
            item.Replaces = tag;
            return false;
        }
        item.Leave(Conflict(order), there.Octets);
        return true;
    }

    public static Fault Conflict(CollectionLegOrder order) =>
        new(Cause.EditedOnBothSides, order.To.Credentials.Account, "it was edited on both sides since the last pass");
}
