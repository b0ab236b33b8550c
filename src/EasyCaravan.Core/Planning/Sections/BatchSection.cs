using System.Collections.Immutable;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads an entry of <c>batches:</c>.</summary>
internal static class BatchSection
{
    /// <param name="withRoster">False for a plan that was applied before: its people are in the store.</param>
    public static Batch Read(string name, YamlMappingNode node, ImmutableArray<Route> routes, bool withRoster, PlanErrors errors)
    {
        var route = node.Text("route")!;
        if (routes.All(r => r.Name != route))
            errors.Report(
                node["route"],
                $"'{route}' is not a route of this plan{Spelling.Suggest(route, routes.Select(r => r.Name))}",
                $"one of {string.Join(", ", routes.Select(r => r.Name))}"
            );
        var roster = node.Text("roster")!;
        ImmutableArray<RosterPerson> people = [];
        if (withRoster && errors.Files.TryGetValue(roster, out var csv))
            people = errors.ReadRoster(roster, csv);
        else if (withRoster)
            errors.Report(node["roster"], $"the file '{roster}' was not found", "a path relative to the plan file");
        var timetable = node.Children.TryGetValue("timetable", out var t) ? TimetableSection.Read((YamlMappingNode)t, errors) : null;
        return new Batch(name, route, roster, people, timetable)
        {
            Priority = node.Number("priority") ?? Batch.UsualPriority,
            Crossing = CrossingSection.Read(node),
            Notices = NoticesSection.ReadBatch(node, errors),
        };
    }
}
