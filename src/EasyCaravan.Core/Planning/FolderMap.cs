using System.Collections.Immutable;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Planning;

/// <summary>Where one folder of the from side lands, and which rule said so.</summary>
/// <param name="From">The folder as listed on the from side.</param>
/// <param name="To">Where it lands; null when it stays behind.</param>
/// <param name="Rule">The rule in words, for people.</param>
/// <param name="Note">What a person should know: a changed name, a merge; or null.</param>
public sealed record FolderLanding(FolderState From, FolderPath? To, string Rule, string? Note);

/// <summary>For each folder on the from side: where it lands, or that it stays behind.</summary>
public sealed class FolderMap
{
    private FolderMap(ImmutableArray<FolderLanding> landings) => Landings = landings;

    /// <summary>One for each selectable folder of the from side, in the order in which they were listed.</summary>
    public ImmutableArray<FolderLanding> Landings { get; }

    /// <summary>
    /// Decides every folder: the first matching rule; else the inbox to the inbox; else the to side's folder of the same special
    /// use; else the same path. Pure: what is shown before a pass is what happens in it.
    /// </summary>
    public static FolderMap Draw(
        IReadOnlyList<FolderRule> rules, IReadOnlyList<FolderState> from, IReadOnlyList<FolderState> to, AccountTraits toTraits)
    {
        var byUse = to.Where(f => f.Use != SpecialUse.None).GroupBy(f => f.Use).ToDictionary(g => g.Key, g => g.First().Path);
        var taken = new Dictionary<FolderPath, FolderPath>();
        var landings = ImmutableArray.CreateBuilder<FolderLanding>(from.Count);
        foreach (var folder in from)
        {
            if (!folder.Selectable) continue;
            var (landing, rule) = Decide(rules, folder, byUse);
            if (landing is null)
            {
                landings.Add(new FolderLanding(folder, null, rule, null));
                continue;
            }
            var note = default(string);
            var shaped = Shape(landing, toTraits);
            if (!shaped.Equals(landing)) note = $"the new side cannot hold '{landing}' as it is; it becomes '{shaped}'";
            if (!taken.TryAdd(shaped, folder.Path)) note = Join(note, $"merges with '{taken[shaped]}'");
            landings.Add(new FolderLanding(folder, shaped, rule, note));
        }
        return new FolderMap(landings.DrainToImmutable());
    }

    private static (FolderPath? To, string Rule) Decide(
        IReadOnlyList<FolderRule> rules, FolderState folder, Dictionary<SpecialUse, FolderPath> toByUse)
    {
        foreach (var rule in rules)
        {
            ImmutableArray<string> rest = [];
            if (rule.Use is { } use)
            {
                if (folder.Use != use) continue;
            }
            else if (FolderGlob.Match(rule.Glob!, folder.Path) is { } matched)
            {
                rest = matched;
            }
            else
            {
                continue;
            }
            return (Apply(rule.Outcome, folder, rest, toByUse), rule.ToString());
        }
        if (folder.Path.IsInbox) return (FolderPath.Inbox, "inbox to inbox");
        if (folder.Use != SpecialUse.None && toByUse.TryGetValue(folder.Use, out var same))
            return (same, $"same use ({folder.Use.ToString().ToLowerInvariant()})");
        return (folder.Path, "same name");
    }

    private static FolderPath? Apply(
        FolderOutcome outcome, FolderState folder, ImmutableArray<string> rest, Dictionary<SpecialUse, FolderPath> toByUse) => outcome switch
    {
        FolderOutcome.Leave => null,
        FolderOutcome.ToUse to => toByUse.GetValueOrDefault(to.Use, folder.Path),
        FolderOutcome.To to when to.Pattern.EndsWith("/**", StringComparison.Ordinal) => FolderPath.Parse(to.Pattern[..^3]).Below(rest),
        FolderOutcome.To to => FolderPath.Parse(to.Pattern),
        _ => throw new InvalidOperationException($"Unknown outcome {outcome}."),
    };

    /// <summary>A named shaping: the to side's separator inside a name becomes an underscore, as no server lets it be escaped.</summary>
    private static FolderPath Shape(FolderPath path, AccountTraits to)
    {
        if (to.Separator is not { } separator) return path.Names.Length == 1 ? path : FolderPath.Of(string.Join(" - ", path.Names));
        return FolderPath.Of(path.Names.Select(n => n.Replace(separator, '_')));
    }

    private static string Join(string? first, string second) => first is null ? second : $"{first}; {second}";
}
