using System.Buffers.Binary;
using System.Text;
using Microsoft.Win32.SafeHandles;

namespace EasyCaravan.Parcels.Zip;

/// <summary>
/// Reads an archive that may come from anybody. Its directory is streamed, not held; whatever contradicts itself, leads out of the archive
/// or would unpack to far more than it holds is refused with its cause before anything is unpacked.
/// </summary>
public sealed class ZipArchiveFile : IDisposable
{
    private const int DirectoryBuffer = 256 * 1024;
    private const int LongestName = 4096;

    /// <summary>Octets of the directory's end in which its last entries are looked for.</summary>
    private const int LastPiece = 512;

    private static readonly UTF8Encoding s_strict = new(false, throwOnInvalidBytes: true);

    private readonly SafeFileHandle _file;
    private readonly string _name;
    private readonly ZipBounds _bounds;

    private ZipArchiveFile(SafeFileHandle file, string name, ZipBounds bounds, long length)
    {
        (_file, _name, _bounds, Length) = (file, name, bounds, length);
    }

    /// <summary>Octets of the file.</summary>
    public long Length { get; }

    public long Entries { get; private set; }

    public long DirectoryAt { get; private set; }

    public long DirectoryLength { get; private set; }

    /// <exception cref="ParcelException">It is no archive that is read here.</exception>
    public static ZipArchiveFile Open(string path, ZipBounds? bounds = null)
    {
        var name = Path.GetFileName(path);
        SafeFileHandle file;
        try
        {
            if (new FileInfo(path).LinkTarget is not null)
                throw new ParcelException(ParcelCause.UnsafeName, $"{name} is a link to another file");
            file = File.OpenHandle(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite, FileOptions.RandomAccess);
        }
        catch (Exception e) when (e is FileNotFoundException or DirectoryNotFoundException)
        {
            throw new ParcelException(ParcelCause.Missing, $"there is no file {name}", e);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new ParcelException(ParcelCause.Missing, $"{name} cannot be opened: {e.Message}", e);
        }
        try
        {
            var archive = new ZipArchiveFile(file, name, bounds ?? ZipBounds.Usual, RandomAccess.GetLength(file));
            archive.ReadEnd();
            return archive;
        }
        catch
        {
            file.Dispose();
            throw;
        }
    }

    /// <summary>An archive that is being written: it has no directory yet. Whoever gave the file disposes of it.</summary>
    /// <param name="end">Where its entries end.</param>
    internal static ZipArchiveFile OfUnfinished(SafeFileHandle file, string name, long end) =>
        new(file, name, ZipBounds.Usual, end) { DirectoryAt = end };

    /// <summary>The entries in the order of the directory, each checked by itself and all together against the bounds.</summary>
    public IEnumerable<ZipEntry> ReadDirectory()
    {
        var reader = new RangeReader(_file, DirectoryAt, DirectoryLength, DirectoryBuffer);
        var (taken, unpacked) = (0L, 0L);
        for (long i = 0; i < Entries; i++)
        {
            var entry = ReadCentral(reader);
            // Entries that lie over each other would let a small file unpack to anything.
            taken += entry.Stored + ZipHeaders.LocalLength + Encoding.UTF8.GetByteCount(entry.Name);
            if (taken > DirectoryAt)
                throw Bad(ParcelCause.Damaged, "its entries lie over each other");
            if (entry.Size > ZipBounds.SmallEntry && entry.Size / Math.Max(1, entry.Stored) > _bounds.Ratio)
                throw Bad(
                    ParcelCause.TooMuch,
                    $"'{Shown(entry.Name)}' would unpack to {entry.Size / Math.Max(1, entry.Stored)} times what it takes in the archive"
                );
            if ((unpacked += entry.Size) > _bounds.Octets || unpacked < 0)
                throw Bad(ParcelCause.TooMuch, $"it would unpack to more than {_bounds.Octets} octets");
            yield return entry;
        }
        if (reader.Left > 0)
            throw Bad(ParcelCause.Damaged, "its directory holds more than its entries");
    }

    /// <summary>
    /// The last entries of the directory, without going through those before them: as many as a short piece of its end holds and as have
    /// these names. Empty where they cannot be told without the rest.
    /// </summary>
    public IReadOnlyList<ZipEntry> ReadLast(params ReadOnlySpan<string> names)
    {
        var tail = new byte[Math.Min(DirectoryLength, LastPiece)];
        var from = DirectoryAt + DirectoryLength - tail.Length;
        Read(from, tail, "its directory");
        Span<byte> mark = stackalloc byte[sizeof(uint)];
        BinaryPrimitives.WriteUInt32LittleEndian(mark, ZipHeaders.CentralMark);
        // From the first place at which the rest is nothing but such entries.
        for (var i = tail.AsSpan().IndexOf(mark); i >= 0; )
        {
            if (EntriesFrom(from + i, names) is { Count: > 0 } found)
                return found;
            var next = tail.AsSpan(i + 1).IndexOf(mark);
            i = next < 0 ? -1 : i + 1 + next;
        }
        return [];
    }

    private List<ZipEntry>? EntriesFrom(long at, ReadOnlySpan<string> names)
    {
        var reader = new RangeReader(_file, at, DirectoryAt + DirectoryLength - at, LastPiece);
        var found = new List<ZipEntry>();
        try
        {
            while (reader.Left > 0)
            {
                var entry = ReadCentral(reader);
                if (!names.Contains(entry.Name))
                    return null;
                found.Add(entry);
            }
            return found;
        }
        catch (ParcelException)
        {
            // What looked like an entry is part of one.
            return null;
        }
    }

    /// <summary>The octets of an entry. They end with an error where they are not those that the archive tells.</summary>
    /// <param name="password">For an entry that is encrypted.</param>
    public Stream OpenEntry(ZipEntry entry, string? password)
    {
        var start = ReadLocal(entry);
        return new ZipEntryStream(_file, entry, start, password, () => Bad(ParcelCause.Damaged, Altered(entry)), NoPassword);
    }

    /// <summary>The same for an entry of which only its place is known, in an archive that was packed here.</summary>
    public (ZipEntry Entry, Stream Octets) OpenAt(long at, string? password)
    {
        Span<byte> fixedPart = stackalloc byte[ZipHeaders.LocalLength];
        Read(at, fixedPart, "an entry");
        if (BinaryPrimitives.ReadUInt32LittleEndian(fixedPart) != ZipHeaders.LocalMark)
            throw Bad(ParcelCause.Damaged, "an entry does not begin where it should");
        var nameLength = BinaryPrimitives.ReadUInt16LittleEndian(fixedPart[26..]);
        var extraLength = BinaryPrimitives.ReadUInt16LittleEndian(fixedPart[28..]);
        var rest = new byte[nameLength + extraLength];
        Read(at + ZipHeaders.LocalLength, rest, "an entry");
        var entry = Parse(
            fixedPart[4..],
            rest.AsSpan(0, nameLength),
            rest.AsSpan(nameLength),
            at,
            BinaryPrimitives.ReadUInt32LittleEndian(fixedPart[18..]),
            BinaryPrimitives.ReadUInt32LittleEndian(fixedPart[22..])
        );
        var start = at + ZipHeaders.LocalLength + rest.Length;
        if (entry.Stored > DirectoryAt - start)
            throw Bad(ParcelCause.Damaged, Altered(entry));
        return (entry, new ZipEntryStream(_file, entry, start, password, () => Bad(ParcelCause.Damaged, Altered(entry)), NoPassword));
    }

    /// <summary>Reads octets of the file as they are.</summary>
    public void Read(long at, Span<byte> octets, string what)
    {
        while (octets.Length > 0)
        {
            var read = RandomAccess.Read(_file, octets, at);
            if (read == 0)
                throw Bad(ParcelCause.Damaged, $"it ends within {what}");
            at += read;
            octets = octets[read..];
        }
    }

    public void Dispose() => _file.Dispose();

    private ParcelException NoPassword(bool isMissing) =>
        Bad(ParcelCause.WrongPassword, isMissing ? "is encrypted, and no password was given" : "is not opened by this password");

    private static string Altered(ZipEntry entry) => $"'{Shown(entry.Name)}' in it is damaged";

    private ParcelException Bad(ParcelCause cause, string what) =>
        new(cause, what.StartsWith("is ", StringComparison.Ordinal) ? $"{_name} {what}" : $"{_name}: {what}");

    /// <summary>The archive's end (APPNOTE 6.3 §4.3.16), that of 64 bits before it (§4.3.14) where there is one.</summary>
    private void ReadEnd()
    {
        var tail = new byte[Math.Min(Length, ZipHeaders.EndLength + ushort.MaxValue)];
        Read(Length - tail.Length, tail, "its end");
        var end = FindEnd(tail);
        if (end < 0)
            throw Bad(ParcelCause.NoArchive, "is no ZIP archive, or its end is missing");
        var record = tail.AsSpan(end);
        var endAt = Length - tail.Length + end;
        Entries = BinaryPrimitives.ReadUInt16LittleEndian(record[10..]);
        DirectoryLength = BinaryPrimitives.ReadUInt32LittleEndian(record[12..]);
        DirectoryAt = BinaryPrimitives.ReadUInt32LittleEndian(record[16..]);
        if (BinaryPrimitives.ReadUInt16LittleEndian(record[4..]) is not (0 or ushort.MaxValue))
            throw Bad(ParcelCause.NotSupported, "is one part of an archive that lies in several files; join them first");
        var directoryEnd = endAt;
        Span<byte> locator = stackalloc byte[ZipHeaders.WideLocatorLength];
        if (endAt >= ZipHeaders.WideLocatorLength)
        {
            Read(endAt - ZipHeaders.WideLocatorLength, locator, "its end");
            if (BinaryPrimitives.ReadUInt32LittleEndian(locator) == ZipHeaders.WideLocatorMark)
                directoryEnd = ReadWideEnd(BinaryPrimitives.ReadUInt64LittleEndian(locator[8..]), endAt);
        }
        if (DirectoryAt < 0 || DirectoryLength < 0 || DirectoryAt > directoryEnd || DirectoryLength != directoryEnd - DirectoryAt)
            throw Bad(ParcelCause.Damaged, "its directory is not where its end says");
        if (Entries < 0 || Entries > DirectoryLength / ZipHeaders.CentralLength)
            throw Bad(ParcelCause.Damaged, "its end tells more entries than its directory can hold");
        if (Entries > _bounds.Entries)
            throw Bad(ParcelCause.TooMuch, $"it holds {Entries} entries, and {_bounds.Entries} at most are read");
    }

    private long ReadWideEnd(ulong told, long endAt)
    {
        if (told > (ulong)Math.Max(0, endAt - ZipHeaders.WideLocatorLength - ZipHeaders.WideEndLength))
            throw Bad(ParcelCause.Damaged, "its end is not where it says");
        var at = (long)told;
        Span<byte> wide = stackalloc byte[ZipHeaders.WideEndLength];
        Read(at, wide, "its end");
        if (BinaryPrimitives.ReadUInt32LittleEndian(wide) != ZipHeaders.WideEndMark)
            throw Bad(ParcelCause.Damaged, "its end is not where it says");
        Entries = unchecked((long)BinaryPrimitives.ReadUInt64LittleEndian(wide[32..]));
        DirectoryLength = unchecked((long)BinaryPrimitives.ReadUInt64LittleEndian(wide[40..]));
        DirectoryAt = unchecked((long)BinaryPrimitives.ReadUInt64LittleEndian(wide[48..]));
        return at;
    }

    /// <summary>The last place at which an end can stand whose comment reaches just to the end of the file.</summary>
    private static int FindEnd(ReadOnlySpan<byte> tail)
    {
        for (var i = tail.Length - ZipHeaders.EndLength; i >= 0; i--)
            if (
                BinaryPrimitives.ReadUInt32LittleEndian(tail[i..]) == ZipHeaders.EndMark
                && BinaryPrimitives.ReadUInt16LittleEndian(tail[(i + 20)..]) == tail.Length - i - ZipHeaders.EndLength
            )
                return i;
        return -1;
    }

    private ZipEntry ReadCentral(RangeReader reader)
    {
        var head = reader.Take(ZipHeaders.CentralLength);
        if (head.Length < ZipHeaders.CentralLength || BinaryPrimitives.ReadUInt32LittleEndian(head) != ZipHeaders.CentralMark)
            throw Bad(ParcelCause.Damaged, "its directory is damaged");
        var nameLength = BinaryPrimitives.ReadUInt16LittleEndian(head[28..]);
        var extraLength = BinaryPrimitives.ReadUInt16LittleEndian(head[30..]);
        var commentLength = BinaryPrimitives.ReadUInt16LittleEndian(head[32..]);
        var disk = BinaryPrimitives.ReadUInt16LittleEndian(head[34..]);
        var attributes = BinaryPrimitives.ReadUInt32LittleEndian(head[38..]);
        var isUnix = head[5] == 3;
        var (stored, size) = (BinaryPrimitives.ReadUInt32LittleEndian(head[20..]), BinaryPrimitives.ReadUInt32LittleEndian(head[24..]));
        var at = BinaryPrimitives.ReadUInt32LittleEndian(head[42..]);
        Span<byte> common = stackalloc byte[ZipHeaders.LocalLength - 4];
        head[6..(6 + common.Length)].CopyTo(common);
        if (disk is not (0 or ushort.MaxValue))
            throw Bad(ParcelCause.NotSupported, "is one part of an archive that lies in several files; join them first");
        var rest = reader.Take(nameLength + extraLength + commentLength);
        if (rest.Length < nameLength + extraLength + commentLength)
            throw Bad(ParcelCause.Damaged, "its directory is damaged");
        var entry = Parse(common, rest[..nameLength], rest.Slice(nameLength, extraLength), at, stored, size);
        if (entry.At >= DirectoryAt)
            throw Bad(ParcelCause.Damaged, $"'{Shown(entry.Name)}' would lie behind the archive's entries");
        return entry with
        {
            // The file's type in Unix's mode: 0xA000 is a symbolic link.
            IsLink = isUnix && (attributes >> 16 & 0xF000) == 0xA000,
            // Far back in a large archive only the place is wide here, and nothing in the entry's own header.
            HasWideHeader = entry.Stored >= uint.MaxValue || entry.Size >= uint.MaxValue,
        };
    }

    /// <summary>What local header and directory have in common, from the version that is needed on.</summary>
    private ZipEntry Parse(
        ReadOnlySpan<byte> common,
        ReadOnlySpan<byte> nameOctets,
        ReadOnlySpan<byte> extra,
        long at,
        long stored,
        long size
    )
    {
        var flags = BinaryPrimitives.ReadUInt16LittleEndian(common[2..]);
        var method = BinaryPrimitives.ReadUInt16LittleEndian(common[4..]);
        var time = BinaryPrimitives.ReadUInt32LittleEndian(common[6..]);
        var crc = BinaryPrimitives.ReadUInt32LittleEndian(common[10..]);
        var name = NameOf(nameOctets, (flags & ZipHeaders.Utf8Flag) != 0);
        var (isAes, hasWide) = (false, false);
        while (extra.Length >= 4)
        {
            var (kind, length) = (BinaryPrimitives.ReadUInt16LittleEndian(extra), BinaryPrimitives.ReadUInt16LittleEndian(extra[2..]));
            if (length > extra.Length - 4)
                throw Bad(ParcelCause.Damaged, $"'{Shown(name)}' in it has a damaged header");
            var field = extra.Slice(4, length);
            extra = extra[(4 + length)..];
            if (kind == ZipHeaders.WideField)
            {
                hasWide = true;
                TakeWide(ref field, ref size, name);
                TakeWide(ref field, ref stored, name);
                TakeWide(ref field, ref at, name);
            }
            else if (kind == ZipHeaders.AesField && length == 7)
            {
                isAes = field[4] == 3;
                method = method == ZipHeaders.AesMethod ? BinaryPrimitives.ReadUInt16LittleEndian(field[5..]) : method;
            }
        }
        if ((flags & (ZipHeaders.StrongEncryptionFlag | ZipHeaders.MaskedFlag)) != 0 || ((flags & ZipHeaders.EncryptedFlag) != 0) != isAes)
            throw Bad(ParcelCause.NotSupported, $"'{Shown(name)}' in it is encrypted in another way than AES-256");
        if (method is not ((ushort)ZipMethod.Stored or (ushort)ZipMethod.Deflated))
            throw Bad(ParcelCause.NotSupported, $"'{Shown(name)}' in it is packed in a way that is not read here (method {method})");
        var overhead = isAes ? ZipHeaders.AesOverhead : 0;
        var hasDescriptor = (flags & ZipHeaders.DescriptorFlag) != 0;
        if (!hasDescriptor && (stored < overhead || (method == (ushort)ZipMethod.Stored && stored - overhead != size)))
            throw Bad(ParcelCause.Damaged, $"'{Shown(name)}' in it has sizes that contradict each other");
        return new ZipEntry(name, at, stored, size, (ZipMethod)method, crc, time) { IsEncrypted = isAes, HasWideHeader = hasWide };
    }

    private void TakeWide(ref ReadOnlySpan<byte> field, ref long value, string name)
    {
        if (value != uint.MaxValue || field.Length < 8)
            return;
        value = BinaryPrimitives.ReadInt64LittleEndian(field);
        field = field[8..];
        if (value < 0)
            throw Bad(ParcelCause.Damaged, $"'{Shown(name)}' in it has sizes that contradict each other");
    }

    /// <summary>Reads the local header, which has to be about the same entry. Returns where the entry's octets begin.</summary>
    private long ReadLocal(ZipEntry entry)
    {
        Span<byte> head = stackalloc byte[ZipHeaders.LocalLength];
        Read(entry.At, head, "an entry");
        if (BinaryPrimitives.ReadUInt32LittleEndian(head) != ZipHeaders.LocalMark)
            throw Bad(ParcelCause.Damaged, Altered(entry));
        var nameLength = BinaryPrimitives.ReadUInt16LittleEndian(head[26..]);
        var start = entry.At + ZipHeaders.LocalLength + nameLength + BinaryPrimitives.ReadUInt16LittleEndian(head[28..]);
        var name = new byte[nameLength];
        Read(entry.At + ZipHeaders.LocalLength, name, "an entry");
        if (NameOf(name, (BinaryPrimitives.ReadUInt16LittleEndian(head[6..]) & ZipHeaders.Utf8Flag) != 0) != entry.Name)
            throw Bad(ParcelCause.Damaged, $"what the directory calls '{Shown(entry.Name)}' calls itself otherwise");
        if (start > DirectoryAt || entry.Stored > DirectoryAt - start)
            throw Bad(ParcelCause.Damaged, Altered(entry));
        return start;
    }

    /// <summary>
    /// Without the flag for UTF-8 many programs write it all the same; else it is taken for Latin-1, which loses nothing.
    /// </summary>
    private string NameOf(ReadOnlySpan<byte> octets, bool isUtf8)
    {
        if (octets.Length is 0 or > LongestName)
            throw Bad(ParcelCause.UnsafeName, octets.Length == 0 ? "an entry has no name" : "an entry's name is longer than 4,096 octets");
        try
        {
            return s_strict.GetString(octets);
        }
        catch (DecoderFallbackException e)
        {
            return isUtf8
                ? throw new ParcelException(ParcelCause.Damaged, $"{_name}: an entry's name is not UTF-8", e)
                : Encoding.Latin1.GetString(octets);
        }
    }

    internal static string Shown(string name)
    {
        var safe = string.Concat(
            name.Select(c => char.IsControl(c) || char.GetUnicodeCategory(c) is System.Globalization.UnicodeCategory.Format ? '?' : c)
        );
        return safe.Length > 80 ? safe[..80] + "…" : safe;
    }

    /// <summary>Reads a range of the file piece by piece.</summary>
    private sealed class RangeReader(SafeFileHandle file, long at, long length, int buffer)
    {
        private readonly byte[] _buffer = new byte[Math.Max(buffer, 3 * ushort.MaxValue)];
        private int _begin;
        private int _end;

        public long Left { get; private set; } = length;

        /// <summary>Fewer where the range ends. Valid until the next call.</summary>
        public ReadOnlySpan<byte> Take(int count)
        {
            if (_end - _begin < count)
            {
                _buffer.AsSpan(_begin, _end - _begin).CopyTo(_buffer);
                (_begin, _end) = (0, _end - _begin);
                while (_end < count && Left > _end)
                {
                    var read = RandomAccess.Read(file, _buffer.AsSpan(_end, (int)Math.Min(_buffer.Length - _end, Left - _end)), at);
                    if (read == 0)
                        break;
                    at += read;
                    _end += read;
                }
            }
            count = Math.Min(count, _end - _begin);
            var taken = _buffer.AsSpan(_begin, count);
            _begin += count;
            Left -= count;
            return taken;
        }
    }
}
