using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Cli;

/// <summary>
/// Reads a plan file and the rosters, certificates and templates that it names, each below its folder. What is wrong in them is the
/// service's to say.
/// </summary>
internal static class PlanReading
{
    private static readonly string[] s_fileKeys = ["roster", "ca-file"];

    /// <summary>Their value is a list of files.</summary>
    private static readonly string[] s_listKeys = ["templates"];

    public static async Task<PlanSubmission> ReadAsync(string file, CancellationToken cancel)
    {
        if (!File.Exists(file))
            throw new CommandException(ExitCode.WrongUsage, $"There is no file {file}.\nGive the path of a plan file.");
        var text = await File.ReadAllTextAsync(file, cancel);
        var folder = new PlanFolder(file);
        var files = new Dictionary<string, string>();
        foreach (var (named, line) in NamedFiles(text))
            // A missing file is not sent; the service reports the line that refers to it.
            if (folder.Find(named, $"{file}:{line}") is { } path)
            {
                files[named] = await File.ReadAllTextAsync(path, cancel);
                if (files[named].Contains(" PRIVATE KEY-----", StringComparison.Ordinal))
                    throw new CommandException(
                        ExitCode.WrongUsage,
                        $"{file}:{line}: {named} holds a private key, and is not sent.\nName a file with the certificates alone."
                    );
            }
        return new PlanSubmission(Path.GetFileName(file), text, files);
    }

    private static IEnumerable<(string Name, long Line)> NamedFiles(string text) =>
        Mappings(text)
            .SelectMany(m => m.Children)
            .SelectMany(c => NamedBy((c.Key as YamlScalarNode)?.Value, c.Value))
            .Where(n => n.Value is { Length: > 0 })
            .Select(n => (n.Value!, n.Start.Line))
            .DistinctBy(n => n.Item1);

    private static IEnumerable<YamlScalarNode> NamedBy(string? key, YamlNode value)
    {
        if (s_fileKeys.Contains(key) && value is YamlScalarNode file)
            return [file];
        return s_listKeys.Contains(key) && value is YamlSequenceNode list ? list.Children.OfType<YamlScalarNode>() : [];
    }

    /// <summary>Everything in a plan that has keys; nothing where it is no YAML, which is the service's to say.</summary>
    public static IEnumerable<YamlMappingNode> Mappings(string text)
    {
        try
        {
            return BoundedYaml.Load(text)?.AllNodes.OfType<YamlMappingNode>() ?? [];
        }
        catch (YamlException)
        {
            return [];
        }
    }
}
