using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Tests;

public sealed class PlanTextTests
{
    private const string Block = """
        # the move of the ferries
        services: {a: {mail: {speaks: imap, host: a.example}}, b: {mail: {speaks: imap, host: b.example}}}
        routes:
          first:
            from: a   # the old one
            folders:
              - {match: "Trash", leave: true}
              - match: "Projects/**"
                to: "Work/**"
            to: b
          second:
            from: a
            to: b
        # who
        batches: {x: {route: first, roster: x.csv}}
        """;

    private const string Flow =
        "services: {a: {mail: {speaks: imap, host: a.example}}, b: {mail: {speaks: imap, host: b.example}}}\n"
        + "routes: {first: {from: a, to: b}, second: {from: b, to: a, folders: [{match: X, leave: true}], doubles: pair}}\n"
        + "batches: {x: {route: first, roster: x.csv}}\n";

    private const string Rules = "- {match: {use: junk}, leave: true}\n- {match: {regex: \"^Old (.*)$\"}, to: \"Older/$1\"}\n";

    [Theory]
    [InlineData(Block, "first")]
    [InlineData(Block, "second")]
    [InlineData(Flow, "first")]
    [InlineData(Flow, "second")]
    public void Rules_are_changed_in_their_place_and_every_other_line_stays(string plan, string route)
    {
        var changed = PlanText.WithFolderRules(plan, route, Rules);
        Assert.Equal(Rules, PlanText.FolderRulesOf(changed, route));
        var (read, errors) = PlanFile.Read(new PlanBundle("plan.yaml", changed, new Dictionary<string, string>()), withRosters: false);
        Assert.Empty(errors);
        Assert.Equal(
            ["decided", "regex"],
            [
                read!.Routes.Single(r => r.Name == route).Folders[0] with { Number = 0 } is { } rule ? rule.ToString()[..7] : "",
                read.Routes.Single(r => r.Name == route).Folders[1].Match.ToString()![..5],
            ]
        );
        var other = route == "first" ? "second" : "first";
        Assert.Equal(PlanText.FolderRulesOf(plan, other), PlanText.FolderRulesOf(changed, other));
        foreach (var line in plan.Split('\n').Where(l => l.Contains('#', StringComparison.Ordinal)))
            Assert.Contains(line, changed, StringComparison.Ordinal);
        Assert.Equal(
            PlanText.FolderRulesOf(plan, route),
            PlanText.FolderRulesOf(PlanText.WithFolderRules(changed, route, PlanText.FolderRulesOf(plan, route)!), route)
        );
    }

    [Theory]
    [InlineData("match: Trash", "a list")]
    [InlineData("- {match: ", "not YAML")]
    public void What_is_no_list_of_rules_is_said(string rules, string what) =>
        Assert.Contains(
            what,
            Assert.Throws<FormatException>(() => PlanText.WithFolderRules(Block, "first", rules)).Message,
            StringComparison.Ordinal
        );
}
