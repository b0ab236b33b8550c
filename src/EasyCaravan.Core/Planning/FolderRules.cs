using System.Collections.Immutable;

namespace EasyCaravan.Core.Planning;

/// <summary>One line of a route's folder rules. The first that matches decides.</summary>
/// <param name="Number">1-based place in the route, which is how people see it.</param>
/// <param name="Glob">Which folders by name: <c>*</c> within one name, <c>**</c> over any number of names; or null.</param>
/// <param name="Use">Which folder by special use; or null.</param>
/// <param name="Outcome">Where they go.</param>
public sealed record FolderRule(int Number, string? Glob, SpecialUse? Use, FolderOutcome Outcome)
{
    public override string ToString() => $"rule {Number} ({(Use is { } use ? $"use {use.ToString().ToLowerInvariant()}" : Glob)})";
}

/// <summary>Where a rule sends a folder.</summary>
public abstract record FolderOutcome
{
    private FolderOutcome() { }

    /// <summary>It stays behind.</summary>
    public sealed record Leave : FolderOutcome;

    /// <summary>It goes to this place. Where the rule's glob ends in <c>/**</c> and so does this, what lies below keeps its names.</summary>
    public sealed record To(string Pattern) : FolderOutcome;

    /// <summary>It goes to the to side's folder for this use, whatever its name.</summary>
    public sealed record ToUse(SpecialUse Use) : FolderOutcome;
}

/// <summary>Matches folder names against globs.</summary>
public static class FolderGlob
{
    /// <summary>
    /// Null when the glob does not match; otherwise the names that its last <c>**</c> stood for (empty when it has none).
    /// <c>Projects/**</c> also matches <c>Projects</c> itself.
    /// </summary>
    public static ImmutableArray<string>? Match(string glob, FolderPath path)
    {
        if (!FolderPath.TryParse(glob, out var pattern)) return null;
        return Match(pattern!.Names.AsSpan(), path.Names.AsSpan());
    }

    private static ImmutableArray<string>? Match(ReadOnlySpan<string> glob, ReadOnlySpan<string> names)
    {
        if (glob.IsEmpty) return names.IsEmpty ? ImmutableArray<string>.Empty : null;
        if (glob[0] == "**")
        {
            if (glob.Length == 1) return [.. names];
            for (var taken = 0; taken <= names.Length; taken++)
            {
                if (Match(glob[1..], names[taken..]) is { } rest)
                    return glob[1..].Contains("**") ? rest : [.. names[..taken]];
            }
            return null;
        }
        if (names.IsEmpty || !MatchName(glob[0], names[0])) return null;
        return Match(glob[1..], names[1..]);
    }

    private static bool MatchName(ReadOnlySpan<char> glob, ReadOnlySpan<char> name)
    {
        // Greedy with one fallback point: linear for what people write, quadratic at worst.
        int g = 0, n = 0, star = -1, mark = 0;
        while (n < name.Length)
        {
            if (g < glob.Length && glob[g] == '*') { star = g++; mark = n; }
            else if (g < glob.Length && glob[g] == name[n]) { g++; n++; }
            else if (star >= 0) { g = star + 1; n = ++mark; }
            else return false;
        }
        while (g < glob.Length && glob[g] == '*') g++;
        return g == glob.Length;
    }
}
