using EasyCaravan.Core.Planning;
using EasyCaravan.Parcels;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>A ZIP that is looked into like a folder. Nothing in it is ever unpacked to a disk.</summary>
internal sealed class ZipFolder : IDisposable
{
    /// <summary>More files than anybody packs; their names alone would fill the memory.</summary>
    private const int MostFiles = 1_000_000;

    private readonly ZipArchiveFile _zip;
    private readonly Dictionary<string, Inside> _folders = new() { [""] = new Inside() };
    private ZipEntry? _entry;
    private ForwardStream? _octets;

    /// <param name="path">Of the archive, below the folder of files.</param>
    /// <exception cref="ParcelException">It cannot be read, or was not packed in good faith.</exception>
    public ZipFolder(string file, string path)
    {
        _zip = ZipArchiveFile.Open(file);
        try
        {
            Read(path, File.GetLastWriteTimeUtc(file));
        }
        catch
        {
            _zip.Dispose();
            throw;
        }
    }

    private sealed class Inside
    {
        public SortedSet<string> Folders { get; } = new(StringComparer.Ordinal);
        public List<Source> Files { get; } = [];
    }

    public bool HasFolder(string inner) => _folders.ContainsKey(inner);

    /// <summary>Names of folders directly in this one.</summary>
    public IEnumerable<string> FoldersIn(string inner) => _folders.TryGetValue(inner, out var found) ? found.Folders : [];

    public IEnumerable<Source> FilesIn(string inner) => _folders.TryGetValue(inner, out var found) ? found.Files : [];

    public void Dispose()
    {
        _octets?.End();
        _zip.Dispose();
    }

    private void Read(string path, DateTimeOffset modified)
    {
        var files = 0;
        foreach (var entry in _zip.ReadDirectory())
        {
            // Such a name would lead out of the archive, if anything were unpacked; and no folder shall be called "..".
            if (entry.IsFolder || entry.IsLink || entry.Size == 0 || !FileGlob.IsBelow(entry.Name))
                continue;
            if (entry.IsEncrypted)
                throw new ParcelException(ParcelCause.NotSupported, "it is encrypted; unpack it first");
            if (++files > MostFiles)
                throw new ParcelException(ParcelCause.TooMuch, $"it holds more than {MostFiles:N0} files");
            var slash = entry.Name.LastIndexOf('/');
            FolderOf(slash < 0 ? "" : entry.Name[..slash]).Files.Add(new ZipSource(this, entry, $"{path}/{entry.Name}", modified));
        }
    }

    private Inside FolderOf(string inner)
    {
        if (_folders.TryGetValue(inner, out var found))
            return found;
        var slash = inner.LastIndexOf('/');
        FolderOf(slash < 0 ? "" : inner[..slash]).Folders.Add(inner[(slash + 1)..]);
        return _folders[inner] = new Inside();
    }

    /// <summary>What is deflated can only be read forward: one reading serves many messages that are asked for in order.</summary>
    private ForwardStream OpenAt(ZipEntry entry, long offset)
    {
        if (_entry != entry || _octets is null || _octets.At > offset)
        {
            _octets?.End();
            (_entry, _octets) = (entry, new ForwardStream(_zip.OpenEntry(entry, null)));
        }
        _octets.SkipTo(offset);
        return _octets;
    }

    private sealed record ZipSource(ZipFolder Zip, ZipEntry Entry, string Path, DateTimeOffset Modified)
        : Source(Path, Entry.Size, Modified)
    {
        public override string Key => $"{Path}\0{Entry.At:x}";

        public override Stream OpenAt(long offset) => Zip.OpenAt(Entry, offset);
    }
}
