using EasyCaravan.Core.Planning;
using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>
/// Finds files by a pattern below one folder, and never anything outside of it: links are not followed, and what is neither file nor folder
/// is passed over. A ZIP that the pattern names is looked into like a folder.
/// </summary>
internal sealed class SourceTree(string root) : IDisposable
{
    /// <summary>Folders within folders; a tree that goes deeper is a mistake or a trap.</summary>
    private const int Deepest = 64;

    private const int MostFiles = 2_000_000;

    private const string ZipEnding = ".zip";

    private readonly Dictionary<string, ZipFolder> _zips = [];

    /// <summary>Archives that cannot be read, and why.</summary>
    public SortedDictionary<string, string> Refused { get; } = new(StringComparer.Ordinal);

    /// <summary>The names of a pattern; of a ZIP alone, all that is in it is meant.</summary>
    public static string[] NamesOf(string pattern) =>
        IsZip(pattern) ? [.. pattern.Split('/'), FileGlob.AnyFolders, "*"] : pattern.Split('/');

    public static string Join(string folder, string name) => folder.Length == 0 ? name : $"{folder}/{name}";

    /// <summary>Files that fit, in the order of their paths.</summary>
    /// <exception cref="InvalidDataException">There are more than anybody has.</exception>
    public List<Source> Files(string pattern)
    {
        var names = NamesOf(pattern);
        var last = FileGlob.Of(names[^1] == FileGlob.AnyFolders ? "*" : names[^1]);
        var found = new SortedDictionary<string, Source>(StringComparer.Ordinal);
        foreach (var folder in Fitting(names[^1] == FileGlob.AnyFolders ? names : names[..^1]))
        foreach (var file in FilesIn(folder).Where(f => last.IsMatch(f.Name)))
            if (found.TryAdd(file.Key, file) && found.Count > MostFiles)
                throw new InvalidDataException($"more than {MostFiles:N0} files fit {pattern}");
        return [.. found.Values];
    }

    /// <summary>Folders that fit, in the order of their paths.</summary>
    public SortedSet<string> Folders(string pattern) => Fitting(pattern.Split('/'));

    public bool IsFolder(string folder) =>
        new DirectoryInfo(FullOf(folder)) is { Exists: true, LinkTarget: null }
        || (ZipOf(folder) is var (zip, inner) && zip.HasFolder(inner));

    /// <summary>Folders directly in this one.</summary>
    public IEnumerable<string> FoldersIn(string folder) =>
        ZipOf(folder) is var (zip, inner)
            ? zip.FoldersIn(inner).Select(n => Join(folder, n))
            : new DirectoryInfo(FullOf(folder)).EnumerateDirectories().Where(d => d.LinkTarget is null).Select(d => Join(folder, d.Name));

    /// <summary>Files directly in this folder that hold anything.</summary>
    public IEnumerable<Source> FilesIn(string folder) =>
        ZipOf(folder) is var (zip, inner)
            ? zip.FilesIn(inner)
            // What is no file, such as a pipe, has no length; opening it could wait for good.
            : new DirectoryInfo(FullOf(folder))
                .EnumerateFiles()
                .Where(f => f.LinkTarget is null && f.Length > 0)
                .Select(f => new PlainSource(f.FullName, Join(folder, f.Name), f.Length, f.LastWriteTimeUtc));

    public void Dispose()
    {
        foreach (var zip in _zips.Values)
            zip.Dispose();
    }

    public static bool IsZip(string name) => name.EndsWith(ZipEnding, StringComparison.OrdinalIgnoreCase);

    private string FullOf(string path) => Path.Combine(root, path);

    private SortedSet<string> Fitting(string[] names)
    {
        var found = new SortedSet<string>(StringComparer.Ordinal);
        Walk("", names, 0, found);
        return found;
    }

    private void Walk(string folder, string[] names, int at, SortedSet<string> found)
    {
        if (folder.Count(c => c == '/') > Deepest || !IsFolder(folder))
            return;
        if (at == names.Length)
        {
            found.Add(folder);
            return;
        }
        var isAny = names[at] == FileGlob.AnyFolders;
        if (isAny)
            Walk(folder, names, at + 1, found);
        var name = FileGlob.Of(isAny ? "*" : names[at]);
        if (IsZip(names[at]))
            foreach (var zip in FilesIn(folder).OfType<PlainSource>().Where(f => name.IsMatch(f.Name)).ToList())
                if (TryOpen(zip))
                    Walk(zip.Path, names, at + 1, found);
        foreach (var below in FoldersIn(folder).Where(f => name.IsMatch(Path.GetFileName(f))).ToList())
            Walk(below, names, isAny ? at : at + 1, found);
    }

    private bool TryOpen(PlainSource file)
    {
        try
        {
            if (!_zips.ContainsKey(file.Path))
                _zips[file.Path] = new ZipFolder(file.File, file.Path);
            return true;
        }
        catch (ParcelException e)
        {
            Refused[file.Path] = e.Message;
            return false;
        }
    }

    /// <summary>The open archive in which a path lies, and the path in it; null: in none.</summary>
    private (ZipFolder Zip, string Inner)? ZipOf(string path)
    {
        foreach (var (at, zip) in _zips)
            if (path == at || path.StartsWith(at + "/", StringComparison.Ordinal))
                return (zip, path.Length == at.Length ? "" : path[(at.Length + 1)..]);
        return null;
    }
}
