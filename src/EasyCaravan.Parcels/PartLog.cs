using System.Globalization;
using System.IO.Hashing;
using System.Text;
using EasyCaravan.Parcels.Manifest;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Parcels;

/// <summary>
/// The log of a part that is not closed yet, beside the part itself: a line for each record of its manifest to be, with what the archive's
/// directory will tell of its entry, and a mark wherever both files were safe on the disk. An interrupted run goes on from the last mark.
/// </summary>
internal sealed class PartLog : IDisposable
{
    private const char Entry = 'E';
    private const char Plain = 'R';
    private const char Mark = 'S';

    private readonly FileStream _file;
    private readonly MemoryStream _line = new();

    /// <summary>Of all lines so far: a mark holds it, because a disk may write what it is given in any order.</summary>
    private XxHash64 _hash = new();

    private PartLog(FileStream file) => _file = file;

    /// <summary>Octets, which are about those that the manifest will have.</summary>
    public long Length => _file.Position;

    /// <summary>A line of the log.</summary>
    /// <param name="Entry">In the archive; null: the record has none.</param>
    internal readonly record struct Line(ManifestRecord Record, ZipEntry? Entry, ReadOnlyMemory<byte> Json);

    /// <summary>Opens the log for this process alone.</summary>
    /// <exception cref="IOException">Another one has it.</exception>
    public static PartLog Open(string path)
    {
        var isNew = !File.Exists(path);
        var file = new FileStream(
            path,
            new FileStreamOptions
            {
                Mode = FileMode.OpenOrCreate,
                Access = FileAccess.ReadWrite,
                Share = FileShare.Read,
                BufferSize = 256 * 1024,
                UnixCreateMode = isNew ? UnixFileMode.UserRead | UnixFileMode.UserWrite : null,
            }
        );
        return new PartLog(file);
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
        Write(_line.GetBuffer().AsSpan(0, (int)_line.Length));
    }

    /// <summary>All lines before it, and the part up to here, are safe on the disk.</summary>
    /// <param name="end">Where the part's next entry begins.</param>
    public void AddMark(long end)
    {
        Write(Encoding.ASCII.GetBytes(MarkOf(end)));
        _file.Flush(flushToDisk: true);
    }

    /// <summary>Cuts off what came after the last mark, and returns where the part ends with it; null: there is no mark.</summary>
    public long? CutToMark()
    {
        var (good, end, at) = (0L, (long?)null, 0L);
        var (hash, goodHash) = (new XxHash64(), new XxHash64());
        foreach (var line in ReadLines())
        {
            at += line.Length + 1;
            var isMark =
                line.Length > 2
                && line[0] == Mark
                && long.TryParse(Encoding.ASCII.GetString(line).Split(' ')[1], CultureInfo.InvariantCulture, out var told)
                && Encoding.ASCII.GetString(line) + '\n' == MarkOf(told, hash);
            hash.Append(line);
            hash.Append("\n"u8);
            if (isMark)
                (good, end, goodHash) = (
                    at,
                    long.Parse(Encoding.ASCII.GetString(line).Split(' ')[1], CultureInfo.InvariantCulture),
                    hash.Clone()
                );
        }
        _file.SetLength(good);
        _file.Position = good;
        _hash = goodHash;
        return end;
    }

    private string MarkOf(long end) => MarkOf(end, _hash);

    private static string MarkOf(long end, XxHash64 before) =>
        string.Create(CultureInfo.InvariantCulture, $"{Mark} {end} {before.GetCurrentHashAsUInt64():x16}\n");

    private void Write(ReadOnlySpan<byte> line)
    {
        _hash.Append(line);
        _file.Write(line);
    }

    /// <param name="isEncrypted">The part's entries are.</param>
    /// <exception cref="FormatException">A line before the last mark is damaged.</exception>
    public IEnumerable<Line> Read(bool isEncrypted)
    {
        _file.Flush();
        foreach (var line in ReadLines())
        {
            if (line.Length < 2 || line[0] == Mark)
                continue;
            if (line[0] == Plain)
            {
                if (ManifestLine.Read(line.AsSpan(2)) is { } plain)
                    yield return new Line(plain, null, line.AsMemory(2));
                continue;
            }
            var json = Array.IndexOf(line, (byte)'{');
            var fields = Encoding.ASCII.GetString(line, 0, Math.Max(0, json)).Split(' ');
            if (
                line[0] != Entry
                || fields.Length < 4
                || !long.TryParse(fields[1], CultureInfo.InvariantCulture, out var at)
                || !uint.TryParse(fields[2], NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var crc)
                || !uint.TryParse(fields[3], NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var time)
            )
                throw new FormatException("a line of the log is damaged");
            var record = ManifestLine.Read(line.AsSpan(json));
            var (path, size) = record switch
            {
                MessageRecord m => (m.Path, m.Size),
                ItemRecord i => (i.Path, i.Size),
                _ => throw new FormatException("a line of the log is damaged"),
            };
            yield return new Line(record, ZipAppender.EntryOf(path, at, size, crc, time, isEncrypted), line.AsMemory(json));
        }
    }

    public void Dispose()
    {
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
