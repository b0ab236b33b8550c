using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Cli;

/// <summary>
/// Reads a plan file and the rosters, certificates and templates that it names, each relative to it. What is wrong in them is the service's
/// to say.
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
        var folder = Path.GetDirectoryName(Path.GetFullPath(file))!;
        var files = new Dictionary<string, string>();
        foreach (var named in NamedFiles(text))
        {
            var path = Path.Combine(folder, named);
            // A missing file is not sent; the service reports the line that refers to it.
            if (File.Exists(path))
                files[named] = await File.ReadAllTextAsync(path, cancel);
        }
        return new PlanSubmission(Path.GetFileName(file), text, files);
    }

    private static HashSet<string> NamedFiles(string text) =>
        [.. Mappings(text).SelectMany(m => m.Children).SelectMany(c => NamedBy((c.Key as YamlScalarNode)?.Value, c.Value))];

    private static IEnumerable<string> NamedBy(string? key, YamlNode value)
    {
        if (s_fileKeys.Contains(key) && value is YamlScalarNode { Value: { } file })
            return [file];
        return s_listKeys.Contains(key) && value is YamlSequenceNode list
            ? list.Children.OfType<YamlScalarNode>().Select(f => f.Value).OfType<string>()
            : [];
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
