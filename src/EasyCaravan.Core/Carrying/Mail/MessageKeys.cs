using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>Which messages of one account are the same, in whatever folders they stand.</summary>
public static class MessageKeys
{
    /// <summary>
    /// By the service's own names where it has them (RFC 8474); else by identity and size, and by the body where there is no Message-ID.
    /// </summary>
    public static async Task<Dictionary<uint, UInt128>> ReadAsync(
        IMailAccount account,
        FolderPath path,
        NumberSet numbers,
        CancellationToken cancel
    )
    {
        var keys = new Dictionary<uint, UInt128>();
        if (numbers.Count == 0)
            return keys;
        if (account.Traits.NamesMessages)
            await account.ReadNamesAsync(
                path,
                numbers,
                (number, name) => keys[number] = XxHash128.HashToUInt128(Encoding.UTF8.GetBytes(name)),
                cancel
            );
        var unnamed = numbers.Except(new NumberSet(keys.Keys));
        if (unnamed.Count == 0)
            return keys;
        var doubtful = new NumberSet();
        await account.ReadHeadersAsync(
            path,
            unnamed,
            header =>
            {
                var identity = Identity.Of(header.Header);
                keys[header.Number] = Combine(identity.Print, (UInt128)header.Size.Count);
                if (!identity.Certain)
                    doubtful.Add(header.Number);
            },
            cancel
        );
        foreach (var (number, digest) in await BodyDigest.ReadAsync(account, path, doubtful, cancel))
            keys[number] = Combine(keys[number], digest);
        return keys;
    }

    private static UInt128 Combine(UInt128 one, UInt128 other)
    {
        Span<byte> bytes = stackalloc byte[32];
        System.Buffers.Binary.BinaryPrimitives.WriteUInt128LittleEndian(bytes, one);
        System.Buffers.Binary.BinaryPrimitives.WriteUInt128LittleEndian(bytes[16..], other);
        return XxHash128.HashToUInt128(bytes);
    }
}
