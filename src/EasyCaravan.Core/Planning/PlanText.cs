using YamlDotNet.Core;
using YamlDotNet.Core.Events;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning;

/// <summary>Changes one thing in a plan's text and leaves every other line, with its comments, as somebody wrote it.</summary>
public static class PlanText
{
    /// <summary>The plan with other folder rules in one of its routes.</summary>
    /// <param name="rules">A YAML list of folder rules; empty: none.</param>
    /// <exception cref="FormatException">The rules are not a YAML list, or the plan has no such route.</exception>
    public static string WithFolderRules(string plan, string route, string rules)
    {
        var root = Load(plan) as YamlMappingNode ?? throw new FormatException("the plan is not a mapping");
        if (
            root.Children.TryGetValue("routes", out var routes)
            && ((YamlMappingNode)routes).Children.TryGetValue(route, out var node)
            && node is YamlMappingNode mapping
        )
            return mapping.Style is MappingStyle.Flow ? InFlow(plan, mapping, Items(rules)) : InBlock(plan, mapping, Items(rules));
        throw new FormatException($"the plan has no route '{route}'");
    }

    /// <summary>
    /// The folder rules of a route as a YAML list, one to a line; empty where it has none. Null: the text has no such route.
    /// </summary>
    public static string? FolderRulesOf(string plan, string route)
    {
        if (
            Load(plan) is not YamlMappingNode root
            || !root.Children.TryGetValue("routes", out var routes)
            || !((YamlMappingNode)routes).Children.TryGetValue(route, out var node)
        )
            return null;
        var folders = ((YamlMappingNode)node).Children.TryGetValue("folders", out var list) ? (YamlSequenceNode)list : null;
        return folders is null ? "" : string.Concat(folders.Children.Select(r => $"- {Write(r)}\n"));
    }

    private static List<string> Items(string rules) =>
        Load(rules) switch
        {
            null => [],
            YamlSequenceNode list => [.. list.Children.Select(Write)],
            _ => throw new FormatException("folder rules are a list: each begins with a hyphen"),
        };

    private static YamlNode? Load(string text)
    {
        try
        {
            return BoundedYaml.Load(text);
        }
        catch (YamlException broken)
        {
            throw new FormatException(
                $"line {Math.Max(1, broken.Start.Line)}: this is not YAML that a plan can be read from: "
                    + $"{broken.InnerException?.Message ?? broken.Message}",
                broken
            );
        }
    }

    private static string InBlock(string plan, YamlMappingNode route, List<string> items)
    {
        var lines = plan.Split('\n').ToList();
        var indent = new string(' ', (int)route.Children.Keys.First().Start.Column - 1);
        var key = route.Children.Keys.OfType<YamlScalarNode>().FirstOrDefault(k => k.Value == "folders");
        int at;
        if (key is null)
        {
            at = LastLine(plan, route);
        }
        else
        {
            at = (int)key.Start.Line - 1;
            lines.RemoveRange(at, LastLine(plan, route.Children[key]) - at);
        }
        if (items.Count > 0)
            lines.InsertRange(at, [$"{indent}folders:", .. items.Select(i => $"{indent}  - {i}")]);
        return string.Join('\n', lines);
    }

    private static string InFlow(string plan, YamlMappingNode route, List<string> items)
    {
        var text = $"folders: [{string.Join(", ", items)}]";
        var key = route.Children.Keys.OfType<YamlScalarNode>().FirstOrDefault(k => k.Value == "folders");
        if (key is not null)
            return string.Concat(plan.AsSpan(0, (int)key.Start.Index), text, plan.AsSpan(EndOf(plan, route.Children[key])));
        var end = EndOf(plan, route) - 1;
        return items.Count == 0 ? plan : string.Concat(plan.AsSpan(0, end), $", {text}", plan.AsSpan(end));
    }

    /// <summary>1-based: the last line on which something of this node stands.</summary>
    private static int LastLine(string plan, YamlNode node) => plan.AsSpan(0, Math.Max(0, EndOf(plan, node) - 1)).Count('\n') + 1;

    /// <summary>Where the node's own text ends. The parser's mark is that of its beginning, or of where the next thing begins.</summary>
    private static int EndOf(string plan, YamlNode node) =>
        node switch
        {
            YamlMappingNode mapping => Closed(
                plan,
                mapping.Children.SelectMany(c => new[] { c.Key, c.Value }),
                node,
                mapping.Style is MappingStyle.Flow ? '}' : null
            ),
            YamlSequenceNode sequence => Closed(plan, sequence.Children, node, sequence.Style is SequenceStyle.Flow ? ']' : null),
            _ => (int)node.End.Index,
        };

    private static int Closed(string plan, IEnumerable<YamlNode> children, YamlNode node, char? bracket)
    {
        var end = children.Select(c => EndOf(plan, c)).Append((int)node.Start.Index).Max();
        return bracket is { } close && plan.IndexOf(close, end) is var at and >= 0 ? at + 1 : end;
    }

    /// <summary>On one line.</summary>
    private static string Write(YamlNode node) =>
        node switch
        {
            YamlMappingNode mapping => $"{{{string.Join(", ", mapping.Children.Select(c => $"{Write(c.Key)}: {Write(c.Value)}"))}}}",
            YamlSequenceNode sequence => $"[{string.Join(", ", sequence.Children.Select(Write))}]",
            YamlScalarNode { Value: { } value } => IsPlain(value)
                ? value
                : $"\"{value.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\"", "\\\"", StringComparison.Ordinal)}\"",
            _ => "\"\"",
        };

    private static bool IsPlain(string value) =>
        value.Length > 0 && value.All(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '.' or '_') && value[0] is not ('-' or '.');
}
