using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using EasyCaravan.Contract;

namespace EasyCaravan.Parcels;

/// <summary>
/// The seal of a part: a signature over its manifest (ECDSA over P-256 with SHA-256, FIPS 186-5). As each manifest names the one before
/// it, the seal of the last part is one over all of them.
/// </summary>
public static class ParcelSeal
{
    /// <summary>Named in the seal, so that a reader knows what it reads.</summary>
    public const string Form = "easy-caravan-seal/1";

    private const int Longest = 4096;

    /// <param name="manifest">SHA-256 of the manifest.</param>
    public static byte[] Make(ECDsa key, byte[] manifest) => Write(key.ExportSubjectPublicKeyInfo(), manifest, key.SignHash(manifest));

    /// <summary>By which people know the key that sealed it.</summary>
    /// <exception cref="ParcelException">It is no seal, or one of something else.</exception>
    public static string Check(Stream seal, byte[] manifest, string file)
    {
        var octets = new byte[Longest];
        var length = seal.ReadAtLeast(octets, Longest, throwOnEndOfStream: false);
        try
        {
            using var json = JsonDocument.Parse(octets.AsMemory(0, length));
            var root = json.RootElement;
            var (publicKey, signature) = (root.GetProperty("key").GetBytesFromBase64(), root.GetProperty("signature").GetBytesFromBase64());
            using var key = ECDsa.Create();
            key.ImportSubjectPublicKeyInfo(publicKey, out _);
            // Written anew and compared: no octet of it can be another one.
            if (octets.AsSpan(0, length).SequenceEqual(Write(publicKey, manifest, signature)) && key.VerifyHash(manifest, signature))
                return WaybillSeal.PrintOf(publicKey);
        }
        catch (Exception e)
            when (e is JsonException or FormatException or KeyNotFoundException or InvalidOperationException or CryptographicException)
        {
            throw new ParcelException(ParcelCause.Damaged, $"{file}: its seal is damaged", e);
        }
        throw new ParcelException(ParcelCause.Damaged, $"{file}: its seal is not that of this manifest");
    }

    private static byte[] Write(byte[] publicKey, byte[] manifest, byte[] signature) =>
        Encoding.ASCII.GetBytes(
            $"{{\"form\":\"{Form}\",\"key\":\"{Convert.ToBase64String(publicKey)}\",\"manifest\":\"{Convert.ToHexStringLower(manifest)}\","
                + $"\"signature\":\"{Convert.ToBase64String(signature)}\"}}\n"
        );
}
