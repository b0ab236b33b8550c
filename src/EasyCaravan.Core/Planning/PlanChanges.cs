using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning;

/// <summary>What a new plan changes beside its people, in words: which services, routes and batches, and which of their settings.</summary>
public static class PlanChanges
{
    private static readonly string[] s_sections = ["services", "routes", "batches"];

    /// <param name="before">The text in force; null before the first plan.</param>
    /// <param name="after">A text that was read without errors.</param>
    public static IReadOnlyList<string> Between(string? before, string after)
    {
        var (old, now) = (before is null ? null : BoundedYaml.Load(before) as YamlMappingNode, (YamlMappingNode)BoundedYaml.Load(after)!);
        var changes = new List<string>();
        foreach (var section in s_sections)
        {
            var (was, here) = (EntriesOf(old, section), EntriesOf(now, section));
            var kind = section == "batches" ? "batch" : section[..^1];
            changes.AddRange(here.Keys.Except(was.Keys).Select(name => $"{kind} {name} is new"));
            changes.AddRange(was.Keys.Except(here.Keys).Select(name => $"{kind} {name} is gone"));
            foreach (var (name, node) in here)
                if (was.TryGetValue(name, out var former) && SettingsThatDiffer(former, node) is { Count: > 0 } settings)
                    changes.Add($"{kind} {name}: {string.Join(", ", settings)} changed");
        }
        return changes;
    }

    private static Dictionary<string, YamlNode> EntriesOf(YamlNode? node, string? key = null)
    {
        var mapping =
            key is null ? node as YamlMappingNode
            : node is YamlMappingNode root && root.Children.TryGetValue(key, out var child) ? child as YamlMappingNode
            : null;
        return mapping?.Children.ToDictionary(c => ((YamlScalarNode)c.Key).Value!, c => c.Value) ?? [];
    }

    private static List<string> SettingsThatDiffer(YamlNode before, YamlNode after)
    {
        var (was, now) = (EntriesOf(before), EntriesOf(after));
        return
        [
            .. was
                .Keys.Union(now.Keys)
                .Where(k => !(was.TryGetValue(k, out var one) && now.TryGetValue(k, out var other) && one.Equals(other))),
        ];
    }
}
