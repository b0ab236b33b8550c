using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Surveying;

/// <summary>How much there is of contacts or calendars.</summary>
public sealed record KindVolume(Kind Kind, int Collections, long Items, ByteCount Octets);

/// <summary>How much of each folder there is to carry, before anything is.</summary>
public static class CarryVolumes
{
    /// <summary>
    /// Of address books or calendars what lands somewhere and is not there already. Which events a day leaves out only the pass finds out.
    /// </summary>
    public static KindVolume Of(KindInventory inventory, CollectionRules rules)
    {
        var landings = CollectionMap.Draw(
            rules,
            [.. inventory.From.Select(c => c.State)],
            [.. inventory.To.Select(c => c.State)],
            new Dictionary<Href, Href>()
        );
        var landing = landings.Where(l => l.Title is not null).Select(l => l.From.Href.ToString()).ToHashSet();
        var carried = inventory.From.Where(c => landing.Contains(c.Path)).ToList();
        var (items, octets) = (0L, 0.0);
        foreach (var collection in carried)
        {
            var here = Math.Max(0, collection.Items - (collection.Forecast?.Same ?? 0));
            items += here;
            octets += collection.Items == 0 ? 0 : (double)collection.Octets.Count * here / collection.Items;
        }
        return new KindVolume(inventory.Kind, carried.Count, items, new ByteCount((long)octets));
    }

    /// <summary>
    /// By folder, zero for what stays behind. Of a view of all mail it is what the other folders cannot account for; of a view of flagged
    /// mail nothing, as all of it stands in some folder. Which messages those are only the pass finds out.
    /// </summary>
    public static IReadOnlyDictionary<string, (long Messages, ByteCount Octets)> Of(FromInventory from, FolderMap map, MailRules rules)
    {
        var carried = map.Landings.Where(l => l.To is not null).Select(l => l.From.Path.ToString()).ToHashSet();
        var all = from.Folders.ToDictionary(
            f => f.Path,
            f => carried.Contains(f.Path) ? f.Under(rules) : (Messages: 0L, Octets: ByteCount.Zero)
        );
        var views = from.Folders.Where(f => carried.Contains(f.Path) && MultiFolderMessages.IsView(f.State)).ToList();
        if (views.Count == carried.Count)
            return all;
        var others = all.Where(f => views.TrueForAll(v => v.Path != f.Key)).Select(f => f.Value).ToList();
        var (messages, octets) = (others.Sum(o => o.Messages), others.Sum(o => o.Octets));
        foreach (var view in views)
            all[view.Path] =
                view.Use is SpecialUse.All
                    ? (Math.Max(0, all[view.Path].Messages - messages), all[view.Path].Octets.Less(octets))
                    : (0, ByteCount.Zero);
        return all;
    }
}
