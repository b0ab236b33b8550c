using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>What passes see of the to side: lost, double, moved, somebody else's.</summary>
public sealed class DestinationCheckTests
{
    private readonly MemoryRoad _road = new();

    private MemoryFolder There => _road.To.Folder("INBOX");

    public DestinationCheckTests()
    {
        for (var i = 0; i < 6; i++)
            _road.From.Folder(i < 4 ? "INBOX" : "Work").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Empty(_road.Ledger.Differences);
    }

    private List<(DifferenceKind Kind, string Subject)> Found =>
        [.. _road.Ledger.Differences.Select(d => (d.Difference.Kind, d.Difference.Subject))];

    [Fact]
    public void What_was_expunged_on_the_new_side_is_seen_although_nothing_changed_on_the_old()
    {
        There.Remove(2);
        There.Remove(3);
        _road.Run();
        Assert.Equal([(DifferenceKind.Missing, "Tide 1"), (DifferenceKind.Missing, "Tide 2")], Found);
        var total = _road.Waybill().Total;
        Assert.Equal((6L, 6L, 2L, 2L), (total.Found, total.Carried, total.Missing, total.Undecided));
        Assert.False(_road.Waybill().Closes);
    }

    [Fact]
    public void An_account_in_which_nothing_differs_is_looked_at_once_and_then_costs_a_list()
    {
        There.Remove(2);
        _road.Run();
        _road.To.Calls.Clear();
        _road.Run();
        Assert.Equal(["list"], _road.To.Calls);
        Assert.Single(_road.Ledger.Differences);
    }

    [Fact]
    public void After_a_small_change_nothing_but_that_change_is_looked_at_on_the_new_side()
    {
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(9), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.To.Calls.Clear();
        _road.Run();
        Assert.Equal(["list"], _road.To.Calls);
    }

    [Fact]
    public void A_second_copy_is_told_from_mail_that_is_somebody_elses()
    {
        There.Add(There.Messages[1].Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        There.Add(MemoryRoad.Message(77), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        // The same message that came another way: its head is longer, so that it is not ours.
        There.Add(
            [.. Encoding.Latin1.GetBytes("Received: elsewhere\r\n"), .. There.Messages[2].Octets],
            FlagSet.Empty,
            DateTimeOffset.UnixEpoch
        );
        _road.Run();
        Assert.Equal([(DifferenceKind.Twice, "Tide 1")], Found);
        Assert.Equal((1L, false), (_road.Waybill().Total.Twice, _road.Waybill().Closes));
        // Known by now: nothing is read again.
        There.Add(MemoryRoad.Message(78), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal([(DifferenceKind.Twice, "Tide 1")], Found);
    }

    /// <summary>
    /// A pass that was killed twice: neither append was noted, and both came back before anybody could claim one of them.
    /// </summary>
    [Theory]
    [InlineData(0)]
    [InlineData(3)]
    public void Two_copies_that_nobody_claimed_when_they_were_first_seen_are_told_once_one_of_them_is_claimed(int cut)
    {
        var fresh = MemoryRoad.Message(9);
        There.Add(fresh[..^cut], FlagSet.Empty, DateTimeOffset.UnixEpoch);
        There.Add(fresh, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Empty(Found);
        _road.From.Folder("INBOX").Add(fresh, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.Run();
        Assert.Equal([(DifferenceKind.Twice, "Tide 9")], Found);
        Assert.Equal((1L, false), (_road.Waybill().Total.Twice, _road.Waybill().Closes));
        _road.To.Calls.Clear();
        _road.Run();
        Assert.Equal(["list"], _road.To.Calls);
    }

    [Fact]
    public void What_the_new_side_does_not_give_out_is_looked_at_again_until_it_does()
    {
        There.Add(There.Messages[1].Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        There.Add(There.Messages[2].Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        var seconds = There.Messages.TakeLast(2).Select(m => m.Number).ToList();
        _road.To.Withheld.UnionWith(seconds);
        _road.Run();
        // What was known before is not forgotten, and what cannot be compared may be a second copy: it is never removed.
        Assert.Equal([(DifferenceKind.Twice, "Tide 1"), (DifferenceKind.Twice, "Tide 2")], Found);
        Assert.Contains("what may be a second copy", _road.Ledger.Differences[1].Difference.What, StringComparison.Ordinal);
        Decide(DifferenceState.Remove);
        _road.Run();
        Assert.Equal(6, There.Messages.Count);
        Assert.Equal(2, _road.Waybill().Total.Undecided);
        _road.To.Withheld.Clear();
        _road.Run();
        Assert.Equal([(DifferenceKind.Twice, "Tide 1"), (DifferenceKind.Twice, "Tide 2")], Found);
    }

    [Fact]
    public void A_second_copy_is_removed_when_asked_and_only_while_the_first_is_there()
    {
        There.Add(There.Messages[1].Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        There.Add(There.Messages[2].Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        There.Remove(3);
        Decide(DifferenceState.Remove);
        _road.Run();
        Assert.Equal(["Tide 0", "Tide 1", "Tide 3", "Tide 2"], There.Messages.Select(Subject));
        // The second copy of what was deleted is now the one that the ledger points to.
        Assert.Empty(Found);
        Assert.True(_road.Waybill().Closes);
    }

    [Fact]
    public void A_second_copy_that_was_torn_is_named_and_another_message_with_the_same_head_is_not()
    {
        There.Add([.. There.Messages[0].Octets, .. "\n\u0001garbage"u8], FlagSet.Empty, DateTimeOffset.UnixEpoch);
        There.Add(There.Messages[1].Octets[..^2], FlagSet.Empty, DateTimeOffset.UnixEpoch);
        There.Add(MemoryRoad.Message(2, body: "toss"), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        // Such octets make the first field of the header unreadable.
        There.Add([.. new byte[30], .. There.Messages[3].Octets[..^1]], FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal([(DifferenceKind.Twice, "Tide 0"), (DifferenceKind.Twice, "Tide 1"), (DifferenceKind.Twice, "Tide 3")], Found);
        Decide(DifferenceState.Remove);
        _road.Run();
        Assert.Equal([1u, 2, 3, 4, 7], There.Messages.Select(m => m.Number));
        Assert.Empty(Found);
    }

    [Fact]
    public void What_its_owner_moved_on_the_new_side_is_not_lost_and_what_came_back_is_ours_again()
    {
        var moved = There.Messages[0];
        There.Remove(1);
        _road.To.Folder("Work").Add(moved.Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        var back = There.Messages[0];
        There.Remove(2);
        There.Add(back.Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal([(DifferenceKind.Moved, "Tide 0")], Found);
        Assert.True(_road.Waybill().Closes);
        _road.From.Folder("INBOX").SetFlags(2, FlagSet.Parse("\\Flagged"));
        _road.Run();
        Assert.Equal("\\Flagged", There.Messages.Single(m => m.Number == 5).Flags.Written);
    }

    [Fact]
    public void What_is_deleted_on_both_sides_at_once_is_no_loss()
    {
        _road.From.Folders.Remove(FolderPath.Parse("Work"));
        _road.To.Folder("Work").Remove(1);
        _road.Run();
        Assert.Empty(Found);
        Assert.True(_road.Waybill().Closes);
    }

    [Fact]
    public void A_decision_stands_until_the_difference_is_gone()
    {
        There.Remove(2);
        _road.Run();
        Decide(DifferenceState.Accepted);
        There.Remove(3);
        _road.Run();
        Assert.Equal([DifferenceState.Accepted, DifferenceState.Open], _road.Ledger.Differences.Select(d => d.State));
        Assert.Equal((2L, 1L), (_road.Waybill().Total.Missing, _road.Waybill().Total.Undecided));
    }

    [Fact]
    public void Folders_that_merge_miss_nothing_after_the_new_account_was_emptied_and_filled_again()
    {
        var road = new MemoryRoad
        {
            Rules = _road.Rules with { Folders = [new FolderRule(1, new FolderMatch.Glob("Old"), new FolderOutcome.To("Work"))] },
        };
        road.From.Folder("Old").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        road.From.Folder("Work").Add(MemoryRoad.Message(2), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        road.Run();
        road.To.Folders.Remove(FolderPath.Parse("Work"));
        road.Run();
        road.Run();
        Assert.Equal(2, road.To.Folder("Work").Messages.Count);
        Assert.Equal((0L, true), (road.Waybill().Total.Missing, road.Waybill().Closes));
    }

    [Fact]
    public void A_folder_that_its_owner_renamed_on_the_new_side_is_followed_and_not_filled_a_second_time()
    {
        var (old, now) = (FolderPath.Parse("Work"), FolderPath.Parse("Done"));
        _road.To.Folders[now] = _road.To.Folders[old];
        _road.To.Folders.Remove(old);
        _road.Run();
        _road.From.Folder("Work").Add(MemoryRoad.Message(40), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.False(_road.To.Folders.ContainsKey(old));
        Assert.Equal(["Tide 4", "Tide 5", "Tide 40"], _road.To.Folder("Done").Messages.Select(Subject));
        Assert.True(_road.Waybill().Closes);
        Assert.Empty(Found);
        // A rule that sends it elsewhere is obeyed all the same.
        _road.Rules = _road.Rules with { Folders = [new FolderRule(1, new FolderMatch.Glob("Work"), new FolderOutcome.To("Trade"))] };
        _road.Run();
        Assert.Equal(["Tide 4", "Tide 40", "Tide 5"], _road.To.Folder("Trade").Messages.Select(Subject).Order(StringComparer.Ordinal));
    }

    [Fact]
    public void A_server_that_lost_its_last_numbers_and_gives_them_out_again_is_matched_anew()
    {
        // Restored from a backup: the last two are gone and their numbers with them.
        There.Remove(3);
        There.Remove(4);
        There.Next = 3;
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(8), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal(["Tide 0", "Tide 1", "Tide 2", "Tide 3", "Tide 8"], There.Messages.Select(Subject).Order());
        Assert.Empty(_road.Ledger.Differences);
        // Then the lost messages come back under other UIDs.
        There.Add(MemoryRoad.Message(2), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        There.Add(MemoryRoad.Message(3), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal([(DifferenceKind.Twice, "Tide 2"), (DifferenceKind.Twice, "Tide 3")], Found);
    }

    [Fact]
    public void Second_copies_are_found_although_the_server_numbered_everything_anew()
    {
        There.Add(There.Messages[1].Octets, FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.To.Renumber("INBOX");
        _road.Run();
        Assert.Equal([(DifferenceKind.Twice, "Tide 1")], Found);
    }

    [Fact]
    public void Refused_folders_stay_behind_as_a_whole_each_by_its_name_and_come_when_they_are_mended()
    {
        foreach (var name in new[] { "Aft", "Bow", "Crow" })
            for (var i = 0; i < 3; i++)
                _road.From.Folder(name).Add(MemoryRoad.Message(20 + i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.To.RefusesFolder = path =>
            path.ToString() is "Aft" or "Crow" ? new Fault(Cause.FolderRefused, "b", $"no such name as {path}") : null;
        _road.Run();
        Assert.Equal(3, _road.To.Folder("Bow").Messages.Count);
        Assert.Equal(
            [("no such name as Aft", 3L), ("no such name as Crow", 3L)],
            _road.Ledger.FoldersLeft.Values.Select(f => (f.Fault.What, f.Messages))
        );
        Assert.Equal((15L, 6L, true), (_road.Waybill().Total.Found, _road.Waybill().Total.LeftBehind, _road.Waybill().Closes));
        // The folder is left alone while nothing changes in it, and tried again when something does.
        _road.To.Calls.Clear();
        _road.Run();
        Assert.DoesNotContain("create", _road.To.Calls);
        _road.To.RefusesFolder = _ => null;
        _road.From.Folder("Aft").Add(MemoryRoad.Message(30), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal(4, _road.To.Folder("Aft").Messages.Count);
        Assert.Equal((3L, true), (_road.Waybill().Total.LeftBehind, _road.Waybill().Closes));
        Assert.Single(_road.Ledger.FoldersLeft);
    }

    private void Decide(DifferenceState state)
    {
        for (var i = 0; i < _road.Ledger.Differences.Count; i++)
            _road.Ledger.Differences[i] = _road.Ledger.Differences[i] with { State = state };
    }

    private static string Subject(MemoryMessage message) =>
        Encoding.Latin1.GetString(message.Octets).Split("\r\n").First(l => l.StartsWith("Subject:", StringComparison.Ordinal))[9..];
}
