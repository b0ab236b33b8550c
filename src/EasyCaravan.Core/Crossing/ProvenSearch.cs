using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Crossing;

/// <summary>
/// Finds messages by their Message-ID. What a server's search gives is believed only after a look at each message: there are servers that
/// search loosely, or not at all and give every message, and some of what is found here is deleted.
/// </summary>
internal static class ProvenSearch
{
    /// <param name="messageId">Without angle brackets; just this one, octet for octet.</param>
    public static async Task<List<(FolderPath Path, NumberSet Numbers)>> FindAsync(
        IMailAccount account,
        IReadOnlyList<FolderPath> places,
        string messageId,
        CancellationToken cancel
    )
    {
        var proven = new List<(FolderPath, NumberSet)>();
        foreach (var (path, numbers) in await account.FindAsync(places, messageId, cancel))
        {
            var own = new List<uint>();
            await account.ReadHeadersAsync(
                path,
                numbers,
                header =>
                {
                    if (Identity.MessageIdOf(header.Header) == messageId)
                        own.Add(header.Number);
                },
                cancel
            );
            if (own.Count > 0)
                proven.Add((path, new NumberSet(own)));
        }
        return proven;
    }
}
