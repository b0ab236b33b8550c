using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>
/// A message that came to the new account by itself since the move began: forwarded from the old address, or sent to both.
/// </summary>
/// <param name="Id">0 for one that is new.</param>
/// <param name="Place">The folder in which it was seen last.</param>
/// <param name="IsGone">It was seen, and is no longer there: its owner deleted it.</param>
/// <param name="IsMatched">A message of the from side was found to be the same.</param>
public sealed record Arrival(long Id, FolderPath Place, ItemKey Key, ByteCount Size, Identity Print, bool IsGone, bool IsMatched);

/// <summary>A message to the old address after forwarding was on.</summary>
/// <param name="Folder">The ledger's page.</param>
/// <param name="Sender">The address from which it came.</param>
public sealed record LateMail(long Folder, uint Number, DateTimeOffset Received, string Sender);

/// <summary>What the new account got by itself, as far as passes have seen it.</summary>
public interface IArrivals
{
    /// <summary>What each folder of the to side held when it was last looked through.</summary>
    Task<IReadOnlyDictionary<FolderPath, Membership>> LookedAsync(CancellationToken cancel);

    Task<IReadOnlyList<Arrival>> ArrivalsAsync(CancellationToken cancel);

    /// <summary>Adds those without a number, changes the others, and notes what was looked through.</summary>
    Task RecordArrivalsAsync(
        IReadOnlyCollection<Arrival> arrivals,
        IReadOnlyDictionary<FolderPath, Membership> looked,
        CancellationToken cancel
    );

    /// <summary>Notes who still writes to the old address; what is noted already stays as it is.</summary>
    Task NoteLateMailAsync(IReadOnlyList<LateMail> mail, CancellationToken cancel);

    /// <summary>Records pairs together with the arrivals that they use up, all or none.</summary>
    Task RecordMatchesAsync(IReadOnlyList<PageEntries> pages, IReadOnlyCollection<long> arrivals, CancellationToken cancel);
}
