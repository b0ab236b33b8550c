using CsCheck;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Tests;

public sealed class FolderMapTests
{
    private static readonly AccountTraits Dots = new('.', null);

    private static FolderState Folder(string path, SpecialUse use = SpecialUse.None, bool selectable = true) =>
        new(FolderPath.Parse(path), use, selectable, true, new FolderCursor(1, 10, 5, 9));

    private static FolderRule Rule(int number, string glob, FolderOutcome outcome) => new(number, new FolderMatch.Glob(glob), outcome);

    private static FolderMap Draw(
        IEnumerable<FolderRule> rules,
        IReadOnlyList<FolderState> from,
        IReadOnlyList<FolderState> to,
        AccountTraits traits,
        FolderNames? names = null,
        Dictionary<FolderPath, FolderPath>? known = null,
        FolderPath? under = null,
        Shaping? shaping = null
    ) =>
        FolderMap.Draw(
            new CarryRules([.. rules], new MailRules(null, null), Doubles.Pair) { Under = under, Shaping = shaping ?? Shaping.Default },
            from,
            to,
            traits,
            names ?? FolderNames.Any,
            known
        );

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
        FolderRule[] rules =
        [
            Rule(1, "Trash", new FolderOutcome.Leave()),
            Rule(2, "Projects/**", new FolderOutcome.To("Work/**")),
            Rule(3, "**", new FolderOutcome.To("Old/**")),
        ];
        var map = Draw(rules, [Folder("INBOX"), Folder("Trash"), Folder("Projects/Ramp"), Folder("Sent")], [], Dots);
        Assert.Null(Landing(map, "Trash"));
        Assert.Equal("Work/Ramp", Landing(map, "Projects/Ramp"));
        Assert.Equal("Old/Sent", Landing(map, "Sent"));
        Assert.Equal("rule 2 (Projects/**)", map.Landings[2].Rule);
    }

    [Fact]
    public void Without_rules_inbox_goes_to_inbox_and_a_use_to_the_same_use_whatever_it_is_called()
    {
        var map = Draw(
            [],
            [Folder("INBOX"), Folder("Sent", SpecialUse.Sent), Folder("Trash", SpecialUse.Trash)],
            [Folder("INBOX"), Folder("Sent Items", SpecialUse.Sent)],
            Dots
        );
        Assert.Equal("INBOX", Landing(map, "INBOX"));
        Assert.Equal("Sent Items", Landing(map, "Sent"));
        Assert.Equal("Trash", Landing(map, "Trash"));
    }

    [Fact]
    public void A_name_that_the_new_side_cannot_hold_is_changed_and_said()
    {
        var landing = Draw([], [Folder("v1.5 notes")], [], Dots).Landings[0];
        Assert.Equal("v1_5 notes", landing.To!.ToString());
        Assert.Contains("cannot hold", landing.Note, StringComparison.Ordinal);
    }

    [Fact]
    public void Two_folders_that_a_person_sends_to_one_place_merge_and_that_is_said()
    {
        var map = Draw([Rule(1, "Old", new FolderOutcome.To("Work"))], [Folder("Work"), Folder("Old")], [], Dots);
        Assert.Equal("merges with 'Work'", map.Landings[1].Note);
    }

    [Fact]
    public void Two_folders_that_only_shaping_brings_together_are_numbered_and_stay_as_they_were()
    {
        FolderState[] from = [Folder("a.b"), Folder("a_b"), Folder("a:b")];
        var map = Draw([], from, [], Dots, FolderNames.Any with { Illegal = ":" });
        Assert.Equal(["a_b", "a_b (2)", "a_b (3)"], map.Landings.Select(l => l.To!.ToString()));
        var known = map.Landings.ToDictionary(l => l.From.Path, l => l.To!);
        var later = Draw(
            [],
            [Folder("a:b"), Folder("a,b"), from[1], Folder("a/b"), from[0]],
            [],
            Dots,
            FolderNames.Any with
            {
                Illegal = ":",
            },
            known
        );
        foreach (var folder in from)
            Assert.Equal(known[folder.Path], later.Landings.Single(l => l.From.Path.Equals(folder.Path)).To);
        Assert.Equal(5, later.Landings.Select(l => l.To!.ToString()).Distinct().Count());
    }

    [Fact]
    public void Where_case_says_nothing_names_that_differ_in_it_are_numbered_or_merged()
    {
        FolderState[] from = [Folder("Reports"), Folder("reports")];
        var names = FolderNames.Any with { IgnoresCase = true };
        Assert.Equal("reports (2)", Draw([], from, [], Dots, names).Landings[1].To!.ToString());
        var merged = Draw([], from, [], Dots, names, shaping: Shaping.Default with { Clash = ClashWay.Merge }).Landings[1];
        Assert.Equal(("Reports", "Reports"), (merged.To!.ToString(), merged.MergesWith!.ToString()));
        Assert.Equal("reports", Draw([], from, [], Dots).Landings[1].To!.ToString());
    }

    [Theory]
    [InlineData("Outbox", "Outbox (old)", ShapedFor.Reserved)]
    [InlineData("Work/Outbox", "Work/Outbox", null)]
    [InlineData("a:b/c|d", "a_b/c_d", ShapedFor.Illegal)]
    [InlineData("a/b/c/d", "a/b - c - d", ShapedFor.TooDeep)]
    [InlineData("A name of many letters", "A name of m", ShapedFor.TooLong)]
    public void A_name_is_made_to_fit_what_the_service_is_known_to_refuse(string from, string to, ShapedFor? why)
    {
        var names = new FolderNames(["outbox"], ":|", 2, 11, false);
        var landing = Draw(
            [],
            [Folder(from)],
            [],
            Dots,
            from.StartsWith("A name", StringComparison.Ordinal) ? names : names with { Longest = null }
        ).Landings[0];
        Assert.Equal(to, landing.To!.ToString());
        Assert.Equal(why is { } reason ? [reason] : [], landing.Shaped);
        Assert.Equal(why is null, landing.Note is null);
    }

    [Fact]
    public void What_cannot_be_held_stays_behind_where_somebody_chose_so()
    {
        var landing = Draw(
            [],
            [Folder("Outbox")],
            [],
            Dots,
            FolderNames.Any with
            {
                Reserved = ["Outbox"],
            },
            shaping: Shaping.Default with
            {
                Reserved = NameWay.Leave,
            }
        ).Landings[0];
        Assert.Null(landing.To);
        Assert.Contains("stays behind", landing.Note, StringComparison.Ordinal);
    }

    [Fact]
    public void A_rule_matches_one_name_a_use_or_an_expression_and_places_flattens_or_expands()
    {
        FolderRule[] rules =
        [
            new(1, new FolderMatch.Name(FolderPath.Parse("50% *off*")), new FolderOutcome.Leave()),
            new(2, new FolderMatch.Expression("^Years/(20[0-9]{2})/(.*)$"), new FolderOutcome.To("$2/$1")),
            new(3, new FolderMatch.Glob("Projects/**"), new FolderOutcome.Placed(FolderPath.Parse("Work"), " - ")),
            new(4, new FolderMatch.Use(SpecialUse.Archive), new FolderOutcome.Placed(FolderPath.Parse("Old"), null)),
        ];
        var map = Draw(
            rules,
            [
                Folder("50% *off*"),
                Folder("50% xoffx"),
                Folder("Years/2019/Ramp"),
                Folder("Projects/a/b"),
                Folder("Store", SpecialUse.Archive),
            ],
            [],
            Dots
        );
        Assert.Equal([null, "50% xoffx", "Ramp/2019", "Work/Projects - a - b", "Old/Store"], map.Landings.Select(l => l.To?.ToString()));
    }

    [Fact]
    public void Below_a_folder_of_its_own_everything_lands_there_and_the_inbox_is_a_folder()
    {
        var map = Draw(
            [new(1, new FolderMatch.Glob("Sent"), new FolderOutcome.ToUse(SpecialUse.Sent))],
            [Folder("INBOX"), Folder("INBOX/Lists"), Folder("Trash", SpecialUse.Trash), Folder("Sent", SpecialUse.Sent)],
            [Folder("Bin", SpecialUse.Trash), Folder("Sent Items", SpecialUse.Sent)],
            Dots,
            under: FolderPath.Parse("Old mail/Aoife")
        );
        Assert.Equal(
            ["Old mail/Aoife/Inbox", "Old mail/Aoife/INBOX/Lists", "Old mail/Aoife/Trash", "Sent Items"],
            map.Landings.Select(l => l.To!.ToString())
        );
    }

    [Fact]
    public void A_folder_that_only_holds_folders_is_not_carried() =>
        Assert.Empty(Draw([], [Folder("Projects", selectable: false)], [], Dots).Landings);

    [Fact]
    public void Whatever_the_folders_each_lands_once_or_stays_behind_by_a_named_rule()
    {
        var path = Gen.String[Gen.Char["ab.c"], 1, 3].Array[1, 3].Select(n => string.Join('/', n));
        path.List[1, 20]
            .Sample(paths =>
            {
                var folders = paths.Distinct().Select(p => Folder(p)).ToList();
                var map = Draw([Rule(1, "a*/**", new FolderOutcome.Leave())], folders, [], Dots, new FolderNames(["b"], "c", 2, 9, true));
                Assert.Equal(
                    map.Landings.Count(l => l.To is not null),
                    map.Landings.Select(l => l.To?.ToString()).OfType<string>().Distinct(StringComparer.OrdinalIgnoreCase).Count()
                );
                var again = Draw(
                    [Rule(1, "a*/**", new FolderOutcome.Leave())],
                    [.. folders.AsEnumerable().Reverse()],
                    [],
                    Dots,
                    new FolderNames(["b"], "c", 2, 9, true),
                    map.Landings.Where(l => l.To is not null).ToDictionary(l => l.From.Path, l => l.To!)
                );
                foreach (var landing in map.Landings)
                    Assert.Equal(landing.To, again.Landings.Single(l => l.From.Path.Equals(landing.From.Path)).To);
                Assert.Equal(folders.Count, map.Landings.Length);
                foreach (var landing in map.Landings)
                {
                    Assert.NotEmpty(landing.Rule);
                    if (landing.To is { } to)
                        Assert.DoesNotContain(to.Names, n => n.Contains('.', StringComparison.Ordinal));
                    else
                        Assert.StartsWith("rule 1", landing.Rule, StringComparison.Ordinal);
                }
            });
    }

    /// <summary>The plain way to say what a glob means: every number of names is tried for every <c>**</c>.</summary>
    private static bool Fits(ReadOnlySpan<string> glob, ReadOnlySpan<string> names)
    {
        if (glob.IsEmpty)
            return names.IsEmpty;
        if (glob[0] != "**")
            return !names.IsEmpty && (glob[0] == "*" || glob[0] == names[0]) && Fits(glob[1..], names[1..]);
        for (var taken = 0; taken <= names.Length; taken++)
            if (Fits(glob[1..], names[taken..]))
                return true;
        return false;
    }

    [Fact]
    public void A_glob_fits_what_its_meaning_says_and_its_rest_is_what_the_last_wide_part_stands_for()
    {
        var random = new Random(7);
        string[] Any(string[] words, int most) =>
            [.. Enumerable.Range(0, random.Next(1, most)).Select(_ => words[random.Next(words.Length)])];
        for (var round = 0; round < 20_000; round++)
        {
            var (glob, names) = (Any(["a", "b", "*", "**"], 7), Any(["a", "b"], 8));
            var rest = FolderGlob.Match(string.Join('/', glob), FolderPath.Of(names));
            Assert.Equal(Fits(glob, names), rest is not null);
            if (rest is not { } last || !glob.Contains("**"))
                continue;
            var at = Array.LastIndexOf(glob, "**");
            Assert.True(Fits([.. glob[..at], .. last, .. glob[(at + 1)..]], names));
        }
    }

    [Fact]
    public void No_glob_takes_long_over_any_path()
    {
        var glob = string.Join('/', Enumerable.Repeat("**/a", 60)) + "/b";
        var path = FolderPath.Of([.. Enumerable.Repeat("a", 4_000)]);
        // Tried in every way it would take longer than the world stands.
        Assert.Null(FolderGlob.Match(glob, path));
        Assert.NotNull(FolderGlob.Match(glob[..^2], path));
    }
}
