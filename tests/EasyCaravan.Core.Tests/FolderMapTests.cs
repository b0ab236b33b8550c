using CsCheck;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests;

public sealed class FolderMapTests
{
    private static readonly AccountTraits Dots = new('.', null);

    private static FolderState Folder(string path, SpecialUse use = SpecialUse.None, bool selectable = true) =>
        new(FolderPath.Parse(path), use, selectable, true, new FolderCursor(1, 10, 5, 9));

    private static FolderRule Rule(int number, string glob, FolderOutcome outcome) => new(number, glob, null, outcome);

    private static string? Landing(FolderMap map, string from) => map.Landings.Single(l => l.From.Path.ToString() == from).To?.ToString();

    [Theory]
    [InlineData("Projects/**", "Projects", "")]
    [InlineData("Projects/**", "Projects/a/b", "a/b")]
    [InlineData("Projects/**", "Project", null)]
    [InlineData("*", "Work", "")]
    [InlineData("*", "Work/Old", null)]
    [InlineData("20*/Q?", "2019/Q?", "")]
    [InlineData("**/Archive", "a/b/Archive", "a/b")]
    [InlineData("**/Archive", "Archive", "")]
    [InlineData("A*c*e", "Abcde", "")]
    [InlineData("A*c*e", "Abcdef", null)]
    [InlineData("work", "Work", null)]
    public void A_glob_matches_names_and_keeps_what_its_stars_stood_for(string glob, string path, string? rest)
    {
        var matched = FolderGlob.Match(glob, FolderPath.Parse(path));
        Assert.Equal(rest, matched is { } names ? string.Join('/', names) : null);
    }

    [Fact]
    public void The_first_rule_that_matches_decides_and_is_named()
    {
        FolderRule[] rules = [Rule(1, "Trash", new FolderOutcome.Leave()), Rule(2, "Projects/**", new FolderOutcome.To("Work/**")), Rule(3, "**", new FolderOutcome.To("Old/**"))];
        var map = FolderMap.Draw(rules, [Folder("INBOX"), Folder("Trash"), Folder("Projects/Ramp"), Folder("Sent")], [], Dots);
        Assert.Null(Landing(map, "Trash"));
        Assert.Equal("Work/Ramp", Landing(map, "Projects/Ramp"));
        Assert.Equal("Old/Sent", Landing(map, "Sent"));
        Assert.Equal("rule 2 (Projects/**)", map.Landings[2].Rule);
    }

    [Fact]
    public void Without_rules_inbox_goes_to_inbox_and_a_use_to_the_same_use_whatever_it_is_called()
    {
        var map = FolderMap.Draw([], [Folder("INBOX"), Folder("Sent", SpecialUse.Sent), Folder("Trash", SpecialUse.Trash)], [Folder("INBOX"), Folder("Sent Items", SpecialUse.Sent)], Dots);
        Assert.Equal("INBOX", Landing(map, "INBOX"));
        Assert.Equal("Sent Items", Landing(map, "Sent"));
        Assert.Equal("Trash", Landing(map, "Trash"));
    }

    [Fact]
    public void A_name_that_the_new_side_cannot_hold_is_changed_and_said()
    {
        var landing = FolderMap.Draw([], [Folder("v1.5 notes")], [], Dots).Landings[0];
        Assert.Equal("v1_5 notes", landing.To!.ToString());
        Assert.Contains("cannot hold", landing.Note, StringComparison.Ordinal);
    }

    [Fact]
    public void Two_folders_in_one_place_are_merged_and_said()
    {
        var map = FolderMap.Draw([], [Folder("a.b"), Folder("a_b")], [], Dots);
        Assert.Equal("merges with 'a.b'", map.Landings[1].Note);
    }

    [Fact]
    public void A_folder_that_only_holds_folders_is_not_carried() =>
        Assert.Empty(FolderMap.Draw([], [Folder("Projects", selectable: false)], [], Dots).Landings);

    [Fact]
    public void Whatever_the_folders_each_lands_once_or_stays_behind_by_a_named_rule()
    {
        var path = Gen.String[Gen.Char["ab.c"], 1, 3].Array[1, 3].Select(n => string.Join('/', n));
        path.List[1, 20].Sample(paths =>
        {
            var folders = paths.Distinct().Select(p => Folder(p)).ToList();
            var map = FolderMap.Draw([Rule(1, "a*/**", new FolderOutcome.Leave())], folders, [], Dots);
            Assert.Equal(folders.Count, map.Landings.Length);
            foreach (var landing in map.Landings)
            {
                Assert.NotEmpty(landing.Rule);
                if (landing.To is { } to) Assert.DoesNotContain(to.Names, n => n.Contains('.', StringComparison.Ordinal));
                else Assert.StartsWith("rule 1", landing.Rule, StringComparison.Ordinal);
            }
        });
    }
}
