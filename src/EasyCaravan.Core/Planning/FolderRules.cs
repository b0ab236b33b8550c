using System.Collections.Immutable;
using System.Text.RegularExpressions;

namespace EasyCaravan.Core.Planning;

/// <summary>One line of a route's folder rules. The first that matches decides.</summary>
/// <param name="Number">1-based place in the route, which is how people see it; 0 for what was decided about a finding.</param>
public sealed record FolderRule(int Number, FolderMatch Match, FolderOutcome Outcome)
{
    public override string ToString() => Number == 0 ? $"decided ({Match})" : $"rule {Number} ({Match})";
}

/// <summary>Which folders a rule is about.</summary>
public abstract record FolderMatch
{
    private FolderMatch() { }

    /// <summary>This one folder; no character of its name has another meaning.</summary>
    public sealed record Name(FolderPath Path) : FolderMatch
    {
        public override string ToString() => $"name {Path}";
    }

    /// <summary>By pattern: <c>*</c> within one name, <c>**</c> over any number of names.</summary>
    public sealed record Glob(string Pattern) : FolderMatch
    {
        public override string ToString() => Pattern;
    }

    /// <summary>By special use.</summary>
    public sealed record Use(SpecialUse Special) : FolderMatch
    {
        public override string ToString() => $"use {Special.ToString().ToLowerInvariant()}";
    }

    /// <summary>By a regular expression over the written path; it need not match from the start unless it says so.</summary>
    /// <remarks>Without backtracking, so that no expression can hold a pass up.</remarks>
    public sealed record Expression(string Pattern) : FolderMatch
    {
        public Regex Regex { get; } = new(Pattern, RegexOptions.NonBacktracking | RegexOptions.CultureInvariant);

        public bool Equals(Expression? other) => other?.Pattern == Pattern;

        public override int GetHashCode() => Pattern.GetHashCode(StringComparison.Ordinal);

        public override string ToString() => $"regex {Pattern}";
    }
}

/// <summary>Where a rule sends a folder.</summary>
public abstract record FolderOutcome
{
    private FolderOutcome() { }

    /// <summary>It stays behind.</summary>
    public sealed record Leave : FolderOutcome;

    /// <summary>
    /// It goes to this place. Where the rule's glob ends in <c>/**</c> and so does this, what lies below keeps its names; of an expression,
    /// <c>$1</c> to
    /// <c>$9</c> stand for its groups.
    /// </summary>
    public sealed record To(string Pattern) : FolderOutcome;

    /// <summary>It goes to the to side's folder for this use, whatever its name.</summary>
    public sealed record ToUse(SpecialUse Use) : FolderOutcome;

    /// <summary>It keeps its name, but stands elsewhere or flatter.</summary>
    /// <param name="Below">The folder below which it goes; null: it stays where it is.</param>
    /// <param name="Joiner">Its names become one, with this between them; null: they stay names.</param>
    public sealed record Placed(FolderPath? Below, string? Joiner) : FolderOutcome;
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
        if (!FolderPath.TryParse(glob, out var pattern))
            return null;
        return Match(pattern!.Names.AsSpan(), path.Names.AsSpan());
    }

    /// <summary>
    /// Each <c>**</c> stands for as few names as it can. Only the last one met is ever widened: what an earlier one would gain by it, the
    /// later one can have as well. So no glob costs more than its length times the path's, however many it holds.
    /// </summary>
    private static ImmutableArray<string>? Match(ReadOnlySpan<string> glob, ReadOnlySpan<string> names)
    {
        var (g, n) = (0, 0);
        (int Glob, int Begin, int End)? wide = null;
        while (n < names.Length)
        {
            if (g < glob.Length && glob[g] == "**")
            {
                wide = (g++, n, n);
            }
            else if (g < glob.Length && MatchName(glob[g], names[n]))
            {
                g++;
                n++;
            }
            else if (wide is var (at, begin, end))
            {
                wide = (at, begin, end + 1);
                (g, n) = (at + 1, end + 1);
            }
            else
            {
                return null;
            }
        }
        for (; g < glob.Length && glob[g] == "**"; g++)
            wide = (g, n, n);
        if (g < glob.Length)
            return null;
        return wide is var (_, from, to) ? [.. names[from..to]] : [];
    }

    private static bool MatchName(ReadOnlySpan<char> glob, ReadOnlySpan<char> name)
    {
        // Greedy with one fallback point: linear for what people write, quadratic at worst.
        int g = 0,
            n = 0,
            mark = 0;
        int? star = null;
        while (n < name.Length)
        {
            if (g < glob.Length && glob[g] == '*')
            {
                star = g++;
                mark = n;
            }
            else if (g < glob.Length && glob[g] == name[n])
            {
                g++;
                n++;
            }
            else if (star is { } last)
            {
                g = last + 1;
                n = ++mark;
            }
            else
                return false;
        }
        while (g < glob.Length && glob[g] == '*')
            g++;
        return g == glob.Length;
    }
}
