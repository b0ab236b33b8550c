using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Service.Parcels;

/// <summary>Writes the piece of plan of an errand: its service of parcels, its route and its batch. JSON is YAML, too.</summary>
internal static class ErrandText
{
    private static readonly JsonSerializerOptions s_options = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>Which mail folders, days and sizes an errand is about.</summary>
    internal sealed record Choice(
        IReadOnlyList<MoveKind>? Kinds,
        IReadOnlyList<string>? Folders,
        IReadOnlyList<string>? Leave,
        DateOnly? Since,
        DateOnly? Before,
        long? Largest
    );

    /// <param name="parcelName">A pattern with <c>{account}</c>.</param>
    public static string Pack(string name, string from, string place, string parcelName, long? partSize, Choice choice)
    {
        var parcels = new JsonObject { ["place"] = place, ["name"] = parcelName };
        if (partSize is { } octets)
            parcels["part-size"] = $"{octets}B";
        return Write(name, parcels, RouteOf(from, name, choice));
    }

    public static string Open(string name, string to, string place, DateTimeOffset? asOf, string? under, string? root, Choice choice)
    {
        var parcels = new JsonObject { ["place"] = place };
        if (asOf is { } time)
            parcels["as-of"] = time.ToUniversalTime()
                .ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", System.Globalization.CultureInfo.InvariantCulture);
        var route = RouteOf(name, to, choice);
        if (under is not null)
            route["under"] = under;
        if (root is not null)
            route["root"] = root;
        return Write(name, parcels, route);
    }

    private static string Write(string name, JsonObject parcels, JsonObject route) =>
        new JsonObject
        {
            ["services"] = new JsonObject { [name] = new JsonObject { ["parcels"] = parcels } },
            ["routes"] = new JsonObject { [name] = route },
            ["batches"] = new JsonObject
            {
                // Whoever is packed is not told of it, nor the parcel's name taken for an address.
                [name] = new JsonObject
                {
                    ["route"] = name,
                    ["roster"] = name,
                    ["notices"] = new JsonObject { ["people"] = false },
                },
            },
        }.ToJsonString(s_options);

    private static JsonObject RouteOf(string from, string to, Choice choice)
    {
        var route = new JsonObject { ["from"] = from, ["to"] = to };
        if (choice.Kinds is { Count: > 0 } kinds)
            route["carry"] = new JsonArray([.. kinds.Distinct().Select(k => (JsonNode)KebabWord.Of(k))]);
        var rules = new JsonArray();
        foreach (var glob in choice.Leave ?? [])
            rules.Add(new JsonObject { ["match"] = glob, ["leave"] = true });
        foreach (var glob in choice.Folders ?? [])
            rules.Add(
                new JsonObject
                {
                    ["match"] = new JsonObject { ["regex"] = RegexOf(glob) },
                    ["to"] = "$1",
                }
            );
        if (choice.Folders is { Count: > 0 })
            rules.Add(new JsonObject { ["match"] = "**", ["leave"] = true });
        if (rules.Count > 0)
            route["folders"] = rules;
        var mail = new JsonObject();
        if (choice.Since is { } since)
            mail["since"] = Day(since);
        if (choice.Before is { } before)
            mail["before"] = Day(before);
        if (choice.Largest is { } largest)
            mail["largest"] = $"{largest}B";
        if (mail.Count > 0)
            route["mail"] = mail;
        return route;
    }

    private static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>An expression for the folders that a glob fits; its first group is the folder, which keeps its name.</summary>
    /// <exception cref="FormatException">The text is no folder.</exception>
    private static string RegexOf(string glob)
    {
        var names = FolderPath.Parse(glob).Names;
        var text = new StringBuilder("^(");
        for (var i = 0; i < names.Length; i++)
        {
            var isLast = i == names.Length - 1;
            if (names[i] == "**")
                text.Append(
                    (i, isLast) switch
                    {
                        (0, true) => ".*",
                        (0, false) => "(?:.*/)?",
                        (_, true) => "(?:/.*)?",
                        (_, false) => "/(?:.*/)?",
                    }
                );
            else
                text.Append(i > 0 && names[i - 1] != "**" ? "/" : "")
                    .Append(Regex.Escape(FolderPath.Of(names[i]).ToString()).Replace("\\*", "[^/]*", StringComparison.Ordinal));
        }
        return text.Append(")$").ToString();
    }
}
