using EasyCaravan.Protocols.Imap;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>What lies in a Maildir beside the messages.</summary>
internal static class MaildirFiles
{
    private const string Keywords = "dovecot-keywords";

    private const string Subscriptions = "subscriptions";

    /// <summary>Octets of such a file that are read.</summary>
    private const int Longest = 1024 * 1024;

    /// <summary>The names of keywords by their letters: lines of a number from 0 and a name.</summary>
    public static Dictionary<char, string> KeywordsOf(SourceTree tree, string folder)
    {
        var keywords = new Dictionary<char, string>();
        foreach (var line in LinesOf(tree, folder, Keywords))
            if (
                line.Split(' ', 2) is [var number, var name]
                && int.TryParse(number, out var at)
                && at is >= 0 and < 26
                && MessageFields.IsKeyword(name)
            )
                keywords[(char)('a' + at)] = name;
        return keywords;
    }

    /// <summary>Folders that are shown, with dots between their names; null: nothing tells.</summary>
    public static HashSet<string>? SubscriptionsOf(SourceTree tree, string root)
    {
        var lines = LinesOf(tree, root, Subscriptions);
        if (lines.Count == 0)
            return null;
        // The second form of the file begins with a line of its own, and has tabs between names.
        var names = lines[0].StartsWith("V\t", StringComparison.Ordinal) ? lines.Skip(1) : lines;
        return [.. names.Where(n => n.Length > 0).Select(n => string.Join('.', n.Split('\t', '/', '.').Select(NameOf)))];
    }

    /// <summary>Of a folder that stands beside those above it: <c>.Projects.Ramp</c>.</summary>
    public static IEnumerable<string> NamesOf(string folder) => folder.Split('.', StringSplitOptions.RemoveEmptyEntries).Select(NameOf);

    /// <summary>Names are in IMAP's own writing, or as they are.</summary>
    public static string NameOf(string name) => ModifiedUtf7.TryDecode(name, out var decoded) ? decoded : name;

    private static List<string> LinesOf(SourceTree tree, string folder, string name)
    {
        if (tree.FilesIn(folder).FirstOrDefault(f => f.Name == name) is not { Length: <= Longest } file)
            return [];
        using var octets = file.OpenAt(0);
        using var reader = new StreamReader(octets);
        return [.. reader.ReadToEnd().Split('\n').Select(l => l.TrimEnd('\r'))];
    }
}
