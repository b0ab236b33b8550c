using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// Checks a YAML document against the plan's JSON Schema and names each error's line. It knows the keywords that the plan's schema
/// uses; another keyword in the schema is an error at once, so nothing in it can be silently unchecked.
/// </summary>
internal sealed class SchemaCheck(string file, JsonElement schema, ICollection<PlanError> errors)
{
    private static readonly HashSet<string> s_known =
    [
        "$schema",
        "$defs",
        "$ref",
        "title",
        "description",
        "default",
        "type",
        "enum",
        "pattern",
        "minimum",
        "maximum",
        "properties",
        "additionalProperties",
        "propertyNames",
        "required",
        "minProperties",
        "items",
        "oneOf",
        "writeOnly",
    ];

    /// <summary>Words under which a schema holds schemas by name, and those under which it holds one, or several.</summary>
    private static readonly string[] s_byName = ["$defs", "properties"],
        s_within = ["additionalProperties", "propertyNames", "items", "oneOf"];

    /// <summary>Whether every keyword of a schema is one that is checked.</summary>
    /// <exception cref="InvalidOperationException">One is not.</exception>
    public static void Prove(JsonElement rule)
    {
        if (rule.ValueKind is JsonValueKind.Array)
            foreach (var one in rule.EnumerateArray())
                Prove(one);
        if (rule.ValueKind is not JsonValueKind.Object)
            return;
        foreach (var (keyword, value) in rule.EnumerateObject().Select(k => (k.Name, k.Value)))
        {
            if (!s_known.Contains(keyword))
                throw new InvalidOperationException($"The plan's schema uses the keyword {keyword}, which is not checked.");
            if (s_byName.Contains(keyword))
                foreach (var named in value.EnumerateObject())
                    Prove(named.Value);
            else if (s_within.Contains(keyword))
                Prove(value);
        }
    }

    public void Check(YamlNode node) => Check(node, schema, "the plan");

    private void Check(YamlNode node, JsonElement rule, string where)
    {
        rule = Resolve(rule);
        if (rule.TryGetProperty("oneOf", out var choices))
        {
            var fitting = choices.EnumerateArray().Select(Resolve).FirstOrDefault(c => Fits(node, c));
            if (fitting.ValueKind is JsonValueKind.Undefined)
                Report(node, $"{where} has the wrong form", Allowed(rule));
            else
                Check(node, fitting, where);
            return;
        }
        if (!Fits(node, rule))
        {
            Report(node, $"{where} has the wrong form", Allowed(rule));
            return;
        }
        switch (node)
        {
            case YamlMappingNode mapping:
                CheckMapping(mapping, rule, where);
                break;
            case YamlSequenceNode sequence:
                foreach (var (item, i) in sequence.Children.Select((c, i) => (c, i)))
                    Check(item, rule.GetProperty("items"), $"{where}, item {i + 1}");
                break;
            case YamlScalarNode scalar:
                CheckScalar(scalar, rule, where);
                break;
            default:
                throw new InvalidOperationException($"YAML node {node.GetType().Name} after aliases were resolved.");
        }
    }

    private void CheckMapping(YamlMappingNode mapping, JsonElement rule, string where)
    {
        var properties = rule.TryGetProperty("properties", out var p) ? p : default;
        var others = rule.GetProperty("additionalProperties");
        foreach (var (key, value) in mapping.Children)
        {
            var name = (key as YamlScalarNode)?.Value ?? "";
            if (properties.ValueKind is JsonValueKind.Object && properties.TryGetProperty(name, out var property))
            {
                Check(value, property, $"'{name}'");
            }
            else if (others.ValueKind is JsonValueKind.Object)
            {
                if (rule.TryGetProperty("propertyNames", out var names))
                    Check(key, names, $"the name '{name}'");
                Check(value, others, $"'{name}'");
            }
            else
            {
                var known = properties.EnumerateObject().Select(o => o.Name).ToList();
                Report(key, $"'{name}' is not known in {where}{Spelling.Suggest(name, known)}", $"here: {string.Join(", ", known)}");
            }
        }
        if (rule.TryGetProperty("required", out var required))
        {
            foreach (
                var name in required
                    .EnumerateArray()
                    .Select(r => r.GetString()!)
                    .Where(n => !mapping.Children.ContainsKey(new YamlScalarNode(n)))
            )
                Report(
                    mapping,
                    $"{where} has no '{name}'",
                    $"it needs {string.Join(", ", required.EnumerateArray().Select(r => r.GetString()))}"
                );
        }
        if (rule.TryGetProperty("minProperties", out var least) && mapping.Children.Count < least.GetInt32())
            Report(mapping, $"{where} is empty", Allowed(rule));
    }

    private void CheckScalar(YamlScalarNode scalar, JsonElement rule, string where)
    {
        var value = scalar.Value ?? "";
        if (rule.TryGetProperty("enum", out var words))
        {
            var allowed = words.EnumerateArray().Select(w => w.GetString()!).ToList();
            if (!allowed.Contains(value))
                Report(scalar, $"{where} cannot be '{value}'{Spelling.Suggest(value, allowed)}", $"one of {string.Join(", ", allowed)}");
        }
        else if (
            rule.TryGetProperty("pattern", out var pattern)
            && !Regex.IsMatch(value, pattern.GetString()!, RegexOptions.None, TimeSpan.FromSeconds(1))
        )
        {
            // A secret that was put where only its place may stand is not repeated.
            Report(
                scalar,
                rule.TryGetProperty("writeOnly", out _) ? $"{where} cannot be what stands there" : $"{where} cannot be '{value}'",
                Allowed(rule)
            );
        }
        else if (rule.TryGetProperty("minimum", out var minimum))
        {
            var number = long.Parse(value, CultureInfo.InvariantCulture);
            if (number < minimum.GetInt64() || number > rule.GetProperty("maximum").GetInt64())
                Report(scalar, $"{where} cannot be {value}", Allowed(rule));
        }
        else if (value.Length == 0)
        {
            Report(scalar, $"{where} is empty", Allowed(rule));
        }
    }

    private static bool Fits(YamlNode node, JsonElement rule) =>
        (rule.TryGetProperty("type", out var type) ? type.GetString() : "string") switch
        {
            "object" => node is YamlMappingNode,
            "array" => node is YamlSequenceNode,
            "string" => node is YamlScalarNode,
            "integer" => node is YamlScalarNode { Value: { } v }
                && long.TryParse(v, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out _),
            "boolean" => node is YamlScalarNode { Value: "true" or "false" },
            var other => throw new InvalidOperationException($"The plan's schema uses the type {other}, which is not checked."),
        };

    private JsonElement Resolve(JsonElement rule)
    {
        if (rule.TryGetProperty("$ref", out var reference))
            rule = schema.GetProperty("$defs").GetProperty(reference.GetString()!["#/$defs/".Length..]);
        return rule;
    }

    private static string Allowed(JsonElement rule)
    {
        if (rule.TryGetProperty("description", out var description))
            return description.GetString()!;
        if (rule.TryGetProperty("enum", out var words))
            return $"one of {string.Join(", ", words.EnumerateArray())}";
        return rule.GetProperty("type").GetString()!;
    }

    private void Report(YamlNode node, string what, string allowed) => errors.Add(new PlanError(file, (int)node.Start.Line, what, allowed));
}
