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
/// <param name="After">The same once it was seen to be on: what is not below was forwarded.</param>
/// <param name="Since">When it was switched on.</param>
public sealed record ForwardedMail(
    DateTimeOffset Since,
    IReadOnlyDictionary<FolderPath, ItemKey> Before,
    IReadOnlyDictionary<FolderPath, ItemKey> After
)
{
    /// <summary>How long a forwarded message may take. After that its copy in the old mailbox is carried, if it has not come.</summary>
    public static readonly TimeSpan Longest = TimeSpan.FromMinutes(30);

    /// <summary>The same for one that came while forwarding was being switched on: it may not have been forwarded at all.</summary>
    public static readonly TimeSpan Doubtful = TimeSpan.FromSeconds(20);

    /// <summary>
    /// The old side's clock may differ from ours by so much. What it received earlier came before forwarding was on, also where its owner
    /// has moved it since and it has a new number.
    /// </summary>
    public static readonly TimeSpan Skew = TimeSpan.FromMinutes(2);

    /// <summary>It came to the old address after forwarding was on.</summary>
    public bool CameAfter(LedgerFolder page, ItemInfo item) => item.Received >= Since && !IsBelow(After, page, item);

    /// <summary>How much longer a message may be on its way; null: it is not.</summary>
    public TimeSpan? MayTake(LedgerFolder page, ItemInfo item, DateTimeOffset now)
    {
        if (IsBelow(Before, page, item) || item.Received < Since - Skew)
            return null;
        var left = item.Received + (IsBelow(After, page, item) ? Doubtful : Longest) - now;
        return left > TimeSpan.Zero ? left : null;
    }

    private static bool IsBelow(IReadOnlyDictionary<FolderPath, ItemKey> numbers, LedgerFolder page, ItemInfo item) =>
        numbers.TryGetValue(page.From, out var next) && next.Epoch == page.FromEpoch && item.Number < next.Number;
}
