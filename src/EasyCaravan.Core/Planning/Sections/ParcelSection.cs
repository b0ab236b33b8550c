using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>parcels:</c> of a service.</summary>
internal static class ParcelSection
{
    private static readonly string[] s_connections =
    [
        "mail",
        "contacts",
        "calendars",
        "rules",
        "sending",
        "forwarding",
        "sign-in",
        "trust",
    ];

    public static ParcelPlace? Read(YamlMappingNode service, PlanErrors errors)
    {
        if (service.Section("parcels") is not { } node)
            return null;
        foreach (var key in s_connections.Where(k => service.Children.ContainsKey(k)))
            errors.Report(
                service[key],
                $"a service of parcels has no '{key}'",
                "parcels: alone, with folder-names, limits and help where needed"
            );
        var folder = node.Text("place")!.TrimEnd('/');
        if (folder.Length == 0 || !FileGlob.IsBelow(folder.TrimStart('/')) || folder.Contains('*', StringComparison.Ordinal))
            errors.Report(
                node["place"],
                $"'{node.Text("place")}' is no folder",
                "a folder below the service's folder of files, such as parcels/"
            );
        return new ParcelPlace(folder, node.Text("name") ?? ParcelPlace.UsualName)
        {
            Password = SignInSection.ReadSecret(node, "password", errors),
            PartSize = node.Size("part-size"),
            AsOf = ReadTime(node, errors),
        };
    }

    private static DateTimeOffset? ReadTime(YamlMappingNode node, PlanErrors errors)
    {
        if (node.Text("as-of") is not { } text)
            return null;
        if (NodaTime.Text.OffsetDateTimePattern.Rfc3339.Parse(text) is { Success: true, Value: var time })
            return time.ToDateTimeOffset();
        errors.Report(node["as-of"], $"'{text}' is no moment", "a moment such as 2027-02-12T18:00:00Z");
        return null;
    }
}
