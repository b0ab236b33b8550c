using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>Passes by themselves, between two services in memory that break wherever they are told to.</summary>
public sealed class PassTests
{
    private readonly MemoryRoad _road = new();

    [Fact]
    public void Wherever_connections_break_and_whatever_answers_are_lost_each_message_arrives_once() =>
        Gen.Select(Gen.Int[1, 30], Gen.Int[0, 60].Array[0, 12], Gen.Bool, Gen.Bool, Gen.Bool)
            .Sample(
                (messages, breaks, lost, tellsWhere, marks) =>
                {
                    var test = new PassTests();
                    (test._road.To.AnswersAreLost, test._road.To.TellsWhere, test._road.From.KeepsMarks) = (lost, tellsWhere, marks);
                    // Every fourth message stands twice, and every fifth has no Message-ID.
                    for (var i = 0; i < messages; i++)
                        test._road.From.Folder(i % 2 == 0 ? "INBOX" : "Work")
                            .Add(
                                MemoryRoad.Message(i % 4 == 3 ? i - 2 : i, withId: i % 5 != 0),
                                FlagSet.Parse("\\Seen"),
                                DateTimeOffset.UnixEpoch
                            );
                    for (var n = 0; n < breaks.Length; n++)
                    {
                        (n % 2 == 0 ? test._road.From : test._road.To).BreakAfter = breaks[n];
                        try
                        {
                            test._road.Run();
                        }
                        catch (FaultException e) when (e.Fault.Cause is Cause.ConnectionLost) { }
                        test._road.From.BreakAfter = test._road.To.BreakAfter = null;
                    }
                    test._road.Run();
                    foreach (var folder in test._road.From.Folders.Keys)
                        Assert.Equal(
                            test._road.From.Folders[folder].Messages.Select(Show).Order(),
                            test._road.To.Folders[folder].Messages.Select(Show).Order()
                        );
                    Assert.True(test._road.Waybill().Closes);
                    Assert.Equal(messages, test._road.Waybill().Total.Carried);
                },
                iter: 300
            );

    [Fact]
    public void A_bad_message_in_company_is_found_by_halving_and_only_it_stays_behind()
    {
        for (var i = 0; i < 70; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.To.Refuses = octets =>
            Encoding.Latin1.GetString(octets).Contains("<33@", StringComparison.Ordinal)
                ? new Fault(Cause.MessageRefused, "b", "no")
                : null;
        _road.Run();
        Assert.Equal(69, _road.To.Folder("INBOX").Messages.Count);
        var left = Assert.Single(_road.Ledger.LeftBehind.Values);
        Assert.Equal(("Tide 33", Cause.MessageRefused), (left.Subject, left.Fault.Cause));
        Assert.True(_road.Waybill().Closes);
    }

    [Theory]
    [InlineData(true, Cause.ConnectionLost, 5, Cause.MessageUnreadable)]
    [InlineData(true, Cause.ProtocolBroken, 2, Cause.MessageUnreadable)]
    [InlineData(false, Cause.ConnectionLost, 5, Cause.MessageRefused)]
    [InlineData(false, Cause.TimedOut, 5, Cause.MessageRefused)]
    public void A_message_over_which_each_pass_breaks_stays_behind_at_last_and_those_after_it_arrive(
        bool onTheOldSide,
        Cause ends,
        int times,
        Cause named
    )
    {
        for (var i = 0; i < 20; i++)
            _road.From.Folder(i < 10 ? "INBOX" : "Work").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        (onTheOldSide ? _road.From : _road.To).BreaksOver = octets =>
            Encoding.Latin1.GetString(octets).Contains("<7@", StringComparison.Ordinal) ? ends : null;
        _road.PoisonMessages = new PoisonMessages();
        for (var i = 0; i < times; i++)
        {
            Assert.Empty(_road.Ledger.LeftBehind);
            Assert.Equal(ends, Assert.Throws<FaultException>(_road.Run).Fault.Cause);
        }
        _road.PoisonMessages = null;
        _road.Run();
        var left = Assert.Single(_road.Ledger.LeftBehind.Values);
        Assert.Equal(("Tide 7", named), (left.Subject, left.Fault.Cause));
        Assert.Equal(19, _road.To.Folders.Values.Sum(f => f.Messages.Count));
        Assert.True(_road.Waybill().Closes);
    }

    [Fact]
    public void A_service_that_is_away_accuses_no_message()
    {
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.From.BreaksOver = _ => Cause.ServiceBusy;
        _road.PoisonMessages = new PoisonMessages();
        for (var i = 0; i < 9; i++)
            Assert.Throws<FaultException>(_road.Run);
        Assert.Empty(_road.Ledger.LeftBehind);
    }

    [Fact]
    public void A_message_whose_keywords_are_not_borne_arrives_without_them()
    {
        for (var i = 0; i < 5; i++)
            _road
                .From.Folder("INBOX")
                .Add(MemoryRoad.Message(i), FlagSet.Parse(i == 2 ? "\\Seen Odd" : "\\Seen"), DateTimeOffset.UnixEpoch);
        _road.To.BearsKeyword = keyword => keyword != "Odd";
        _road.Run();
        Assert.All(_road.To.Folder("INBOX").Messages, m => Assert.Equal(FlagSet.Parse("\\Seen"), m.Flags));
        Assert.Equal((5L, 0), (_road.Waybill().Total.Carried, _road.Ledger.LeftBehind.Count));
        Assert.Contains(_road.Journal, j => j.Contains("without them", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    public async Task A_folder_that_is_refused_keeps_no_other_waiting(int lanes)
    {
        _road.Lanes = lanes;
        foreach (var (folder, messages) in new[] { ("Aft", 3), ("Bow", 2), ("Crow", 1), ("INBOX", 2_500) })
            for (var i = 0; i < messages; i++)
                _road.From.Folder(folder).Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.To.RefusesFolder = path => path.ToString() == "Bow" ? new Fault(Cause.FolderRefused, "b", "no such name") : null;
        for (var pass = 0; pass < 2; pass++)
        {
            _road.Run();
            Assert.Equal(Cause.FolderRefused, Assert.Single(_road.Ledger.FoldersLeft).Value.Fault.Cause);
            Assert.Equal(
                (3, 1, 2_500),
                (_road.To.Folder("Aft").Messages.Count, _road.To.Folder("Crow").Messages.Count, _road.To.Folder("INBOX").Messages.Count)
            );
        }
        _road.To.RefusesFolder = _ => null;
        await _road.Ledger.RetryFolderAsync(_road.Ledger.FoldersLeft.Keys.Single(), CancellationToken.None);
        _road.Run();
        Assert.Equal(2, _road.To.Folder("Bow").Messages.Count);
        Assert.True(_road.Waybill().Closes);
    }

    [Fact]
    public void A_full_account_stops_the_pass_and_leaves_nothing_behind()
    {
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.To.Refuses = _ => new Fault(Cause.NoRoom, "b", "full");
        Assert.Equal(Cause.NoRoom, Assert.Throws<FaultException>(_road.Run).Fault.Cause);
        Assert.Empty(_road.Ledger.LeftBehind);
    }

    [Fact]
    public void An_unchanged_account_costs_one_look_at_each_side()
    {
        _road.From.Folder("Work").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.From.Calls.Clear();
        _road.To.Calls.Clear();
        _road.Run();
        Assert.Equal(["list"], _road.From.Calls);
        Assert.Equal(["list"], _road.To.Calls);
    }

    [Fact]
    public void Only_changed_flags_travel_one_by_one_and_what_the_new_side_changed_stays()
    {
        var number = _road.From.Folder("INBOX").Add(MemoryRoad.Message(1), FlagSet.Parse("\\Seen"), DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.To.Folder("INBOX").SetFlags(1, FlagSet.Parse("\\Seen Mine"));
        _road.From.Folder("INBOX").SetFlags(number, FlagSet.Parse("\\Flagged"));
        _road.Run();
        Assert.Equal(FlagSet.Parse("\\Flagged Mine"), _road.To.Folder("INBOX").Messages[0].Flags);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Numbers_given_anew_are_matched_again_by_identity(bool onTheOldSide)
    {
        for (var i = 0; i < 9; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        (onTheOldSide ? _road.From : _road.To).Renumber("INBOX");
        _road.Run();
        Assert.Equal(9, _road.To.Folder("INBOX").Messages.Count);
        Assert.True(_road.Waybill().Closes);
        Assert.Contains(_road.Journal, j => j.Contains("anew", StringComparison.Ordinal));
    }

    [Fact]
    public void A_numbering_that_is_fixed_only_when_something_is_added_is_taken_as_it_then_is()
    {
        for (var i = 0; i < 9; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        var inbox = _road.To.Folder("INBOX");
        _road.To.Meanwhile = call =>
        {
            if (call == "append" && inbox.Messages.Count == 0)
                inbox.Epoch = 4711;
        };
        _road.Run();
        _road.From.Folder("INBOX").SetFlags(1, FlagSet.Parse("\\Flagged"));
        _road.Run();
        // Nothing had to be matched again, so that the flag was known to be new.
        Assert.DoesNotContain(_road.Journal, j => j.Contains("anew", StringComparison.Ordinal));
        Assert.Equal("\\Flagged", inbox.Messages[0].Flags.Written);
        Assert.Equal(9, inbox.Messages.Count);
    }

    [Fact]
    public void Where_something_stands_already_a_number_of_another_numbering_is_not_believed()
    {
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        var inbox = _road.To.Folder("INBOX");
        var epoch = inbox.Epoch;
        // A server that lies: it names another numbering in its answer than in its list.
        _road.To.Meanwhile = call => inbox.Epoch = call == "append" ? 4711 : epoch;
        for (var i = 2; i < 6; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.Run();
        Assert.Equal(5, inbox.Messages.Count);
        Assert.Equal((5L, 5L), (_road.Waybill().Total.Found, _road.Waybill().Total.Carried));
        Assert.Empty(_road.Ledger.LeftBehind);
        Assert.DoesNotContain(_road.Journal, j => j.Contains("anew", StringComparison.Ordinal));
    }

    [Fact]
    public void What_its_owner_deleted_on_the_old_side_stays_on_the_new_and_is_told_as_gone()
    {
        for (var i = 0; i < 4; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.From.Folder("INBOX").Messages.RemoveAt(0);
        _road.From.Folder("INBOX").Mark++;
        _road.Run();
        Assert.Equal((3L, 3L, 1L), (_road.Waybill().Total.Found, _road.Waybill().Total.Carried, _road.Waybill().Total.Gone));
        Assert.Equal(4, _road.To.Folder("INBOX").Messages.Count);
        Assert.True(_road.Waybill().Closes);
    }

    [Fact]
    public void What_was_deleted_on_the_new_side_is_told_as_missing_and_not_sent_again()
    {
        for (var i = 0; i < 4; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.To.Folder("INBOX").Messages.RemoveAt(0);
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(9), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal(1, _road.Waybill().Total.Missing);
        Assert.Equal(4, _road.To.Folder("INBOX").Messages.Count);
    }

    [Theory]
    [InlineData(Doubles.Pair, 1)]
    [InlineData(Doubles.KeepBoth, 2)]
    public void What_was_there_before_is_paired_or_kept_beside_as_the_rules_says(Doubles doubles, int copies)
    {
        _road.Rules = _road.Rules with { Doubles = doubles };
        _road.To.Folder("INBOX").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal(copies, _road.To.Folder("INBOX").Messages.Count);
        Assert.Equal(doubles is Doubles.Pair ? 1 : 0, _road.Waybill().Total.Paired);
    }

    [Fact]
    public void The_same_head_with_another_body_is_another_message()
    {
        _road
            .To.Folder("INBOX")
            .Add(MemoryRoad.Message(1, withId: false, body: "the first draft"), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road
            .From.Folder("INBOX")
            .Add(MemoryRoad.Message(1, withId: false, body: "the last word"), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal((0L, 1L), (_road.Waybill().Total.Paired, _road.Waybill().Total.Carried));
    }

    [Fact]
    public void Rules_exclude_by_name_and_the_sums_close()
    {
        _road.Rules = _road.Rules with
        {
            Folders = [new FolderRule(1, new FolderMatch.Glob("Trash"), new FolderOutcome.Leave())],
            Mail = new MailRules(new NodaTime.LocalDate(2020, 1, 1), null),
        };
        _road.From.Folder("Trash").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(2), FlagSet.Empty, new DateTimeOffset(2019, 12, 31, 23, 0, 0, TimeSpan.Zero));
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(3), FlagSet.Empty, new DateTimeOffset(2020, 1, 1, 0, 0, 0, TimeSpan.Zero));
        _road.Run();
        Assert.Equal((3L, 1L, 2L), (_road.Waybill().Total.Found, _road.Waybill().Total.Carried, _road.Waybill().Total.Excluded));
        Assert.True(_road.Waybill().Closes);
    }

    [Fact]
    public void Two_folders_that_land_in_one_place_arrive_both()
    {
        _road.Rules = _road.Rules with { Folders = [new FolderRule(1, new FolderMatch.Glob("Old"), new FolderOutcome.To("Work"))] };
        _road.From.Folder("Old").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.From.Folder("Work").Add(MemoryRoad.Message(2), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.From.Folder("Work").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal(3, _road.To.Folder("Work").Messages.Count);
        _road.From.Folder("Old").Add(MemoryRoad.Message(7), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.From.Folder("Work").Add(MemoryRoad.Message(8), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        Assert.Equal(5, _road.To.Folder("Work").Messages.Count);
        Assert.True(_road.Waybill().Closes);
        Assert.Equal(0, _road.Waybill().Total.Missing);
    }

    [Fact]
    public void A_folder_that_its_owner_deleted_closes_its_page()
    {
        _road.From.Folder("Work").Add(MemoryRoad.Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.From.Folders.Remove(FolderPath.Parse("Work"));
        _road.Run();
        Assert.True(_road.Waybill().Closes);
        Assert.Equal(0, _road.Waybill().Total.Found);
        Assert.Contains(_road.Journal, j => j.Contains("no longer on the old side", StringComparison.Ordinal));
    }

    private static string Show(MemoryMessage message) =>
        $"{Encoding.Latin1.GetString(message.Octets)} {message.Flags} {message.Received:O}";
}
