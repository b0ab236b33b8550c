using System.Globalization;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>
/// What the name of a file in a Maildir tells: a part that no other file has, and flags behind <c>:2,</c>.
/// </summary>
internal sealed record MaildirName(string Unique, string Letters)
{
    private static readonly char[] s_flagMarks = [':', ';', '!'];

    /// <summary>When the file was made; null where the name does not begin with it.</summary>
    public DateTimeOffset? Made =>
        Unique.IndexOf('.', StringComparison.Ordinal) is > 0 and var dot
        && long.TryParse(Unique.AsSpan(0, dot), NumberStyles.None, CultureInfo.InvariantCulture, out var seconds)
        && seconds is > 100_000_000 and < 10_000_000_000
            ? DateTimeOffset.FromUnixTimeSeconds(seconds)
            : null;

    public static MaildirName Parse(string file)
    {
        // A colon is not allowed in names everywhere: programs put other characters in its place.
        var info = file.LastIndexOfAny(s_flagMarks);
        var hasFlags = info > 0 && file.AsSpan(info + 1).StartsWith("2,");
        var name = hasFlags ? file[..info] : file;
        return new MaildirName(name.Split(',')[0], hasFlags ? file[(info + 3)..] : "");
    }

    /// <param name="keywords">Of the folder, by their letters from a on.</param>
    public FlagSet Flags(IReadOnlyDictionary<char, string> keywords)
    {
        var flags = new List<string>();
        foreach (var letter in Letters)
            if (FlagOf(letter) is { } flag)
                flags.Add(flag);
            else if (keywords.TryGetValue(letter, out var keyword))
                flags.Add(keyword);
        return flags.Count == 0 ? FlagSet.Empty : FlagSet.Of(flags);
    }

    private static string? FlagOf(char letter) =>
        letter switch
        {
            'D' => "\\Draft",
            'F' => "\\Flagged",
            'P' => "$Forwarded",
            'R' => "\\Answered",
            'S' => "\\Seen",
            'T' => "\\Deleted",
            _ => null,
        };
}
