using System.Collections.Immutable;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Collects what is wrong with a plan, so that all of it is told at once.</summary>
internal sealed class PlanErrors(PlanBundle bundle, ICollection<PlanError> all)
{
    /// <summary>Files that the plan names, by the name that it uses.</summary>
    public IReadOnlyDictionary<string, string> Files => bundle.Files;

    public void Report(YamlNode node, string what, string allowed) => Report((int)node.Start.Line, what, allowed);

    /// <param name="line">1-based.</param>
    public void Report(int line, string what, string allowed) => all.Add(new PlanError(bundle.Name, line, what, allowed));

    public void Add(PlanError error) => all.Add(error);

    /// <summary>Reports each of the keys that is missing.</summary>
    public void Require(YamlMappingNode node, string what, params string[] keys)
    {
        foreach (var key in keys.Where(k => !node.Children.ContainsKey(k)))
            Report(node, $"{what} needs '{key}'", $"it needs {string.Join(", ", keys)}");
    }

    /// <summary>The roster's people; what is wrong in it is reported with the roster's own lines.</summary>
    public ImmutableArray<RosterPerson> ReadRoster(string file, string text) => Roster.Read(file, text, all);
}
