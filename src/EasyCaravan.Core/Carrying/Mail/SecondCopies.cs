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
    /// The same up to where it was cut off, or with octets of the server's storage around it: what a server that was killed in mid-append
    /// brings back.
    /// </summary>
    Torn,

    /// <summary>It has the same head, and the service does not give out one of the two, so that they could not be compared.</summary>
    Unknown,
}

/// <summary>
/// Compares messages of one folder of the to side as a whole. Nothing that holds anything of its own is ever taken for a second copy.
/// </summary>
internal static class SecondCopies
{
    /// <summary>Octets of a torn message that are held to be compared: larger ones are left alone.</summary>
    private static readonly ByteCount s_largestTorn = new(4 * 1024 * 1024);

    /// <summary>Octets before a message in which its beginning is looked for: storage keeps less than a line of its own there.</summary>
    private const int MostDebris = 1024;

    /// <summary>
    /// For each pair of numbers, first copy and second of the same head, what the second is.
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
            compared[pair] =
                !digests.TryGetValue(pair.First, out var first) || !digests.TryGetValue(pair.Second, out var second) ? SecondCopy.Unknown
                : first == second ? SecondCopy.Whole
                : await CompareOctetsAsync(to, path, pair, cancel);
        }
        return compared;
    }

    private static async Task<SecondCopy> CompareOctetsAsync(
        IMailAccount to,
        FolderPath path,
        (uint First, uint Second) pair,
        CancellationToken cancel
    )
    {
        var octets = new Dictionary<uint, byte[]?>();
        var reader = await to.ReadMessagesAsync([(path, new NumberSet([pair.First, pair.Second]))], cancel);
        while (await reader.NextAsync(cancel) is { } message)
        {
            var held = message.Size <= s_largestTorn ? new MemoryStream() : null;
            while (await reader.ReadAsync(cancel) is { Length: > 0 } piece)
                held?.Write(piece.Span);
            octets[message.Number] = held?.ToArray();
        }
        if (!octets.TryGetValue(pair.First, out var first) || !octets.TryGetValue(pair.Second, out var second))
            return SecondCopy.Unknown;
        return first is not null && second is not null && IsTorn(first, second) ? SecondCopy.Torn : SecondCopy.None;
    }

    /// <summary>Whether two messages are one that a server's storage has damaged in one place or both.</summary>
    internal static bool IsTorn(ReadOnlySpan<byte> one, ReadOnlySpan<byte> other) =>
        IsSameFromStart(one, WithoutDebris(other, one)) || IsSameFromStart(WithoutDebris(one, other), other);

    private static bool IsSameFromStart(ReadOnlySpan<byte> one, ReadOnlySpan<byte> other)
    {
        var shorter = Math.Min(one.Length, other.Length);
        return shorter > 0 && one[..shorter].SequenceEqual(other[..shorter]);
    }

    /// <summary>The message from where the first line of the other begins in it, if what stands before is no header.</summary>
    private static ReadOnlySpan<byte> WithoutDebris(ReadOnlySpan<byte> torn, ReadOnlySpan<byte> other)
    {
        var line = other[..(other.IndexOf((byte)'\n') + 1)];
        var start = line.IsEmpty ? -1 : torn[..Math.Min(torn.Length, MostDebris + line.Length)].IndexOf(line);
        return start > 0 && !IsHeader(torn[..start]) ? torn[start..] : torn;
    }

    /// <summary>
    /// Header fields that another copy does not have are its own, such as the trace of another delivery (RFC 5322 §3.6.7).
    /// </summary>
    private static bool IsHeader(ReadOnlySpan<byte> octets)
    {
        if (octets is not [.., (byte)'\n'])
            return false;
        foreach (var range in octets[..^1].Split((byte)'\n'))
        {
            var line = octets[range];
            // A field's name is of printable ASCII (RFC 5322 §2.2); what follows it may be folded.
            var name = line[..Math.Max(0, line.IndexOf((byte)':'))];
            if (range.Start.Value > 0 && line is [(byte)' ' or (byte)'\t', ..])
                continue;
            if (name.IsEmpty || name.IndexOfAnyExceptInRange((byte)'!', (byte)'~') >= 0)
                return false;
        }
        return true;
    }
}
