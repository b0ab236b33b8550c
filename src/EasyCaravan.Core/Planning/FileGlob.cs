using System.Text.RegularExpressions;

namespace EasyCaravan.Core.Planning;

/// <summary>Names of files by a pattern in which <c>*</c> stands for any part of a name between two slashes.</summary>
public static class FileGlob
{
    /// <summary>A path, or a pattern of paths, that stays below the folder it begins in.</summary>
    public static bool IsBelow(string path) =>
        !path.StartsWith('/') && !path.Contains('\\', StringComparison.Ordinal) && path.Split('/').All(p => p is not ("" or "." or ".."));

    public static Regex Of(string pattern) =>
        new($"^{Regex.Escape(pattern).Replace("\\*", "[^/]*", StringComparison.Ordinal)}$", RegexOptions.NonBacktracking);
}
