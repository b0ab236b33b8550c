using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>What a pass does about messages that moved, vanished, or stand in several folders, between two services in memory.</summary>
public sealed class FollowTests
{
    private readonly MemoryRoad _road = new();

    [Fact]
    public void A_message_that_moved_is_moved_and_what_its_owner_did_to_it_on_the_new_side_stays()
    {
        var number = Add("INBOX", 1);
        Add("INBOX", 2);
        _road.Run();
        _road.To.Folder("INBOX").SetFlags(1, FlagSet.Parse("\\Seen Mine"));
        _road.From.Folder("INBOX").Remove(number);
        Add("Done/2024", 1, "\\Flagged");
        _road.Run();
        Assert.Equal(["Tide 2"], Subjects("INBOX"));
        Assert.Equal(["Tide 1"], Subjects("Done/2024"));
        Assert.Equal(FlagSet.Parse("\\Flagged \\Seen Mine"), _road.To.Folder("Done/2024").Messages[0].Flags);
        AssertCloses(2);
        Assert.Contains(_road.Journal, j => j.Contains("moved from 'INBOX' to 'Done/2024'", StringComparison.Ordinal));
    }

    [Fact]
    public void A_renamed_folder_moves_with_all_that_is_in_it()
    {
        for (var i = 0; i < 30; i++)
            Add("Work", i);
        _road.Run();
        _road.From.Folders[FolderPath.Parse("Projects")] = _road.From.Folder("Work");
        _road.From.Folders.Remove(FolderPath.Parse("Work"));
        _road.To.Calls.Clear();
        _road.Run();
        Assert.Equal(30, Subjects("Projects").Count);
        Assert.Empty(Subjects("Work"));
        Assert.DoesNotContain("append", _road.To.Calls);
        AssertCloses(30);
    }

    [Fact]
    public void A_rule_that_sends_a_folder_elsewhere_takes_along_what_was_carried()
    {
        for (var i = 0; i < 5; i++)
            Add("Work", i);
        _road.Run();
        _road.Rules = _road.Rules with { Folders = [new FolderRule(1, new FolderMatch.Glob("Work"), new FolderOutcome.To("Old/Work"))] };
        _road.Run();
        Assert.Equal(5, Subjects("Old/Work").Count);
        Assert.Empty(Subjects("Work"));
        AssertCloses(5);
    }

    [Fact]
    public void Moved_while_the_pass_runs_out_of_a_folder_that_is_done_it_arrives_once()
    {
        for (var i = 0; i < 2100; i++)
            Add("Large", i);
        Add("Small", 9001);
        _road.To.Meanwhile = call =>
        {
            if (call != "append" || _road.From.Folder("Large").Messages.Count < 2100)
                return;
            _road.From.Folder("Large").Remove(1);
            Add("Small", 0);
        };
        _road.Run();
        _road.To.Meanwhile = null;
        Assert.Equal(["Tide 9001"], Subjects("Small"));
        _road.Run();
        Assert.Equal(["Tide 0", "Tide 9001"], Subjects("Small").Order());
        Assert.Equal(2099, Subjects("Large").Count);
        AssertCloses(2101);
    }

    [Fact]
    public void What_arrives_while_the_pass_runs_comes_with_the_next_one_and_where_the_listing_is_wrong_with_this()
    {
        Add("Work", 1);
        _road.From.Meanwhile = call =>
        {
            if (call == "changes")
            {
                _road.From.Meanwhile = null;
                Add("Work", 2);
            }
        };
        _road.Run();
        Assert.Equal(["Tide 1"], Subjects("Work"));
        AssertCloses(1);
        _road.From.Meanwhile = call =>
        {
            if (call == "changes")
            {
                _road.From.Meanwhile = null;
                Add("Work", 3);
                _road.From.Folder("Work").Remove(1);
            }
        };
        _road.Run();
        Assert.Equal(["Tide 1", "Tide 2", "Tide 3"], Subjects("Work").Order());
        AssertCloses(2);
    }

    [Fact]
    public void A_folder_that_its_owner_deleted_on_the_new_side_is_made_again_with_all_that_was_in_it()
    {
        Add("Work", 1);
        _road.Run();
        var epoch = _road.To.Folder("Work").Epoch;
        _road.To.Folders.Remove(FolderPath.Parse("Work"));
        // Quirk (a service that numbers a folder that is made again as it did before): nothing tells that it is another one.
        _road.To.Meanwhile = call =>
        {
            if (call == "create")
                _road.To.Folder("Work").Epoch = epoch;
        };
        Add("Work", 2);
        _road.Run();
        Assert.Equal(["Tide 1", "Tide 2"], Subjects("Work").Order());
        Assert.Equal(0, _road.Waybill().Total.Missing);
        AssertCloses(2);
    }

    [Fact]
    public void A_folder_that_is_there_already_is_subscribed_once_and_then_as_its_owner_likes()
    {
        var work = FolderPath.Parse("Work");
        Add("Work", 1);
        _road.From.Subscribed.Add(work);
        _road.To.Folder("Work");
        _road.Run();
        Assert.Contains(work, _road.To.Subscribed);
        _road.To.Subscribed.Remove(work);
        Add("Work", 2);
        _road.Run();
        Assert.DoesNotContain(work, _road.To.Subscribed);
    }

    [Theory]
    [InlineData(300, 2)]
    [InlineData(1200, 4)]
    public void A_second_pair_of_connections_is_for_those_who_have_much_to_carry(int each, int opened)
    {
        _road.Lanes = 2;
        foreach (var folder in new[] { "INBOX", "Work" })
            for (var i = 0; i < each; i++)
                Add(folder, i);
        _road.Run();
        Assert.Equal(opened, _road.Opened);
        AssertCloses(2 * each);
    }

    [Fact]
    public void Each_folder_is_in_one_load_and_those_that_land_in_one_place_are_in_the_same() =>
        Gen.Select(Gen.Int[0, 5000], Gen.Int[-1, 8])
            .List[0, 80]
            .Sample(folders =>
            {
                var work = folders
                    .Select(
                        (f, i) =>
                            new FolderWork(
                                new FolderLanding(
                                    new FolderState(
                                        FolderPath.Of($"F{i}"),
                                        SpecialUse.None,
                                        true,
                                        true,
                                        new FolderCursor(1, 1, null, (uint)f.Item1)
                                    ),
                                    f.Item2 < 0 ? null : FolderPath.Of(f.Item2 < 5 ? $"To{f.Item2}" : $"To{i}"),
                                    "rule",
                                    [],
                                    null,
                                    null
                                ),
                                null,
                                0
                            )
                    )
                    .ToList();
                var loads = FolderBatch.Pack(work, inOrder: false).ToList();
                var packed = loads.SelectMany(l => l.Folders).ToList();
                return packed.Count == work.Count
                    && packed.ToHashSet(ReferenceEqualityComparer.Instance).Count == work.Count
                    && loads.TrueForAll(l =>
                        l.InTurn
                        == (l.Folders.Count > 1 && l.Folders[0].Landing.To is { } to && l.Folders.All(f => Equals(f.Landing.To, to)))
                    )
                    && loads.TrueForAll(l => l.InTurn || l.Folders.Count == 1 || (l.Messages <= 2_000 && l.Folders.Count <= 50))
                    && work.Where(w => w.Landing.To is not null)
                        .GroupBy(w => w.Landing.To)
                        .All(g => g.Select(w => loads.FindIndex(l => l.Folders.Contains(w))).Distinct().Count() == 1);
            });

    [Theory]
    [InlineData(Deletions.Keep, 40)]
    [InlineData(Deletions.Follow, 39)]
    public void Deletions_are_followed_where_the_route_says_so(Deletions deletions, int left)
    {
        _road.Rules = _road.Rules with { Deletions = deletions };
        for (var i = 0; i < 40; i++)
            Add("INBOX", i);
        _road.Run();
        _road.From.Folder("INBOX").Remove(7);
        _road.Run();
        Assert.Equal(left, _road.To.Folder("INBOX").Messages.Count);
        AssertCloses(39);
        Assert.Equal(0, _road.Waybill().Total.Missing);
    }

    [Fact]
    public void What_was_on_the_new_side_before_is_never_deleted()
    {
        _road.Rules = _road.Rules with { Deletions = Deletions.Follow };
        _road.To.Folder("INBOX").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Add("INBOX", 1);
        _road.Run();
        _road.From.Folder("INBOX").Remove(1);
        _road.Run();
        Assert.Single(_road.To.Folder("INBOX").Messages);
    }

    [Fact]
    public void A_mailbox_that_is_suddenly_empty_is_a_mishap_and_not_a_wish()
    {
        _road.Rules = _road.Rules with { Deletions = Deletions.Follow };
        for (var i = 0; i < 60; i++)
            Add("INBOX", i);
        _road.Run();
        for (uint i = 1; i <= 40; i++)
            _road.From.Folder("INBOX").Remove(i);
        _road.Run();
        Assert.Equal(60, _road.To.Folder("INBOX").Messages.Count);
        Assert.Contains(_road.Journal, j => j.Contains("40 of 60", StringComparison.Ordinal));
        AssertCloses(20);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void A_view_of_all_mail_gives_only_what_stands_nowhere_else(bool names)
    {
        _road.From.NamesMessages = names;
        _road.From.Uses[FolderPath.Parse("All")] = SpecialUse.All;
        // The view is listed and larger: even so it comes last.
        foreach (var i in new[] { 1, 2, 3, 4 })
            Add("All", i, withId: i % 2 == 0);
        Add("INBOX", 1, withId: false);
        Add("Work", 2);
        _road.Run();
        Assert.Equal(["Tide 3", "Tide 4"], Subjects("All"));
        Assert.Equal((6L, 4L, 2L), (_road.Waybill().Total.Found, _road.Waybill().Total.Carried, _road.Waybill().Total.Excluded));
        AssertCloses(6);
    }

    [Fact]
    public void A_label_that_is_taken_off_takes_its_keyword_along()
    {
        _road.Rules = _road.Rules with { Labels = Labels.OnceWithKeyword };
        Add("INBOX", 1);
        Add("INBOX", 2);
        var labelled = Add("Work", 1);
        Add("Work", 2);
        _road.Run();
        Assert.All(_road.To.Folder("INBOX").Messages, m => Assert.Contains("Work", m.Flags.Flags));
        _road.From.Folder("Work").Remove(labelled);
        _road.Run();
        Assert.Equal(
            ["Tide 2"],
            _road
                .To.Folder("INBOX")
                .Messages.Where(m => m.Flags.Flags.Contains("Work"))
                .Select(m => Encoding.Latin1.GetString(m.Octets).Split("Subject: ")[1].Split("\r")[0])
        );
        AssertCloses(3);
    }

    [Fact]
    public void Archived_out_of_a_folder_into_the_view_alone_it_moves_there()
    {
        _road.From.Uses[FolderPath.Parse("All")] = SpecialUse.All;
        Add("All", 1);
        var number = Add("INBOX", 1);
        _road.Run();
        Assert.Empty(Subjects("All"));
        _road.From.Folder("INBOX").Remove(number);
        _road.Run();
        Assert.Empty(Subjects("INBOX"));
        Assert.Equal(["Tide 1"], Subjects("All"));
        AssertCloses(1);
        _road.Run();
        AssertCloses(1);
    }

    [Fact]
    public void Labels_become_keywords_of_the_one_copy()
    {
        _road.Rules = _road.Rules with { Labels = Labels.OnceWithKeyword };
        Add("INBOX", 1, "\\Seen");
        Add("Über uns", 1, "\\Seen");
        Add("Work", 1, "\\Seen");
        Add("Work", 2);
        _road.Run();
        var copy = Assert.Single(_road.To.Folder("INBOX").Messages);
        Assert.Equal(FlagSet.Parse("\\Seen Work +00DCber_uns"), copy.Flags);
        Assert.Equal(["Tide 2"], Subjects("Work"));
        Assert.Equal((4L, 2L, 2L), (_road.Waybill().Total.Found, _road.Waybill().Total.Carried, _road.Waybill().Total.Paired));
        // A label that is put on later is a keyword more.
        Add("Urgent", 2);
        _road.Run();
        Assert.Equal(2, _road.To.Folders.Values.Sum(f => f.Messages.Count));
        AssertCloses(5);
    }

    [Fact]
    public void A_message_that_is_listed_and_never_given_out_is_left_behind_and_not_skipped()
    {
        for (var i = 0; i < 5; i++)
            Add("INBOX", i);
        _road.From.Hidden.Add(3);
        _road.Run();
        Assert.Equal(Cause.MessageUnreadable, Assert.Single(_road.Ledger.LeftBehind.Values).Fault.Cause);
        AssertCloses(5);
    }

    [Fact]
    public void What_nobody_claims_on_the_new_side_is_read_once_and_not_in_every_pass()
    {
        for (var i = 0; i < 5; i++)
            _road.To.Folder("INBOX").Add(MemoryRoad.Message(100 + i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Add("INBOX", 1);
        _road.Run();
        _road.To.Calls.Clear();
        Add("INBOX", 102);
        _road.Run();
        Assert.DoesNotContain("headers", _road.To.Calls);
        Assert.Equal(1, _road.Waybill().Total.Paired);
        Assert.Equal(6, _road.To.Folder("INBOX").Messages.Count);
    }

    [Fact]
    public void Whatever_is_moved_and_wherever_it_breaks_each_message_is_there_once() =>
        Gen.Select(Gen.Int[5, 25], Gen.Select(Gen.Int[0, 24], Gen.Int[0, 3]).Array[1, 12], Gen.Int[0, 40].Array[0, 8], Gen.Bool, Gen.Bool)
            .Sample(
                (messages, moves, breaks, lost, keyed) =>
                {
                    var test = new FollowTests();
                    string[] folders = ["INBOX", "Work", "Work/Old", "Later"];
                    if (keyed)
                        test._road.Rules = test._road.Rules with { Labels = Labels.OnceWithKeyword };
                    var at = Enumerable
                        .Range(0, messages)
                        .Select(i => (Folder: folders[i % 2], Number: test.Add(folders[i % 2], i, withId: i % 3 != 0)))
                        .ToArray();
                    test._road.Run();
                    test._road.To.AnswersAreLost = lost;
                    foreach (var (message, place) in moves.Where(m => m.Item1 < messages))
                    {
                        test._road.From.Folder(at[message].Folder).Remove(at[message].Number);
                        at[message] = (folders[place], test.Add(folders[place], message, withId: message % 3 != 0));
                    }
                    for (var n = 0; n < breaks.Length; n++)
                    {
                        (n % 2 == 0 ? test._road.To : test._road.From).BreakAfter = breaks[n];
                        try
                        {
                            test._road.Run();
                        }
                        catch (FaultException e) when (e.Fault.Cause is Cause.ConnectionLost) { }
                        test._road.From.BreakAfter = test._road.To.BreakAfter = null;
                    }
                    test._road.Run();
                    Assert.Equal(messages, test._road.To.Folders.Values.Sum(f => f.Messages.Count));
                    foreach (var folder in folders)
                        Assert.Equal(test._road.From.Folder(folder).Messages.Count, test._road.To.Folder(folder).Messages.Count);
                    test.AssertCloses(messages);
                },
                iter: 600
            );

    private uint Add(string folder, int i, string flags = "", bool withId = true) =>
        _road.From.Folder(folder).Add(MemoryRoad.Message(i, withId), FlagSet.Parse(flags), DateTimeOffset.UnixEpoch);

    private List<string> Subjects(string folder) =>
        [
            .. _road
                .To.Folder(folder)
                .Messages.Select(m => Encoding.Latin1.GetString(m.Octets).Split("\r\n")[1]["Subject: ".Length..])
                .Order(StringComparer.Ordinal),
        ];

    private void AssertCloses(long found)
    {
        Assert.True(_road.Waybill().Closes);
        Assert.Equal(found, _road.Waybill().Total.Found);
    }
}
