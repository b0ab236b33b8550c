using System.Collections.Immutable;
using System.Text;

namespace EasyCaravan.Core.Planning;

/// <summary>A folder's place in an account: names from the root down, free of any server's separator.</summary>
/// <remarks>
/// Written with <c>/</c> between names, in plans, tables and the ledger. A slash or backslash inside a name is written
/// with a backslash before it, so that writing and reading are each other's inverse.
/// </remarks>
public sealed class FolderPath : IEquatable<FolderPath>
{
    private readonly string _written;

    private FolderPath(ImmutableArray<string> names)
    {
        Names = names;
        var text = new StringBuilder();
        for (var i = 0; i < names.Length; i++)
        {
            if (i > 0)
                text.Append('/');
            text.Append(names[i].Replace("\\", "\\\\", StringComparison.Ordinal).Replace("/", "\\/", StringComparison.Ordinal));
        }
        _written = text.ToString();
    }

    /// <summary>The one folder that every account has (RFC 3501 §5.1). Its name has no case.</summary>
    public static FolderPath Inbox { get; } = new(["INBOX"]);

    public ImmutableArray<string> Names { get; }

    public bool IsInbox => Names.Length == 1 && Names[0] == "INBOX";

    /// <exception cref="ArgumentException">No name is given, or one of them is empty.</exception>
    public static FolderPath Of(params IEnumerable<string> names)
    {
        var list = names.ToImmutableArray();
        if (list.Length == 0)
            throw new ArgumentException("A folder path needs at least one name.", nameof(names));
        if (list.Any(n => n.Length == 0))
            throw new ArgumentException("A folder's name cannot be empty.", nameof(names));
        // RFC 3501 §5.1: INBOX is the same in any case; below it names keep their case.
        if (list[0].Equals("INBOX", StringComparison.OrdinalIgnoreCase))
            list = list.SetItem(0, "INBOX");
        return new FolderPath(list);
    }

    /// <summary>
    /// Reads the written form. Empty names (a leading or doubled slash) are refused. A backslash before anything but a slash or a backslash
    /// means itself, so that a name may also be given as its owner sees it.
    /// </summary>
    public static bool TryParse(string written, out FolderPath? path)
    {
        path = null;
        var names = new List<string>();
        var name = new StringBuilder();
        for (var i = 0; i < written.Length; i++)
        {
            if (written[i] == '\\' && i + 1 < written.Length && written[i + 1] is '/' or '\\')
            {
                name.Append(written[++i]);
            }
            else if (written[i] == '/')
            {
                names.Add(name.ToString());
                name.Clear();
            }
            else
            {
                name.Append(written[i]);
            }
        }
        names.Add(name.ToString());
        if (names.Any(n => n.Length == 0))
            return false;
        path = Of(names);
        return true;
    }

    /// <exception cref="FormatException">The text is not a written path.</exception>
    public static FolderPath Parse(string written) =>
        TryParse(written, out var path)
            ? path!
            : throw new FormatException($"'{written}' is not a folder path: names with '/' between them.");

    /// <summary>The folders in which it lies, from the root down.</summary>
    public IEnumerable<FolderPath> Above() => Enumerable.Range(1, Names.Length - 1).Select(n => Of(Names.Take(n)));

    public FolderPath Below(IEnumerable<string> names) => Of(Names.Concat(names));

    public bool Equals(FolderPath? other) => other is not null && _written == other._written;

    public override bool Equals(object? obj) => Equals(obj as FolderPath);

    public override int GetHashCode() => _written.GetHashCode(StringComparison.Ordinal);

    public override string ToString() => _written;
}
