using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Surveying;

/// <summary>How much of each folder there is to carry, before anything is.</summary>
public static class CarryVolumes
{
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
