using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>trust:</c> of a service, of the notices, or of a webhook.</summary>
internal static class TrustSection
{
    public static Trust Read(YamlMappingNode owner, PlanErrors errors)
    {
        if (!owner.Children.TryGetValue("trust", out var trust))
            return new Trust.System();
        if (trust is YamlScalarNode scalar)
            return scalar.Value == "none" ? new Trust.Anyone() : new Trust.System();
        var file = ((YamlMappingNode)trust).Text("ca-file")!;
        if (!errors.Files.TryGetValue(file, out var pem))
            errors.Report(trust, $"the file '{file}' was not found", "a path relative to the plan file");
        else if (pem.Contains(" PRIVATE KEY-----", StringComparison.Ordinal))
            errors.Report(
                trust,
                $"'{file}' holds a private key, which nobody but its owner may have",
                "the certificates alone, in PEM form"
            );
        else if (!pem.Contains("-----BEGIN CERTIFICATE-----", StringComparison.Ordinal))
            errors.Report(trust, $"'{file}' holds no certificate", "one or more certificates in PEM form");
        return new Trust.Authorities(pem ?? "", file);
    }
}
