using System.Security.Cryptography;
using System.Text;
using System.Text.Json;

namespace EasyCaravan.Contract;

/// <summary>What became of checking a sealed waybill.</summary>
/// <param name="Fault">What is wrong, as a sentence without a full stop; null: it is as it was when it was sealed.</param>
/// <param name="Line">The line that it was seen at, from 1; null: nothing is wrong.</param>
/// <param name="Lines">How many lines were read.</param>
/// <param name="Key">The print of the key that sealed it; null where the first line does not tell.</param>
public sealed record SealCheck(string? Fault, int? Line, int Lines, string? Key);

/// <summary>
/// A waybill in lines that depend on each other, so that a later change shows, and shows where. Each line is a SHA-256 in hexadecimal, a
/// blank, and a JSON object; the digest is that of the line before it (32 zero octets before the first) and of the object's octets. The
/// first object names the form and the public key; the last line is the word <c>signature</c>, a blank, and the signature (ECDSA over P-256
/// with SHA-256, FIPS 186-5) of the last digest in base64.
/// </summary>
public static class WaybillSeal
{
    /// <summary>The form of the file, in its first object.</summary>
    public const string Form = "easy-caravan-waybill/1";

    private const string SignatureWord = "signature ";

    private const int DigestLength = 64;

    /// <param name="header">Of the first object, to which form and key are added.</param>
    /// <param name="entries">Objects in JSON, a line each.</param>
    /// <returns>Lines without their ends.</returns>
    public static IEnumerable<string> Seal(IReadOnlyDictionary<string, string> header, IEnumerable<string> entries, ECDsa key)
    {
        var digest = new byte[SHA256.HashSizeInBytes];
        foreach (var entry in entries.Prepend(HeaderOf(header, key)))
        {
            digest = Next(digest, entry);
            yield return $"{Convert.ToHexStringLower(digest)} {entry}";
        }
        yield return SignatureWord + Convert.ToBase64String(key.SignHash(digest));
    }

    private static string HeaderOf(IReadOnlyDictionary<string, string> header, ECDsa key)
    {
        using var octets = new MemoryStream();
        using (var json = new Utf8JsonWriter(octets))
        {
            json.WriteStartObject();
            json.WriteString("form", Form);
            json.WriteBase64String("key", key.ExportSubjectPublicKeyInfo());
            foreach (var (name, value) in header)
                json.WriteString(name, value);
            json.WriteEndObject();
        }
        return Encoding.UTF8.GetString(octets.ToArray());
    }

    /// <param name="lines">Without their ends.</param>
    public static SealCheck Check(IEnumerable<string> lines)
    {
        var (digest, number, signature) = (new byte[SHA256.HashSizeInBytes], 0, (string?)null);
        byte[]? key = null;
        foreach (var line in lines)
        {
            number++;
            SealCheck Wrong(string what) => new(what, number, number, key is null ? null : PrintOf(key));
            if (signature is not null)
                return Wrong("something stands behind the signature");
            if (line.StartsWith(SignatureWord, StringComparison.Ordinal))
            {
                signature = line[SignatureWord.Length..];
                continue;
            }
            if (line.Length <= DigestLength || line[DigestLength] != ' ')
                return Wrong("this is no line of a sealed waybill");
            var entry = line[(DigestLength + 1)..];
            digest = Next(digest, entry);
            if (!line.AsSpan(0, DigestLength).SequenceEqual(Convert.ToHexStringLower(digest)))
                return Wrong("this line, or one before it, was changed, added or taken away");
            if (number == 1 && (key = KeyOf(entry)) is null)
                return Wrong($"the first line does not tell the form {Form} and a key");
        }
        var print = key is null ? null : PrintOf(key);
        if (key is null || signature is null)
            return new SealCheck("its end is missing", number, number, print);
        return IsSigned(key, digest, signature)
            ? new SealCheck(null, null, number, print)
            : new SealCheck("the signature is not that of this waybill and key", number, number, print);
    }

    /// <summary>By which people know a key: the SHA-256 of its octets, in groups.</summary>
    public static string PrintOf(byte[] publicKey) =>
        string.Join('-', Convert.ToHexStringLower(SHA256.HashData(publicKey)).Chunk(8).Take(4).Select(c => new string(c)));

    private static byte[] Next(byte[] before, string entry) => SHA256.HashData([.. before, .. Encoding.UTF8.GetBytes(entry)]);

    private static byte[]? KeyOf(string entry)
    {
        try
        {
            using var document = JsonDocument.Parse(entry);
            return
                document.RootElement.TryGetProperty("form", out var form)
                && form.ValueEquals(Form)
                && document.RootElement.TryGetProperty("key", out var key)
                ? key.GetBytesFromBase64()
                : null;
        }
        catch (Exception e) when (e is JsonException or FormatException or InvalidOperationException)
        {
            return null;
        }
    }

    private static bool IsSigned(byte[] publicKey, byte[] digest, string signature)
    {
        try
        {
            using var key = ECDsa.Create();
            key.ImportSubjectPublicKeyInfo(publicKey, out _);
            var octets = Convert.FromBase64String(signature);
            // The last character of base64 has bits that mean nothing: it, too, has to be as it was written.
            return Convert.ToBase64String(octets) == signature && key.VerifyHash(digest, octets);
        }
        catch (Exception e) when (e is CryptographicException or FormatException)
        {
            return false;
        }
    }
}
