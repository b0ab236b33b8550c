using System.Globalization;
using System.IO.Hashing;
using System.Text;
using EasyCaravan.Parcels.Manifest;
using EasyCaravan.Parcels.Zip;
using Microsoft.Win32.SafeHandles;

namespace EasyCaravan.Parcels;

/// <summary>Up to where a part and its log are safe on the disk.</summary>
/// <param name="End">Where the part's next entry begins.</param>
/// <param name="LogLength">Octets of the log that tell of the entries before it.</param>
/// <param name="LogHash">Of those octets, because a disk may write what it is given in any order.</param>
internal readonly record struct PartMark(long End, long LogLength, ulong LogHash)
{
    public string Written => string.Create(CultureInfo.InvariantCulture, $"{End} {LogLength} {LogHash:x16}\n");

    public static PartMark? Parse(string line) =>
        line.Split(' ') is [var end, var length, var hash]
        && long.TryParse(end, CultureInfo.InvariantCulture, out var at)
        && long.TryParse(length, CultureInfo.InvariantCulture, out var log)
        && ulong.TryParse(hash, NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var of)
            ? new PartMark(at, log, of)
            : null;
}

/// <summary>
/// The log of a part that is not closed yet, beside the part itself: a line for each record of its manifest to be, with what the archive's
/// directory will tell of its entry. Beside it marks tell how far both files are safe on the disk: an interrupted run goes on from the
/// last.
/// </summary>
internal sealed class PartLog : IDisposable
{
    private const char Entry = 'E';
    private const char Plain = 'R';

    private readonly SafeFileHandle _handle;
    private readonly FileStream _file;
    private readonly FileStream _marks;
    private readonly MemoryStream _line = new();

    /// <summary>Of all lines so far.</summary>
    private XxHash64 _hash = new();

    private PartLog(SafeFileHandle handle, FileStream marks)
    {
        _handle = handle;
        _file = new FileStream(handle, FileAccess.ReadWrite, 256 * 1024);
        _marks = marks;
    }

    /// <summary>Octets, which are about those that the manifest will have.</summary>
    public long Length => _file.Position;

    /// <summary>A line of the log.</summary>
    /// <param name="Entry">In the archive; null: the record has none.</param>
    internal readonly record struct Line(ManifestRecord Record, ZipEntry? Entry);

    /// <summary>Opens the log for this process alone.</summary>
    /// <param name="anew">What stands in it belongs to nothing.</param>
    /// <exception cref="IOException">Another one has it.</exception>
    public static PartLog Open(string path, string marksPath, bool anew)
    {
        var handle = File.OpenHandle(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.Read);
        try
        {
            var marks = new FileStream(marksPath, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.Read, bufferSize: 0);
            foreach (var file in new[] { handle, marks.SafeFileHandle })
            {
                File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
                if (anew)
                    RandomAccess.SetLength(file, 0);
            }
            return new PartLog(handle, marks);
        }
        catch
        {
            handle.Dispose();
            throw;
        }
    }

    public void Add(ManifestRecord record, ZipEntry? entry)
    {
        _line.SetLength(0);
        var head = entry is null
            ? $"{Plain} "
            : string.Create(CultureInfo.InvariantCulture, $"{Entry} {entry.At} {entry.Crc:x8} {entry.Time:x8} ");
        _line.Write(Encoding.ASCII.GetBytes(head));
        _line.Write(ManifestLine.Write(record));
        _line.WriteByte((byte)'\n');
        var line = _line.GetBuffer().AsSpan(0, (int)_line.Length);
        _hash.Append(line);
        _file.Write(line);
    }

    /// <summary>Hands what is buffered to the operating system, and tells how far the log goes.</summary>
    /// <param name="end">Where the part's next entry begins.</param>
    public PartMark Flush(long end)
    {
        _file.Flush();
        return new PartMark(end, _file.Position, _hash.GetCurrentHashAsUInt64());
    }

    /// <summary>Waits for the disk and writes the mark. Lines may be added meanwhile.</summary>
    public void Write(PartMark mark)
    {
        RandomAccess.FlushToDisk(_handle);
        _marks.Write(Encoding.ASCII.GetBytes(mark.Written));
        _marks.Flush(flushToDisk: true);
    }

    /// <summary>Cuts off what came after the last mark, and returns where the part ends with it; null: there is no mark.</summary>
    public long? CutToMark()
    {
        PartMark? good = null;
        var (hash, at) = (new XxHash64(), 0L);
        foreach (var mark in ReadMarks().OrderBy(m => m.LogLength).ThenBy(m => m.End))
        {
            if (mark.LogLength > _file.Length)
                break;
            Append(hash, at, mark.LogLength);
            at = mark.LogLength;
            if (hash.GetCurrentHashAsUInt64() == mark.LogHash)
                (good, _hash) = (mark, hash.Clone());
        }
        _file.SetLength(good?.LogLength ?? 0);
        _file.Position = _file.Length;
        _marks.SetLength(0);
        _marks.Position = 0;
        if (good is { } last)
            Write(last);
        return good?.End;
    }

    private List<PartMark> ReadMarks()
    {
        _marks.Position = 0;
        using var reader = new StreamReader(_marks, Encoding.ASCII, leaveOpen: true);
        var marks = new List<PartMark>();
        while (reader.ReadLine() is { } line)
            if (PartMark.Parse(line) is { } mark)
                marks.Add(mark);
        return marks;
    }

    private void Append(XxHash64 hash, long at, long end)
    {
        var buffer = new byte[256 * 1024];
        while (at < end)
        {
            var read = RandomAccess.Read(_handle, buffer.AsSpan(0, (int)Math.Min(buffer.Length, end - at)), at);
            if (read == 0)
                return;
            hash.Append(buffer.AsSpan(0, read));
            at += read;
        }
    }

    /// <summary>The records with their places, the part's header first.</summary>
    /// <param name="isEncrypted">The part's entries are.</param>
    /// <exception cref="FormatException">A line before the last mark is damaged.</exception>
    public IEnumerable<Line> Read(bool isEncrypted)
    {
        foreach (var (head, json) in ReadParts())
            if (ManifestLine.Read(json.Span) is { } record)
                yield return new Line(record, EntryOf(head.Span, json.Span, isEncrypted));
    }

    /// <summary>The lines as a manifest has them, behind that of the part's header, without looking into them.</summary>
    public IEnumerable<ReadOnlyMemory<byte>> ReadJson() => ReadParts().Skip(1).Select(p => p.Json);

    /// <summary>What the archive's directory will tell, of records that have a file.</summary>
    /// <inheritdoc cref="Read"/>
    public IEnumerable<ZipEntry> ReadEntries(bool isEncrypted)
    {
        foreach (var (head, json) in ReadParts())
            if (EntryOf(head.Span, json.Span, isEncrypted) is { } entry)
                yield return entry;
    }

    private IEnumerable<(ReadOnlyMemory<byte> Head, ReadOnlyMemory<byte> Json)> ReadParts()
    {
        _file.Flush();
        foreach (var line in ReadLines())
        {
            var json = Array.IndexOf(line, (byte)'{');
            if (json < 2 || line[0] is not ((byte)Plain or (byte)Entry))
                throw new FormatException("a line of the log is damaged");
            yield return (line.AsMemory(0, json), line.AsMemory(json));
        }
    }

    /// <summary>Null: the record has none.</summary>
    private static ZipEntry? EntryOf(ReadOnlySpan<byte> head, ReadOnlySpan<byte> json, bool isEncrypted)
    {
        if (head[0] == Plain)
            return null;
        var fields = Encoding.ASCII.GetString(head).Split(' ');
        if (
            fields.Length < 4
            || !long.TryParse(fields[1], CultureInfo.InvariantCulture, out var at)
            || !uint.TryParse(fields[2], NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var crc)
            || !uint.TryParse(fields[3], NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var time)
        )
            throw new FormatException("a line of the log is damaged");
        var (path, size) = ManifestLine.ReadFile(json);
        return ZipAppender.EntryOf(path, at, size, crc, time, isEncrypted);
    }

    public void Dispose()
    {
        _marks.Dispose();
        try
        {
            _file.Dispose();
        }
        catch (IOException)
        {
            // The disk is full, which was told when it was met first: what stands behind the last mark does not count anyway.
        }
    }

    /// <summary>Whole lines alone: one that a crash cut off is none.</summary>
    private IEnumerable<byte[]> ReadLines()
    {
        var end = _file.Position;
        _file.Position = 0;
        try
        {
            var buffer = new byte[256 * 1024];
            var (begin, held) = (0, 0);
            while (true)
            {
                var length = buffer.AsSpan(begin, held - begin).IndexOf((byte)'\n');
                if (length >= 0)
                {
                    yield return buffer[begin..(begin + length)];
                    begin += length + 1;
                    continue;
                }
                buffer.AsSpan(begin, held - begin).CopyTo(buffer);
                (begin, held) = (0, held - begin);
                if (held == buffer.Length)
                    Array.Resize(ref buffer, buffer.Length * 2);
                var read = _file.Read(buffer, held, buffer.Length - held);
                if (read == 0)
                    break;
                held += read;
            }
        }
        finally
        {
            // Also where the caller has seen enough: what is added next belongs at the end.
            _file.Position = end;
        }
    }
}
