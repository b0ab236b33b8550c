using System.Globalization;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>Finds one person's files, reads those that are new or changed, and makes folders of them.</summary>
internal sealed class MailFolders(SourceTree tree, MailFiles files, MailIndex index, string account, CancellationToken cancel)
{
    private readonly SortedDictionary<string, Gathered> _folders = new(StringComparer.Ordinal);
    private readonly Dictionary<(string Folder, UInt128 Print), int> _counts = [];
    private readonly long[] _dates = new long[4];
    private long _unmarked;
    private int _unmarkedFiles;

    public List<MailRemark> Remarks { get; } = [];

    /// <summary>What was found so far of a folder.</summary>
    private sealed class Gathered(FolderPath path)
    {
        public FolderPath Path => path;

        public List<FiledMessage> Messages { get; } = [];

        public Fault? Refused { get; set; }

        public bool Subscribed { get; set; } = true;
    }

    public List<FileMailFolder> Find()
    {
        var pattern = files.PatternOf(account);
        if (files.Speaks is MailFileFormat.Maildir)
            FindMaildirs(pattern);
        else
            FindFiles(pattern);
        foreach (var (path, why) in tree.Refused)
            Refuse(FolderPath.Of(path.Split('/')), path, why);
        RemarkOnAll();
        return [.. _folders.Values.Select(f => new FileMailFolder(f.Path, f.Messages, f.Refused) { Subscribed = f.Subscribed })];
    }

    private void FindFiles(string pattern)
    {
        var names = SourceTree.NamesOf(pattern);
        var open = FirstOpen(names);
        foreach (var source in tree.Files(pattern))
        {
            cancel.ThrowIfCancellationRequested();
            var below = open < 0 ? [] : Shown(source.Path.Split('/')[open..]);
            var path = files.Speaks is MailFileFormat.Mbox ? BoxPath(below, names[^1]) : PathOf(below is [] ? [] : below[..^1]);
            var found = Read(source);
            if (found.Refused is { } why)
                Refuse(path, source.Path, why);
            else
                Add(path, source, found);
        }
    }

    /// <summary>The first name of a pattern that leaves something open; -1: none does.</summary>
    private static int FirstOpen(string[] names) => Array.FindIndex(names, n => n.Contains('*', StringComparison.Ordinal));

    private FileContents Read(Source source) => index.Get(source.Key, source, () =>
        {
            using var octets = source.OpenAt(0);
            if (files.Speaks is MailFileFormat.Eml)
                return new FileContents(default, false, [MessageScan.Run(octets, source.Length, null, source.Modified)]);
            var contents = MboxScan.Run(octets, files.Dialect, source.Modified, cancel);
            return new FileContents(new MessageForm(true, contents.Unquoting), contents.IsMarked, [.. contents.Messages])
            {
                Unclear = [.. contents.Unclear],
            };
        });

    private void Add(FolderPath path, Source source, FileContents found)
    {
        var isUnmarked = !found.IsMarked;
        foreach (var entry in found.Entries)
        {
            var flags = FlagSet.Parse(entry.Flags);
            if (isUnmarked && files.UnmarkedIsRead)
                flags = FlagSet.Of([.. flags.Flags, "\\Seen"]);
            Add(path, source, found.Form, entry, flags);
        }
        foreach (var (what, messages) in found.Unclear)
            Remarks.Add(new MailRemark(FindingCode.UnclearFile, $"{source.Path}: {what}", messages));
        if (isUnmarked && !files.UnmarkedIsRead && found.Entries.Length > 0)
        {
            _unmarked += found.Entries.Length;
            _unmarkedFiles++;
        }
    }

    private void Add(FolderPath path, Source source, MessageForm form, MailEntry entry, FlagSet flags)
    {
        var folder = path.ToString();
        // The same message twice in one folder: both are there, told apart by their count.
        var nth = _counts[(folder, entry.Print)] = _counts.GetValueOrDefault((folder, entry.Print)) + 1;
        var name = MessageScan.PrintOf($"{folder}\0{entry.Print:x32}\0{nth}");
        FolderOf(path).Messages.Add(new FiledMessage(entry, source, form, flags, name.ToString("x32", CultureInfo.InvariantCulture)));
        _dates[(int)entry.DateSource]++;
    }

    private Gathered FolderOf(FolderPath path)
    {
        if (!_folders.TryGetValue(path.ToString(), out var folder))
            _folders[path.ToString()] = folder = new Gathered(path);
        return folder;
    }

    /// <summary>A folder of which not all can be read is not read at all: what is missing in it would look deleted.</summary>
    private void Refuse(FolderPath path, string file, string why) =>
        FolderOf(path).Refused = new Fault(Cause.FolderRefused, account, $"the file {file} cannot be read: {why}")
        {
            Help = "Mend the file, or name other files in the plan, and retry; or accept that it stays behind",
        };

    private void FindMaildirs(string pattern)
    {
        if (SourceTree.IsZip(pattern))
            pattern = $"{pattern}/{FileGlob.AnyFolders}";
        var open = FirstOpen(pattern.Split('/'));
        var roots = new List<string>();
        // What lies within another is found with it.
        foreach (var folder in tree.Folders(pattern).Where(IsMaildir))
            if (roots.Count == 0 || !folder.StartsWith(roots[^1] + "/", StringComparison.Ordinal))
                roots.Add(folder);
        foreach (var root in roots)
        {
            // A person's only Maildir is all they have, wherever it lies.
            var above = roots.Count == 1 || open < 0 ? [] : Shown(root.Split('/')[open..]);
            WalkMaildir(root, above, [], MaildirFiles.SubscriptionsOf(tree, root));
        }
    }

    private bool IsMaildir(string folder) =>
        tree.IsFolder(SourceTree.Join(folder, "cur"))
        || tree.FoldersIn(folder).Any(f => Path.GetFileName(f).StartsWith('.') && tree.IsFolder(SourceTree.Join(f, "cur")));

    private void WalkMaildir(string folder, string[] above, string[] names, HashSet<string>? shown)
    {
        cancel.ThrowIfCancellationRequested();
        if (tree.IsFolder(SourceTree.Join(folder, "cur")))
            ReadMaildir(folder, PathOf([.. above, .. names]), names.Length == 0 || shown?.Contains(string.Join('.', names)) != false);
        foreach (var below in tree.FoldersIn(folder).Order(StringComparer.Ordinal).ToList())
        {
            var name = Path.GetFileName(below);
            if (name is "cur" or "new" or "tmp")
                continue;
            // Folders within folders stand beside each other, with dots between their names (Maildir++), or within each other.
            if (name.StartsWith('.'))
            {
                if (names.Length == 0 && tree.IsFolder(SourceTree.Join(below, "cur")))
                    WalkMaildir(below, above, [.. MaildirFiles.NamesOf(name)], shown);
            }
            else
            {
                WalkMaildir(below, above, [.. names, MaildirFiles.NameOf(name)], shown);
            }
        }
    }

    private void ReadMaildir(string folder, FolderPath path, bool subscribed)
    {
        FolderOf(path).Subscribed = subscribed;
        var keywords = MaildirFiles.KeywordsOf(tree, folder);
        var taken = new HashSet<string>();
        foreach (var state in new[] { "cur", "new" })
        {
            var place = SourceTree.Join(folder, state);
            if (!tree.IsFolder(place))
                continue;
            foreach (var source in tree.FilesIn(place).OrderBy(f => f.Name, StringComparer.Ordinal))
            {
                var name = MaildirName.Parse(source.Name);
                // While a program moves it, the listing may show it twice. What begins with a dot is no message.
                if (source.Name.StartsWith('.') || !taken.Add(name.Unique))
                    continue;
                // A message never changes: a new name or time only tells of flags.
                var found = index.Get($"{folder}/{name.Unique}", source, () => ReadMaildirFile(source, name), neverChanges: true);
                if (found.Refused is { } why)
                    Refuse(path, source.Path, why);
                else
                    Add(path, source, default, found.Entries[0], name.Flags(keywords));
            }
        }
    }

    private static FileContents ReadMaildirFile(Source source, MaildirName name)
    {
        // A file cannot have been received after it was named: its time was lost when the files were copied.
        var mark = name.Made is { } made && source.Modified > made.AddDays(1) ? (DateTimeOffset?)null : source.Modified;
        // Names bear sizes too (S= and W=); some are wrong, and whoever believed them would leave the message behind.
        using var octets = source.OpenAt(0);
        var entry = MessageScan.Run(octets, source.Length, mark, name.Made ?? source.Modified);
        return new FileContents(default, true, [entry with { Print = MessageScan.PrintOf(name.Unique) }]);
    }

    /// <summary>Of an mbox: its name without the ending that the pattern gives.</summary>
    private static FolderPath BoxPath(string[] below, string lastOfPattern)
    {
        if (below is [])
            return FolderPath.Inbox;
        var star = lastOfPattern.LastIndexOf('*');
        var ending = star >= 0 && lastOfPattern.Length > star + 1 ? lastOfPattern[(star + 1)..] : ".mbox";
        var name = below[^1];
        if (name.Length > ending.Length && name.EndsWith(ending, StringComparison.OrdinalIgnoreCase))
            name = name[..^ending.Length];
        return PathOf([.. below[..^1], name]);
    }

    /// <summary>A ZIP is a folder like any other.</summary>
    private static string[] Shown(string[] names) =>
        [.. names.Select((n, i) => i < names.Length - 1 && n.Length > 4 && SourceTree.IsZip(n) ? n[..^4] : n)];

    private static FolderPath PathOf(string[] names) => names is [] ? FolderPath.Inbox : FolderPath.Of(names);

    private void RemarkOnAll()
    {
        var fromHeader = _dates[(int)DateSource.Received] + _dates[(int)DateSource.Sent] + _dates[(int)DateSource.File];
        if (fromHeader > 0)
        {
            string[] words =
            [
                .. Of(DateSource.Received, "by the newest Received line"),
                .. Of(DateSource.Sent, "by their sender's date"),
                .. Of(DateSource.File, "by the time of their file"),
            ];
            Remarks.Add(new MailRemark(FindingCode.DatesFromHeader, string.Join(", ", words), fromHeader));
        }
        if (_unmarked > 0)
            Remarks.Add(
                new MailRemark(
                    FindingCode.NothingMarked,
                    $"{_unmarkedFiles.ToString(CultureInfo.InvariantCulture)} file(s) mark nothing as read",
                    _unmarked
                )
            );
        IEnumerable<string> Of(DateSource source, string words) =>
            _dates[(int)source] is > 0 and var count ? [$"{count.ToString("N0", CultureInfo.InvariantCulture)} {words}"] : [];
    }
}
