using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// The old address forwards. A message that came to the old mailbox since may be on its way to the new one: to carry it at once would
/// double it.
/// </summary>
/// <param name="Before">
/// The next number of each folder of the from side, right before forwarding was switched on: what is below was not forwarded.
/// </param>
public sealed record ForwardedMail(IReadOnlyDictionary<FolderPath, ItemKey> Before)
{
    /// <summary>How long a forwarded message may take. After that its copy in the old mailbox is carried, if it has not come.</summary>
    public static readonly TimeSpan Longest = TimeSpan.FromMinutes(30);

    public bool MayBeOnItsWay(LedgerFolder page, ItemInfo item, DateTimeOffset now) =>
        !(Before.TryGetValue(page.From, out var next) && next.Epoch == page.FromEpoch && item.Number < next.Number)
        && now - item.Received < Longest;
}
