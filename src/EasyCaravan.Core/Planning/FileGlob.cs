using System.Text.RegularExpressions;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// Names of files by a pattern in which <c>*</c> stands for any part of a name between two slashes, and <c>**</c> as a name for any number
/// of folders.
/// </summary>
public static class FileGlob
{
    public const string AnyFolders = "**";

    /// <summary>A path, or a pattern of paths, that stays below the folder it begins in.</summary>
    public static bool IsBelow(string path) =>
        !path.StartsWith('/') && !path.Contains('\\', StringComparison.Ordinal) && path.Split('/').All(p => p is not ("" or "." or ".."));

    public static Regex Of(string pattern)
    {
        var names = pattern.Split('/');
        var text = new System.Text.StringBuilder("^");
        for (var i = 0; i < names.Length; i++)
        {
            var isLast = i == names.Length - 1;
            if (names[i] == AnyFolders)
                text.Append(isLast ? ".*" : "(?:[^/]+/)*");
            else
                text.Append(NameOf(names[i])).Append(isLast ? "" : "/");
        }
        return new Regex(text.Append('$').ToString(), RegexOptions.NonBacktracking | RegexOptions.CultureInvariant);
    }

    /// <summary>No part of an account's name leads into another folder, or stands for any name.</summary>
    public static string Plain(string account) =>
        account.Replace('/', '_').Replace('\\', '_').Replace('*', '_').Replace("..", "_", StringComparison.Ordinal);

    private static string NameOf(string name) => Regex.Escape(name).Replace("\\*", "[^/]*", StringComparison.Ordinal);
}
