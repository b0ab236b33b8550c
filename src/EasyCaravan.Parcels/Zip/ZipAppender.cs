using System.Buffers.Binary;
using System.IO.Hashing;
using System.Security.Cryptography;
using Microsoft.Win32.SafeHandles;

namespace EasyCaravan.Parcels.Zip;

/// <summary>
/// Adds entries at the end of an archive that is not finished, from a known place on: what an interrupted run left behind it is
/// overwritten. Entries are stored as they are, so that they can be read at once and from any place.
/// </summary>
/// <remarks>No package offers this: all of them begin an archive anew, and keep its whole directory in memory.</remarks>
public sealed class ZipAppender : IDisposable
{
    private const int BufferLength = 1024 * 1024;

    /// <summary>Where an entry's CRC-32 stands in its local header.</summary>
    private const int CrcAt = 14;

    private readonly SafeFileHandle _file;
    private readonly string? _password;
    private readonly PreparedCiphers? _ciphers;
    private readonly byte[] _buffer = new byte[BufferLength];

    /// <summary>Where the buffer's first octet belongs, and how many are in it.</summary>
    private long _bufferAt;
    private int _held;

    private ZipEntry? _open;
    private long _left;
    private readonly Crc32 _crc = new();
    private AesCipher? _cipher;

    /// <param name="file">Open for reading and writing; whoever gave it disposes of it.</param>
    /// <param name="at">Where the next entry begins.</param>
    /// <param name="password">Null: entries are not encrypted.</param>
    public ZipAppender(SafeFileHandle file, long at, string? password)
    {
        (_file, _bufferAt, _password) = (file, at, password);
        _ciphers = password is null ? null : new PreparedCiphers(password);
    }

    /// <summary>Where the next entry begins, once the open one has ended.</summary>
    public long At => _bufferAt + _held;

    /// <param name="size">Exactly, in octets.</param>
    /// <param name="time">UTC; before 1980 and after 2107 the nearest date that an archive can tell.</param>
    public void Begin(string name, long size, DateTimeOffset time)
    {
        _open = EntryOf(name, At, size, 0, DosTimeOf(time), _password is not null);
        _left = size;
        _crc.Reset();
        Put(ZipHeaders.Local(_open));
        if (_ciphers is null)
            return;
        var (cipher, salt) = _ciphers.Next();
        _cipher = cipher;
        Put(salt);
        Span<byte> verifier = stackalloc byte[AesCipher.VerifierLength];
        BinaryPrimitives.WriteUInt16LittleEndian(verifier, cipher.Verifier);
        Put(verifier);
    }

    /// <summary>An entry as it is written here.</summary>
    internal static ZipEntry EntryOf(string name, long at, long size, uint crc, uint time, bool isEncrypted)
    {
        var stored = size + (isEncrypted ? ZipHeaders.AesOverhead : 0);
        return new ZipEntry(name, at, stored, size, ZipMethod.Stored, crc, time)
        {
            IsEncrypted = isEncrypted,
            HasWideHeader = stored >= uint.MaxValue,
        };
    }

    public void Write(ReadOnlySpan<byte> octets)
    {
        if (octets.Length > _left)
            throw new InvalidOperationException("More octets come than were told.");
        _left -= octets.Length;
        if (_cipher is null)
        {
            _crc.Append(octets);
            Put(octets);
            return;
        }
        while (octets.Length > 0)
        {
            var room = Room();
            var some = Math.Min(room.Length, octets.Length);
            octets[..some].CopyTo(room);
            _cipher.Encrypt(room[..some]);
            _held += some;
            octets = octets[some..];
        }
    }

    /// <summary>The entry as the directory will tell it.</summary>
    public ZipEntry End()
    {
        var entry = _open ?? throw new InvalidOperationException("No entry is open.");
        if (_left > 0)
            throw new InvalidOperationException("Fewer octets came than were told.");
        if (_cipher is not null)
        {
            Put(_cipher.Code());
            _cipher.Dispose();
            _cipher = null;
        }
        else
        {
            entry = entry with { Crc = _crc.GetCurrentHashAsUInt32() };
            Span<byte> crc = stackalloc byte[sizeof(uint)];
            BinaryPrimitives.WriteUInt32LittleEndian(crc, entry.Crc);
            if (entry.At >= _bufferAt)
                crc.CopyTo(_buffer.AsSpan((int)(entry.At - _bufferAt) + CrcAt));
            else
                PatchCrc(entry.At + CrcAt, crc);
        }
        _open = null;
        return entry;
    }

    /// <summary>Of a small large file the part in the buffer and the part on the disk may share the four octets.</summary>
    private void PatchCrc(long at, ReadOnlySpan<byte> crc)
    {
        Flush();
        RandomAccess.Write(_file, crc, at);
    }

    /// <summary>Forgets an entry that did not come whole; the next begins in its place.</summary>
    public void Abandon()
    {
        if (_open is not { } entry)
            return;
        _cipher?.Dispose();
        (_cipher, _open) = (null, null);
        if (entry.At >= _bufferAt)
            _held = (int)(entry.At - _bufferAt);
        else
            (_bufferAt, _held) = (entry.At, 0);
    }

    /// <summary>Hands what is buffered to the operating system.</summary>
    public void Flush()
    {
        RandomAccess.Write(_file, _buffer.AsSpan(0, _held), _bufferAt);
        _bufferAt += _held;
        _held = 0;
    }

    /// <summary>Writes the directory of these entries, in their order, and the archive's end. The file then ends there.</summary>
    public void Finish(IEnumerable<ZipEntry> entries, string comment)
    {
        var (at, count) = (At, 0L);
        foreach (var entry in entries)
        {
            Put(ZipHeaders.Central(entry));
            count++;
        }
        Put(ZipHeaders.End(count, at, At - at, comment));
        Flush();
        RandomAccess.SetLength(_file, At);
    }

    public void Dispose()
    {
        _cipher?.Dispose();
        _ciphers?.Dispose();
    }

    private Span<byte> Room()
    {
        if (_held == BufferLength)
            Flush();
        return _buffer.AsSpan(_held);
    }

    private void Put(ReadOnlySpan<byte> octets)
    {
        while (octets.Length > 0)
        {
            var room = Room();
            var some = Math.Min(room.Length, octets.Length);
            octets[..some].CopyTo(room);
            _held += some;
            octets = octets[some..];
        }
    }

    private static uint DosTimeOf(DateTimeOffset time)
    {
        var t = time.UtcDateTime;
        return t.Year < 1980 ? 0x0021_0000
            : t.Year > 2107 ? 0xFF9F_BF7D
            : (uint)(((t.Year - 1980) << 25) | (t.Month << 21) | (t.Day << 16) | (t.Hour << 11) | (t.Minute << 5) | (t.Second / 2));
    }

    /// <summary>
    /// A key of its own for each entry costs a thousand rounds: they are made ahead on other processors, as they depend on nothing but the
    /// password and chance.
    /// </summary>
    private sealed class PreparedCiphers(string password) : IDisposable
    {
        private const int Ahead = 32;

        private readonly Queue<Task<(AesCipher Cipher, byte[] Salt)>> _ready = new();

        public (AesCipher Cipher, byte[] Salt) Next()
        {
            while (_ready.Count < Ahead)
                _ready.Enqueue(
                    Task.Run(() =>
                    {
                        var salt = RandomNumberGenerator.GetBytes(AesCipher.SaltLength);
                        return (new AesCipher(password, salt), salt);
                    })
                );
            return _ready.Dequeue().GetAwaiter().GetResult();
        }

        public void Dispose()
        {
            foreach (var cipher in _ready)
                cipher.GetAwaiter().GetResult().Cipher.Dispose();
        }
    }
}
