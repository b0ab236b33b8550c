using System.Collections.Immutable;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>folders:</c> of a route.</summary>
internal static class FolderRulesSection
{
    public static ImmutableArray<FolderRule> Read(YamlSequenceNode list, PlanErrors errors) =>
        [.. list.Children.Select((r, i) => ReadRule(i + 1, (YamlMappingNode)r, errors)).OfType<FolderRule>()];

    private static FolderRule? ReadRule(int number, YamlMappingNode node, PlanErrors errors)
    {
        if (ReadMatch(node["match"], errors) is not { } match)
            return null;
        var leave = node.Text("leave") == "true";
        var placed = node.Children.ContainsKey("below") || node.Children.ContainsKey("flatten");
        if (new[] { leave, node.Children.ContainsKey("to"), placed }.Count(o => o) != 1)
            return Refuse(
                errors,
                node,
                "a folder rule needs one of leave: true, to:, or below: and flatten:",
                "{match: Trash, leave: true}, {match: \"Projects/**\", to: \"Work/**\"} or {match: \"Projects/**\", flatten: \" - \"}"
            );
        if (leave)
            return new FolderRule(number, match, new FolderOutcome.Leave());
        if (placed)
        {
            var below = default(FolderPath);
            if (node.Text("below") is { } text && !FolderPath.TryParse(text, out below))
                return Refuse(errors, node["below"], $"'{text}' is not a folder", "a folder such as Old");
            return new FolderRule(number, match, new FolderOutcome.Placed(below, node.Text("flatten")));
        }
        var to = node["to"];
        if (to.Use() is { } toUse)
            return new FolderRule(number, match, new FolderOutcome.ToUse(toUse));
        var pattern = ((YamlScalarNode)to).Value!;
        if (match is FolderMatch.Expression)
            return new FolderRule(number, match, new FolderOutcome.To(pattern));
        var plain = pattern.EndsWith("/**", StringComparison.Ordinal) ? pattern[..^3] : pattern;
        if (!FolderPath.TryParse(plain, out _) || plain.Contains('*', StringComparison.Ordinal))
            return Refuse(
                errors,
                to,
                $"'{pattern}' is not a place for a folder",
                "a name such as Work/Old, or one that ends in /** like its match"
            );
        if (plain != pattern && (match as FolderMatch.Glob)?.Pattern.Contains("**", StringComparison.Ordinal) != true)
            return Refuse(errors, to, $"'{pattern}' keeps the names below, but the match has no **", "use ** in both or in neither");
        return new FolderRule(number, match, new FolderOutcome.To(pattern));
    }

    private static FolderMatch? ReadMatch(YamlNode match, PlanErrors errors)
    {
        if (match is YamlScalarNode { Value: { } glob })
        {
            if (FolderPath.TryParse(glob, out _))
                return new FolderMatch.Glob(glob);
            errors.Report(
                match,
                $"'{glob}' is not a folder or glob",
                "names with '/' between them, * within a name, ** over any number of names"
            );
            return null;
        }
        var kinds = (YamlMappingNode)match;
        if (kinds.Children.Count != 1)
        {
            errors.Report(match, "a rule matches by one thing", "one of use, name and regex");
            return null;
        }
        if (match.Use() is { } use)
            return new FolderMatch.Use(use);
        if (kinds.Text("name") is { } name)
        {
            if (FolderPath.TryParse(name, out var path))
                return new FolderMatch.Name(path!);
            errors.Report(match, $"'{name}' is not a folder", "names with '/' between them");
            return null;
        }
        var expression = kinds.Text("regex")!;
        try
        {
            return new FolderMatch.Expression(expression);
        }
        catch (Exception e) when (e is ArgumentException or NotSupportedException)
        {
            errors.Report(
                match,
                $"'{expression}' is not a regular expression that can be used: {e.Message}",
                "an expression without look-around and back-references"
            );
            return null;
        }
    }

    private static FolderRule? Refuse(PlanErrors errors, YamlNode where, string what, string allowed)
    {
        errors.Report(where, what, allowed);
        return null;
    }
}
