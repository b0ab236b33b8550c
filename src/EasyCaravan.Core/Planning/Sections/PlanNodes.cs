using System.Collections.Immutable;
using System.Globalization;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Typed values of a plan's YAML nodes. The schema was checked before, so that a value that is there has the right form.</summary>
internal static class PlanNodes
{
    public static IEnumerable<(string Name, YamlMappingNode Node)> Entries(this YamlMappingNode root, string section) =>
        ((YamlMappingNode)root[section]).Children.Select(c => (((YamlScalarNode)c.Key).Value!, (YamlMappingNode)c.Value));

    public static YamlMappingNode? Section(this YamlMappingNode node, string key) =>
        node.Children.TryGetValue(key, out var value) ? (YamlMappingNode)value : null;

    public static string? Text(this YamlMappingNode node, string key) =>
        node.Children.TryGetValue(key, out var value) ? ((YamlScalarNode)value).Value : null;

    public static ImmutableArray<string> Texts(this YamlMappingNode node, string key) =>
        node.Children.TryGetValue(key, out var list) ? [.. ((YamlSequenceNode)list).Children.Select(n => ((YamlScalarNode)n).Value!)] : [];

    public static int? Number(this YamlMappingNode node, string key) =>
        node.Text(key) is { } text ? int.Parse(text, CultureInfo.InvariantCulture) : null;

    /// <summary>In octets.</summary>
    public static ByteCount? Size(this YamlMappingNode node, string key) =>
        node.Text(key) is { } text && ByteCount.TryParse(text, out var octets) ? octets : null;

    /// <summary>A number a second.</summary>
    public static double? Rate(this YamlMappingNode node, string key) =>
        node.Text(key) is { } text ? double.Parse(text, CultureInfo.InvariantCulture) : null;

    /// <summary>Of <c>{use: sent}</c>; null for another node.</summary>
    public static SpecialUse? Use(this YamlNode node) =>
        node is YamlMappingNode mapping && mapping.Text("use") is { } use ? Enum.Parse<SpecialUse>(use, ignoreCase: true) : null;
}
