using System.Collections.Immutable;
using NodaTime;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>contacts:</c> or <c>calendars:</c> of a route.</summary>
internal static class CollectionRulesSection
{
    public static CollectionRules Read(YamlMappingNode route, string kind, PlanErrors errors)
    {
        if (route.Section(kind) is not { } node)
            return CollectionRules.Default;
        return new CollectionRules(
            ReadRules(node, errors),
            CarriesShared: node.Text("shared") == "carry",
            node.Text("doubles") switch
            {
                "merge" => ItemDoubles.Merge,
                "keep-both" => ItemDoubles.KeepBoth,
                _ => ItemDoubles.Pair,
            },
            ReadSince(node, kind, errors)
        )
        {
            Shaping = node.Children.ContainsKey("shaping")
                ? node.Texts("shaping").Select(ShapingOf).Aggregate(ItemShapings.None, (all, one) => all | one)
                : CollectionRules.Default.Shaping,
        };
    }

    private static ImmutableArray<CollectionRule> ReadRules(YamlMappingNode node, PlanErrors errors)
    {
        if (!node.Children.TryGetValue("collections", out var list))
            return [];
        var rules = ImmutableArray.CreateBuilder<CollectionRule>();
        foreach (var item in ((YamlSequenceNode)list).Children.Cast<YamlMappingNode>())
        {
            if (item.Children.ContainsKey("to") == (item.Text("leave") == "true"))
                errors.Report(item, "a rule says where a collection goes, or that it stays", "either to: a name, or leave: true");
            rules.Add(new CollectionRule(rules.Count + 1, item.Text("match")!, item.Text("to")));
        }
        return rules.ToImmutable();
    }

    private static ItemShapings ShapingOf(string word) =>
        Enum.GetValues<ItemShapings>().First(s => s is not ItemShapings.None && KebabWord.Of(s) == word);

    private static LocalDate? ReadSince(YamlMappingNode node, string kind, PlanErrors errors)
    {
        if (node.Text("since") is not { } text)
            return null;
        var parsed = NodaTime.Text.LocalDatePattern.Iso.Parse(text);
        if (!parsed.Success)
            errors.Report(node["since"], $"'{text}' is not a day of the calendar", "a day such as 2015-01-01");
        else if (kind == "contacts")
            errors.Report(node["since"], "contacts have no date by which they could be left out", "since: under calendars only");
        else
            return parsed.Value;
        return null;
    }
}
