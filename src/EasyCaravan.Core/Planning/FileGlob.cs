using System.Text.RegularExpressions;

namespace EasyCaravan.Core.Planning;

/// <summary>Names of files by a pattern in which <c>*</c> stands for any part of a name between two slashes.</summary>
public static class FileGlob
{
    public static Regex Of(string pattern) =>
        new($"^{Regex.Escape(pattern).Replace("\\*", "[^/]*", StringComparison.Ordinal)}$", RegexOptions.NonBacktracking);
}
