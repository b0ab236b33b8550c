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
    private static readonly string[] s_sections = ["services", "routes", "batches"];

    /// <summary>The JSON Schema that plans are checked against, as shipped.</summary>
    public static string Schema { get; } = ReadSchema();

    /// <summary>The plan, or null and what is wrong with it, in the order of the lines.</summary>
    /// <param name="withRosters">
    /// False for a plan that was applied before: its people are in the store, and the rosters with their secrets are kept nowhere.
    /// </param>
    /// <param name="errands">What commands made beside it.</param>
    public static (Plan? Plan, ImmutableArray<PlanError> Errors) Read(
        PlanBundle bundle,
        bool withRosters = true,
        IReadOnlyList<Errand>? errands = null
    )
    {
        var found = new List<PlanError>();
        var plan = Read(bundle, withRosters, errands ?? [], found);
        var inOrder = found.OrderBy(e => e.File != bundle.Name).ThenBy(e => e.File, StringComparer.Ordinal).ThenBy(e => e.Line);
        return (found.Count == 0 ? plan : null, [.. inOrder]);
    }

    private static Plan? Read(PlanBundle bundle, bool withRosters, IReadOnlyList<Errand> errands, List<PlanError> found)
    {
        var errors = new PlanErrors(bundle, found);
        using var schema = JsonDocument.Parse(Schema);
        if (ParseChecked(bundle, errors, schema, found) is not { } root)
            return null;
        var pieces = new List<(YamlMappingNode Root, PlanErrors Errors, bool WithRosters)> { (root, errors, withRosters) };
        foreach (var errand in errands)
        {
            var ofErrand = new PlanBundle(errand.Name, errand.Text, new Dictionary<string, string>());
            var its = new PlanErrors(ofErrand, found);
            if (ParseChecked(ofErrand, its, schema, found) is not { } piece)
                return null;
            foreach (var section in s_sections)
                if (root.Section(section)!.Children.TryGetValue(errand.Name, out var same))
                    errors.Report(same, $"'{errand.Name}' is what the service calls an errand of 'caravan parcel'", "another name");
            pieces.Add((piece, its, false));
        }
        if (found.Count > 0)
            return null;

        IEnumerable<T> All<T>(string section, Func<string, YamlMappingNode, PlanErrors, bool, T> read) =>
            pieces.SelectMany(p => p.Root.Entries(section).Select(e => read(e.Name, e.Node, p.Errors, p.WithRosters)));
        var services = All("services", (name, node, e, _) => ServiceSection.Read(name, node, e)).ToImmutableArray();
        var routes = All("routes", (name, node, e, _) => RouteSection.Read(name, node, services, e)).ToImmutableArray();
        var batches = All("batches", (name, node, e, with) => BatchSection.Read(name, node, routes, with, e)).ToImmutableArray();
        var plan = new Plan(services, routes, batches) { Notices = NoticesSection.Read(root, errors) };
        if (withRosters)
            AccountCheck.Check(plan, errors);
        return plan;
    }

    private static YamlMappingNode? ParseChecked(PlanBundle bundle, PlanErrors errors, JsonDocument schema, List<PlanError> found)
    {
        if (Parse(bundle, errors) is not { } root)
            return null;
        new SchemaCheck(bundle.Name, schema.RootElement, found).Check(root);
        return found.Count > 0 ? null : root;
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
