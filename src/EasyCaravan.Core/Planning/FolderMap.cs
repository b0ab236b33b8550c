using System.Collections.Immutable;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Planning;

/// <summary>Why a folder's name could not stay as it was.</summary>
public enum ShapedFor
{
    Reserved,
    Illegal,
    TooDeep,
    TooLong,
    Clash,
}

/// <summary>Where one folder of the from side lands, and which rule said so.</summary>
/// <param name="From">The folder as listed on the from side.</param>
/// <param name="To">Where it lands; null when it stays behind.</param>
/// <param name="Rule">The rule in words, for people.</param>
/// <param name="Shaped">Why its name had to change, or, where it stays behind, why it cannot land.</param>
/// <param name="Wanted">Where it would land if the to side could hold its name; null when a rule leaves it behind.</param>
/// <param name="MergesWith">The first folder that lands in the same place; or null.</param>
public sealed record FolderLanding(
    FolderState From,
    FolderPath? To,
    string Rule,
    ImmutableArray<ShapedFor> Shaped,
    FolderPath? Wanted,
    FolderPath? MergesWith
)
{
    /// <summary>What a person should know: a changed name, a merge; or null.</summary>
    public string? Note
    {
        get
        {
            var changed = Shaped.IsEmpty
                ? null
                : $"the new side cannot hold '{Wanted}' as it is ({string.Join(", ", Shaped.Select(Words))})"
                    + (To is null ? "; it stays behind" : $"; it becomes '{To}'");
            var merged = MergesWith is null ? null : $"merges with '{MergesWith}'";
            return changed is null ? merged
                : merged is null ? changed
                : $"{changed}; {merged}";
        }
    }

    private static string Words(ShapedFor reason) =>
        reason switch
        {
            ShapedFor.Reserved => "it keeps the name for itself",
            ShapedFor.Illegal => "a character is not allowed",
            ShapedFor.TooDeep => "nested too deep",
            ShapedFor.TooLong => "too long",
            ShapedFor.Clash => "another folder would have the same name",
        };
}

/// <summary>For each folder on the from side: where it lands, or that it stays behind.</summary>
public sealed class FolderMap
{
    private readonly CarryRules _rules;
    private readonly FolderNames _names;
    private readonly char? _separator;
    private readonly Dictionary<SpecialUse, FolderPath> _byUse;
    private readonly IReadOnlyDictionary<FolderPath, FolderPath> _known;
    private readonly ILookup<string, FolderPath> _owners;

    /// <summary>Places given out in this map, by name as the to side compares names.</summary>
    private readonly Dictionary<string, Taken> _taken;

    private sealed record Taken(FolderPath From, FolderPath Place, bool Shaped);

    private FolderMap(
        CarryRules rules,
        IReadOnlyList<FolderState> to,
        char? separator,
        FolderNames names,
        IReadOnlyDictionary<FolderPath, FolderPath> known
    )
    {
        (_rules, _separator, _names, _known) = (rules, separator, names, known);
        _byUse = to.Where(f => f.Use != SpecialUse.None).GroupBy(f => f.Use).ToDictionary(g => g.Key, g => g.First().Path);
        var comparer = names.IgnoresCase ? StringComparer.OrdinalIgnoreCase : StringComparer.Ordinal;
        _taken = new Dictionary<string, Taken>(comparer);
        _owners = known.ToLookup(k => k.Value.ToString(), k => k.Key, comparer);
    }

    /// <summary>One for each selectable folder of the from side, in the order in which they were listed.</summary>
    public ImmutableArray<FolderLanding> Landings { get; private set; }

    /// <summary>
    /// Decides every folder: the first matching rule; else the inbox to the inbox; else the to side's folder of the same special
    /// use; else the same path. Pure: what is shown before a pass is what happens in it.
    /// </summary>
    /// <param name="names">What the to side is known to refuse.</param>
    /// <param name="known">Where folders landed in earlier passes: a number given to one of two like names stays with it.</param>
    public static FolderMap Draw(
        CarryRules rules,
        IReadOnlyList<FolderState> from,
        IReadOnlyList<FolderState> to,
        AccountTraits toTraits,
        FolderNames names,
        IReadOnlyDictionary<FolderPath, FolderPath>? known = null
    )
    {
        var map = new FolderMap(rules, to, toTraits.Separator, names, known ?? ImmutableDictionary<FolderPath, FolderPath>.Empty);
        map.Landings = [.. from.Where(f => f.Selectable).Select(map.Land)];
        return map;
    }

    private FolderLanding Land(FolderState folder)
    {
        var (wanted, rule) = Decide(folder);
        if (wanted is null)
            return new FolderLanding(folder, null, rule, [], null, null);
        var shaped = new List<ShapedFor>();
        var fitting = Shape(wanted, shaped);
        if (fitting is null)
            return new FolderLanding(folder, null, $"{rule}; its name cannot be held", [.. shaped], wanted, null);
        var place = Keep(fitting, folder.Path) ?? fitting;
        var first = _taken.GetValueOrDefault(place.ToString());
        if (place.Equals(fitting) && IsClash(first, fitting, folder.Path, shaped.Count > 0))
            (place, first) = (Number(fitting, folder.Path), null);
        if (!place.Equals(fitting))
            shaped.Add(ShapedFor.Clash);
        _taken.TryAdd(place.ToString(), new Taken(folder.Path, place, shaped.Count > 0));
        // Where case says nothing, the folder that came first lends its spelling.
        return new FolderLanding(folder, first?.Place ?? place, rule, [.. shaped], wanted, first?.From);
    }

    /// <summary>
    /// Two that a person sends to one place merge; two that only shaping, or a side without case, brings together are kept apart.
    /// </summary>
    private bool IsClash(Taken? first, FolderPath place, FolderPath from, bool shaped)
    {
        if (_rules.Shaping.Clash is ClashWay.Merge)
            return false;
        if (first is not null)
            return shaped || first.Shaped || !first.Place.Equals(place);
        // Not taken in this map, but by a folder that landed there in an earlier pass and may come later in the list.
        return !_known.ContainsKey(from)
            && _owners[place.ToString()].Any()
            && (shaped || _owners[place.ToString()].All(o => !_known[o].Equals(place)));
    }

    /// <summary>Where the folder landed in an earlier pass, if that is this place or the same with a number.</summary>
    private FolderPath? Keep(FolderPath place, FolderPath from)
    {
        if (!_known.TryGetValue(from, out var known) || known.Names.Length != place.Names.Length)
            return null;
        if (!known.Names[..^1].SequenceEqual(place.Names[..^1]))
            return null;
        var number = known.Names[^1].LastIndexOf(" (", StringComparison.Ordinal);
        var bare =
            number > 0 && int.TryParse(known.Names[^1].AsSpan(number + 2).TrimEnd(')'), out _)
                ? known.Names[^1][..number]
                : known.Names[^1];
        return place.Names[^1].StartsWith(bare, StringComparison.Ordinal) && (known.Equals(place) || bare != known.Names[^1])
            ? known
            : null;
    }

    private FolderPath Number(FolderPath place, FolderPath from)
    {
        for (var number = 2; ; number++)
        {
            var suffix = $" ({number})";
            var last = _names.Longest is { } longest ? Cut(place.Names[^1], longest - suffix.Length) : place.Names[^1];
            var candidate = FolderPath.Of(place.Names.SetItem(place.Names.Length - 1, last + suffix));
            if (!_taken.ContainsKey(candidate.ToString()) && _owners[candidate.ToString()].All(o => o.Equals(from)))
                return candidate;
        }
    }

    /// <summary>At most so many characters, no pair of surrogates cut in two.</summary>
    private static string Cut(string name, int longest)
    {
        if (name.Length <= longest)
            return name;
        longest = Math.Max(1, longest);
        return name[..(longest > 1 && char.IsHighSurrogate(name[longest - 1]) ? longest - 1 : longest)].TrimEnd();
    }

    private (FolderPath? To, string Rule) Decide(FolderState folder)
    {
        foreach (var rule in _rules.Folders)
        {
            if (Matches(rule, folder) is not { } landing)
                continue;
            return (landing(), rule.ToString());
        }
        if (_rules.Under is { } under)
        {
            // An inbox cannot stand below a folder under its own name, which means the one at the top.
            return (under.Below(folder.Path.IsInbox ? ["Inbox"] : folder.Path.Names), "same name, below the route's folder");
        }
        if (folder.Path.IsInbox)
            return (FolderPath.Inbox, "inbox to inbox");
        if (folder.Use != SpecialUse.None && _byUse.TryGetValue(folder.Use, out var same))
            return (same, $"same use ({folder.Use.ToString().ToLowerInvariant()})");
        return (folder.Path, "same name");
    }

    /// <summary>Null when the rule is not about this folder; otherwise what gives its place.</summary>
    private Func<FolderPath?>? Matches(FolderRule rule, FolderState folder)
    {
        switch (rule.Match)
        {
            case FolderMatch.Use use when use.Special == folder.Use:
            case FolderMatch.Name name when name.Path.Equals(folder.Path):
                return () => Apply(rule.Outcome, folder, [], null);
            case FolderMatch.Glob glob when FolderGlob.Match(glob.Pattern, folder.Path) is { } rest:
                return () => Apply(rule.Outcome, folder, rest, null);
            case FolderMatch.Expression expression when expression.Regex.Match(folder.Path.ToString()) is { Success: true } match:
                return () => Apply(rule.Outcome, folder, [], pattern => match.Result(pattern));
            default:
                return null;
        }
    }

    private FolderPath? Apply(FolderOutcome outcome, FolderState folder, ImmutableArray<string> rest, Func<string, string>? expand) =>
        outcome switch
        {
            FolderOutcome.Leave => null,
            FolderOutcome.ToUse to => _byUse.TryGetValue(to.Use, out var place) ? place : Below(folder.Path),
            FolderOutcome.To to when expand is not null => Below(
                FolderPath.TryParse(expand(to.Pattern), out var place) ? place! : folder.Path
            ),
            FolderOutcome.To to when to.Pattern.EndsWith("/**", StringComparison.Ordinal) => Below(
                FolderPath.Parse(to.Pattern[..^3]).Below(rest)
            ),
            FolderOutcome.To to => Below(FolderPath.Parse(to.Pattern)),
            FolderOutcome.Placed to => Below(Place(to, folder.Path)),
            _ => throw new InvalidOperationException($"Unknown outcome {outcome}."),
        };

    private static FolderPath Place(FolderOutcome.Placed to, FolderPath path)
    {
        var names = path.IsInbox ? ["Inbox"] : path.Names;
        if (to.Joiner is { } joiner)
            names = [string.Join(joiner, names)];
        return to.Below is { } below ? below.Below(names) : FolderPath.Of(names);
    }

    private FolderPath Below(FolderPath path) => _rules.Under is { } under ? under.Below(path.IsInbox ? ["Inbox"] : path.Names) : path;

    /// <summary>
    /// A name that the to side can hold, as near as possible to the wanted one; null where somebody chose that it stays behind instead.
    /// </summary>
    private FolderPath? Shape(FolderPath path, List<ShapedFor> why)
    {
        // What is there already can be held.
        if (path.IsInbox || _byUse.ContainsValue(path))
            return path;
        var names = path.Names.ToList();
        var shaping = _rules.Shaping;
        int? most = _separator is null ? 1 : _names.Deepest;
        if (most is { } deepest && names.Count > deepest)
        {
            why.Add(ShapedFor.TooDeep);
            if (shaping.TooDeep is NameWay.Leave)
                return null;
            names = [.. names[..(deepest - 1)], string.Join(shaping.Joiner, names[(deepest - 1)..])];
        }
        // The separator within a name would cut it in two, and no server lets it be escaped (RFC 9051 §5.1.1).
        var illegal = _names.Illegal + _separator;
        if (names.Exists(n => n.AsSpan().IndexOfAny(illegal) >= 0))
        {
            why.Add(ShapedFor.Illegal);
            if (shaping.Illegal is NameWay.Leave)
                return null;
            names =
            [
                .. names.Select(n =>
                    string.Concat(n.Select(c => illegal.Contains(c, StringComparison.Ordinal) ? shaping.Substitute : c.ToString()))
                ),
            ];
        }
        if (_names.Reserved.Contains(names[0], StringComparer.OrdinalIgnoreCase))
        {
            why.Add(ShapedFor.Reserved);
            if (shaping.Reserved is NameWay.Leave)
                return null;
            names[0] += shaping.ReservedSuffix;
        }
        if (_names.Longest is { } longest && names.Exists(n => n.Length > longest))
        {
            why.Add(ShapedFor.TooLong);
            if (shaping.TooLong is NameWay.Leave)
                return null;
            names = [.. names.Select(n => Cut(n, longest))];
        }
        return FolderPath.Of(names);
    }
}
