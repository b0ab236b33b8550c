using System.Buffers.Binary;
using System.Runtime.InteropServices;
using System.Security.Cryptography;
using System.Text;

namespace EasyCaravan.Parcels.Zip;

/// <summary>
/// Encrypts or decrypts one entry as AE-2 defines it: AES-256 in counter mode, the counter little-endian from 1, and an authentication
/// code (HMAC-SHA1, its first ten octets) over what is encrypted.
/// </summary>
internal sealed class AesCipher : IDisposable
{
    public const int SaltLength = 16;
    public const int VerifierLength = 2;
    public const int CodeLength = 10;

    private const int Rounds = 1000;
    private const int KeyLength = 32;
    private const int Block = 16;
    private const int Ahead = 1024 * Block;

    private readonly Aes _aes;
    private readonly IncrementalHash _code;
    private readonly byte[] _counters = new byte[Ahead];
    private readonly byte[] _stream = new byte[Ahead];
    private ulong _next = 1;
    private int _used = Ahead;

    public AesCipher(string password, ReadOnlySpan<byte> salt)
    {
        Span<byte> keys = stackalloc byte[(2 * KeyLength) + VerifierLength];
#pragma warning disable CA5379 // AE-2 defines SHA-1 for the derivation; the password's own strength is what counts.
        Rfc2898DeriveBytes.Pbkdf2(Encoding.UTF8.GetBytes(password), salt, keys, Rounds, HashAlgorithmName.SHA1);
#pragma warning restore CA5379
        _aes = Aes.Create();
        _aes.Key = keys[..KeyLength].ToArray();
        _code = IncrementalHash.CreateHMAC(HashAlgorithmName.SHA1, keys[KeyLength..(2 * KeyLength)]);
        Verifier = BinaryPrimitives.ReadUInt16LittleEndian(keys[(2 * KeyLength)..]);
    }

    /// <summary>Tells a wrong password in all but one of 65,536 cases.</summary>
    public ushort Verifier { get; }

    public void Encrypt(Span<byte> octets)
    {
        Apply(octets);
        _code.AppendData(octets);
    }

    public void Decrypt(Span<byte> octets)
    {
        _code.AppendData(octets);
        Apply(octets);
    }

    /// <summary>Of all that was encrypted or decrypted.</summary>
    public byte[] Code() => _code.GetHashAndReset()[..CodeLength];

    public void Dispose()
    {
        _aes.Dispose();
        _code.Dispose();
    }

    private void Apply(Span<byte> octets)
    {
        while (octets.Length > 0)
        {
            if (_used == Ahead)
            {
                for (var i = 0; i < Ahead; i += Block)
                    BinaryPrimitives.WriteUInt64LittleEndian(_counters.AsSpan(i), _next++);
                _aes.EncryptEcb(_counters, _stream, PaddingMode.None);
                _used = 0;
            }
            var some = Math.Min(octets.Length, Ahead - _used);
            Xor(octets[..some], _stream.AsSpan(_used, some));
            octets = octets[some..];
            _used += some;
        }
    }

    private static void Xor(Span<byte> octets, ReadOnlySpan<byte> stream)
    {
        var wide = MemoryMarshal.Cast<byte, ulong>(octets);
        var wideStream = MemoryMarshal.Cast<byte, ulong>(stream);
        for (var i = 0; i < wide.Length; i++)
            wide[i] ^= wideStream[i];
        for (var i = wide.Length * sizeof(ulong); i < octets.Length; i++)
            octets[i] ^= stream[i];
    }
}
