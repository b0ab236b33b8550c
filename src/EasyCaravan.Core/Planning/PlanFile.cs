using System.Collections.Immutable;
using System.Text.Json;
using EasyCaravan.Core.Planning.Sections;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning;

/// <summary>A plan file with the files that it names, as text by the name that the plan uses for them.</summary>
public sealed record PlanBundle(string Name, string Text, IReadOnlyDictionary<string, string> Files);

/// <summary>
/// Reads a plan: its form against the schema, then section by section what the schema cannot say, then the rosters. Every error is
/// reported, not only the first.
/// </summary>
public static class PlanFile
{
    /// <summary>The JSON Schema that plans are checked against, as shipped.</summary>
    public static string Schema { get; } = ReadSchema();

    /// <summary>The plan, or null and what is wrong with it, in the order of the lines.</summary>
    /// <param name="withRosters">
    /// False for a plan that was applied before: its people are in the store, and the rosters with their secrets are kept nowhere.
    /// </param>
    public static (Plan? Plan, ImmutableArray<PlanError> Errors) Read(PlanBundle bundle, bool withRosters = true)
    {
        var found = new List<PlanError>();
        var plan = Read(bundle, withRosters, found);
        var inOrder = found.OrderBy(e => e.File != bundle.Name).ThenBy(e => e.File, StringComparer.Ordinal).ThenBy(e => e.Line);
        return (found.Count == 0 ? plan : null, [.. inOrder]);
    }

    private static Plan? Read(PlanBundle bundle, bool withRosters, List<PlanError> found)
    {
        var errors = new PlanErrors(bundle, found);
        if (Parse(bundle, errors) is not { } root)
            return null;
        using var schema = JsonDocument.Parse(Schema);
        new SchemaCheck(bundle.Name, schema.RootElement, found).Check(root);
        if (found.Count > 0)
            return null;

        var services = root.Entries("services").Select(e => ServiceSection.Read(e.Name, e.Node, errors)).ToImmutableArray();
        var routes = root.Entries("routes").Select(e => RouteSection.Read(e.Name, e.Node, services, errors)).ToImmutableArray();
        var batches = root.Entries("batches")
            .Select(e => BatchSection.Read(e.Name, e.Node, routes, withRosters, errors))
            .ToImmutableArray();
        var plan = new Plan(services, routes, batches) { Notices = NoticesSection.Read(root, errors) };
        if (withRosters)
            AccountCheck.Check(plan, errors);
        return plan;
    }

    private static YamlMappingNode? Parse(PlanBundle bundle, PlanErrors errors)
    {
        try
        {
            if (BoundedYaml.Load(bundle.Text) is YamlMappingNode root)
                return root;
        }
        catch (YamlException broken)
        {
            errors.Report(
                Math.Max(1, (int)broken.Start.Line),
                $"this is not YAML that a plan can be read from: {broken.InnerException?.Message ?? broken.Message}",
                "see docs/plan.md for a whole plan to start from"
            );
            return null;
        }
        errors.Report(1, "the plan is empty or not a mapping", "it needs services, routes and batches");
        return null;
    }

    private static string ReadSchema()
    {
        using var stream = typeof(PlanFile).Assembly.GetManifestResourceStream("plan.schema.json")!;
        using var reader = new StreamReader(stream);
        var text = reader.ReadToEnd();
        using var schema = JsonDocument.Parse(text);
        SchemaCheck.Prove(schema.RootElement);
        return text;
    }
}
