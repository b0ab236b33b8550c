using System.Buffers.Binary;
using System.IO.Compression;
using System.IO.Hashing;
using System.Security.Cryptography;
using Microsoft.Win32.SafeHandles;

namespace EasyCaravan.Parcels.Zip;

/// <summary>
/// The octets of one entry, unpacked and decrypted. It gives as many as the archive tells, and ends with an error where they are more,
/// fewer or others.
/// </summary>
internal sealed class ZipEntryStream : ForwardReadStream
{
    private readonly ZipEntry _entry;
    private readonly Func<ParcelException> _damaged;
    private readonly Stream _octets;
    private readonly Crc32 _crc = new();
    private long _left;
    private bool _isChecked;

    public ZipEntryStream(
        SafeFileHandle file,
        ZipEntry entry,
        long start,
        string? password,
        Func<ParcelException> damaged,
        Func<bool, ParcelException> noPassword
    )
    {
        (_entry, _damaged, _left) = (entry, damaged, entry.Size);
        _octets = new StoredStream(file, start, entry, password, damaged, noPassword);
        if (entry.Method is ZipMethod.Deflated)
            _octets = new DeflateStream(_octets, CompressionMode.Decompress);
    }

    public override long Length => _entry.Size;

    public override int Read(Span<byte> buffer)
    {
        if (buffer.IsEmpty)
            return 0;
        try
        {
            if (_left == 0)
            {
                CheckEnd();
                return 0;
            }
            var read = _octets.Read(buffer[..(int)Math.Min(buffer.Length, _left)]);
            if (read == 0)
                throw _damaged();
            if (!_entry.IsEncrypted)
                _crc.Append(buffer[..read]);
            _left -= read;
            // At once, and not only when somebody asks for more: whoever has all octets has them checked.
            if (_left == 0)
                CheckEnd();
            return read;
        }
        catch (InvalidDataException)
        {
            throw _damaged();
        }
    }

    public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        cancellationToken.ThrowIfCancellationRequested();
        return ValueTask.FromResult(Read(buffer.Span));
    }

    public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
        ReadAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            _octets.Dispose();
        base.Dispose(disposing);
    }

    private void CheckEnd()
    {
        if (_isChecked)
            return;
        _isChecked = true;
        // Nothing may come after the last octet; reading it also has the authentication code looked at.
        if (_octets.Read(new byte[1]) > 0)
            throw _damaged();
        if (!_entry.IsEncrypted && _crc.GetCurrentHashAsUInt32() != _entry.Crc)
            throw _damaged();
    }

    /// <summary>The entry's octets in the archive, decrypted.</summary>
    private sealed class StoredStream : ForwardReadStream
    {
        private readonly SafeFileHandle _file;
        private readonly AesCipher? _cipher;
        private readonly Func<ParcelException> _damaged;
        private long _at;
        private long _left;
        private bool _isChecked;

        public StoredStream(
            SafeFileHandle file,
            long start,
            ZipEntry entry,
            string? password,
            Func<ParcelException> damaged,
            Func<bool, ParcelException> noPassword
        )
        {
            (_file, _at, _left, _damaged) = (file, start, entry.Stored, damaged);
            if (!entry.IsEncrypted)
                return;
            if (password is null)
                throw noPassword(true);
            Span<byte> begin = stackalloc byte[AesCipher.SaltLength + AesCipher.VerifierLength];
            if (RandomAccess.Read(file, begin, start) < begin.Length)
                throw damaged();
            _cipher = new AesCipher(password, begin[..AesCipher.SaltLength]);
            if (_cipher.Verifier != BinaryPrimitives.ReadUInt16LittleEndian(begin[AesCipher.SaltLength..]))
                throw noPassword(false);
            _at += begin.Length;
            _left -= ZipHeaders.AesOverhead;
        }

        public override int Read(Span<byte> buffer)
        {
            if (_left == 0)
            {
                CheckCode();
                return 0;
            }
            var read = RandomAccess.Read(_file, buffer[..(int)Math.Min(buffer.Length, _left)], _at);
            if (read == 0)
                throw _damaged();
            _cipher?.Decrypt(buffer[..read]);
            _at += read;
            _left -= read;
            return read;
        }

        protected override void Dispose(bool disposing)
        {
            if (disposing)
                _cipher?.Dispose();
            base.Dispose(disposing);
        }

        private void CheckCode()
        {
            if (_cipher is null || _isChecked)
                return;
            _isChecked = true;
            Span<byte> code = stackalloc byte[AesCipher.CodeLength];
            if (RandomAccess.Read(_file, code, _at) < code.Length || !CryptographicOperations.FixedTimeEquals(code, _cipher.Code()))
                throw _damaged();
        }
    }
}
