using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>How a message is a second copy of another.</summary>
internal enum SecondCopy
{
    /// <summary>It is another message, whatever its head says.</summary>
    None,

    /// <summary>The same, octet for octet.</summary>
    Whole,

    /// <summary>
    /// The same up to where it was cut off, or with octets after its end: what a server that was killed in mid-append brings back.
    /// </summary>
    Torn,
}

/// <summary>
/// Compares messages of one folder of the to side as a whole. Nothing that holds anything of its own is ever taken for a second copy.
/// </summary>
internal static class SecondCopies
{
    /// <summary>Octets of a torn message that are held to be compared: larger ones are left alone.</summary>
    private static readonly ByteCount s_largestTorn = new(4 * 1024 * 1024);

    /// <summary>
    /// For each pair of numbers, first copy and second, what the second is. A pair of which the service does not give both is left out.
    /// </summary>
    public static async Task<Dictionary<(uint First, uint Second), SecondCopy>> CompareAsync(
        IMailAccount to,
        FolderPath path,
        IReadOnlyCollection<(uint First, uint Second)> pairs,
        CancellationToken cancel
    )
    {
        var numbers = new NumberSet(pairs.SelectMany(p => new[] { p.First, p.Second }).Distinct());
        var digests = await BodyDigest.ReadAsync(to, path, numbers, cancel, whole: true);
        var compared = new Dictionary<(uint, uint), SecondCopy>();
        foreach (var pair in pairs)
        {
            if (!digests.TryGetValue(pair.First, out var first) || !digests.TryGetValue(pair.Second, out var second))
                continue;
            compared[pair] =
                first == second ? SecondCopy.Whole
                : await IsTornAsync(to, path, pair, cancel) ? SecondCopy.Torn
                : SecondCopy.None;
        }
        return compared;
    }

    private static async Task<bool> IsTornAsync(IMailAccount to, FolderPath path, (uint First, uint Second) pair, CancellationToken cancel)
    {
        var octets = new Dictionary<uint, byte[]>();
        var reader = await to.ReadMessagesAsync([(path, new NumberSet([pair.First, pair.Second]))], cancel);
        while (await reader.NextAsync(cancel) is { } message)
        {
            var held = message.Size <= s_largestTorn ? new MemoryStream() : null;
            while (await reader.ReadAsync(cancel) is { Length: > 0 } piece)
                held?.Write(piece.Span);
            if (held is not null)
                octets[message.Number] = held.ToArray();
        }
        if (!octets.TryGetValue(pair.First, out var whole) || !octets.TryGetValue(pair.Second, out var second))
            return false;
        var shorter = Math.Min(whole.Length, second.Length);
        return shorter > 0 && whole.AsSpan(0, shorter).SequenceEqual(second.AsSpan(0, shorter));
    }
}
