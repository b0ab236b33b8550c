using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>Passes by themselves, between two services in memory that break wherever they are told to.</summary>
public sealed class PassTests
{
    private static readonly Service Somewhere = new("s", new MailConnection(MailProtocol.Imap, "h", 993, Security.Tls), new SignIn.Password(null), new Trust.System(), Limits.Default);

    private readonly MemoryMail _from = new();
    private readonly MemoryMail _to = new();
    private readonly MemoryLedger _ledger = new();
    private readonly List<string> _journal = [];
    private CarryRules _rules = new([], new MailRules(null, null), Doubles.Pair);

    [Fact]
    public void Wherever_connections_break_and_whatever_answers_are_lost_each_message_arrives_once() =>
        Gen.Select(Gen.Int[1, 30], Gen.Int[0, 60].Array[0, 12], Gen.Bool, Gen.Bool, Gen.Bool).Sample((messages, breaks, lost, tellsWhere, marks) =>
        {
            var test = new PassTests();
            (test._to.AnswersAreLost, test._to.TellsWhere, test._from.KeepsMarks) = (lost, tellsWhere, marks);
            // Every fourth message stands twice, and every fifth has no Message-ID.
            for (var i = 0; i < messages; i++) test._from.Folder(i % 2 == 0 ? "INBOX" : "Work").Add(Message(i % 4 == 3 ? i - 2 : i, withId: i % 5 != 0), FlagSet.Parse("\\Seen"), DateTimeOffset.UnixEpoch);
            for (var n = 0; n < breaks.Length; n++)
            {
                (n % 2 == 0 ? test._from : test._to).BreakAfter = breaks[n];
                try { test.Run(); }
                catch (FaultException e) when (e.Fault.Cause is Cause.ConnectionLost) { }
                test._from.BreakAfter = test._to.BreakAfter = null;
            }
            test.Run();
            foreach (var folder in test._from.Folders.Keys)
                Assert.Equal(test._from.Folders[folder].Messages.Select(Show).Order(), test._to.Folders[folder].Messages.Select(Show).Order());
            Assert.True(test.Waybill().Closes);
            Assert.Equal(messages, test.Waybill().Total.Carried);
        }, iter: 300);

    [Fact]
    public void A_bad_message_in_company_is_found_by_halving_and_only_it_stays_behind()
    {
        for (var i = 0; i < 70; i++) _from.Folder("INBOX").Add(Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _to.Refuses = octets => Encoding.Latin1.GetString(octets).Contains("<33@", StringComparison.Ordinal) ? new Fault(Cause.MessageRefused, "b", "no") : null;
        Run();
        Assert.Equal(69, _to.Folder("INBOX").Messages.Count);
        var left = Assert.Single(_ledger.LeftBehind.Values);
        Assert.Equal(("Tide 33", Cause.MessageRefused), (left.Subject, left.Fault.Cause));
        Assert.True(Waybill().Closes);
    }

    [Fact]
    public void A_message_whose_keywords_are_not_borne_arrives_without_them()
    {
        for (var i = 0; i < 5; i++) _from.Folder("INBOX").Add(Message(i), FlagSet.Parse(i == 2 ? "\\Seen Odd" : "\\Seen"), DateTimeOffset.UnixEpoch);
        _to.BearsKeyword = keyword => keyword != "Odd";
        Run();
        Assert.All(_to.Folder("INBOX").Messages, m => Assert.Equal(FlagSet.Parse("\\Seen"), m.Flags));
        Assert.Equal((5L, 0), (Waybill().Total.Carried, _ledger.LeftBehind.Count));
        Assert.Contains(_journal, j => j.Contains("without them", StringComparison.Ordinal));
    }

    [Fact]
    public void A_full_account_stops_the_pass_and_leaves_nothing_behind()
    {
        _from.Folder("INBOX").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _to.Refuses = _ => new Fault(Cause.NoRoom, "b", "full");
        Assert.Equal(Cause.NoRoom, Assert.Throws<FaultException>(Run).Fault.Cause);
        Assert.Empty(_ledger.LeftBehind);
    }

    [Fact]
    public void An_unchanged_account_costs_one_look_at_each_side()
    {
        _from.Folder("Work").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        _from.Calls.Clear();
        _to.Calls.Clear();
        Run();
        Assert.Equal(["list"], _from.Calls);
        Assert.Equal(["list"], _to.Calls);
    }

    [Fact]
    public void Only_changed_flags_travel_one_by_one_and_what_the_new_side_changed_stays()
    {
        var number = _from.Folder("INBOX").Add(Message(1), FlagSet.Parse("\\Seen"), DateTimeOffset.UnixEpoch);
        Run();
        _to.Folder("INBOX").SetFlags(1, FlagSet.Parse("\\Seen Mine"));
        _from.Folder("INBOX").SetFlags(number, FlagSet.Parse("\\Flagged"));
        Run();
        Assert.Equal(FlagSet.Parse("\\Flagged Mine"), _to.Folder("INBOX").Messages[0].Flags);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Numbers_given_anew_are_matched_again_by_identity(bool onTheOldSide)
    {
        for (var i = 0; i < 9; i++) _from.Folder("INBOX").Add(Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        (onTheOldSide ? _from : _to).Renumber("INBOX");
        Run();
        Assert.Equal(9, _to.Folder("INBOX").Messages.Count);
        Assert.True(Waybill().Closes);
        Assert.Contains(_journal, j => j.Contains("anew", StringComparison.Ordinal));
    }

    [Fact]
    public void What_its_owner_deleted_on_the_old_side_stays_on_the_new_and_is_told_as_gone()
    {
        for (var i = 0; i < 4; i++) _from.Folder("INBOX").Add(Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        _from.Folder("INBOX").Messages.RemoveAt(0);
        _from.Folder("INBOX").Mark++;
        Run();
        Assert.Equal((3L, 3L, 1L), (Waybill().Total.Found, Waybill().Total.Carried, Waybill().Total.Gone));
        Assert.Equal(4, _to.Folder("INBOX").Messages.Count);
        Assert.True(Waybill().Closes);
    }

    [Fact]
    public void What_was_deleted_on_the_new_side_is_told_as_missing_and_not_sent_again()
    {
        for (var i = 0; i < 4; i++) _from.Folder("INBOX").Add(Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        _to.Folder("INBOX").Messages.RemoveAt(0);
        _from.Folder("INBOX").Add(Message(9), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        Assert.Equal(1, Waybill().Total.Missing);
        Assert.Equal(4, _to.Folder("INBOX").Messages.Count);
    }

    [Theory]
    [InlineData(Doubles.Pair, 1)]
    [InlineData(Doubles.KeepBoth, 2)]
    public void What_was_there_before_is_paired_or_kept_beside_as_the_rules_says(Doubles doubles, int copies)
    {
        _rules = _rules with { Doubles = doubles };
        _to.Folder("INBOX").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _from.Folder("INBOX").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        Assert.Equal(copies, _to.Folder("INBOX").Messages.Count);
        Assert.Equal(doubles is Doubles.Pair ? 1 : 0, Waybill().Total.Paired);
    }

    [Fact]
    public void The_same_head_with_another_body_is_another_message()
    {
        _to.Folder("INBOX").Add(Message(1, withId: false, body: "the first draft"), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _from.Folder("INBOX").Add(Message(1, withId: false, body: "the last word"), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        Assert.Equal((0L, 1L), (Waybill().Total.Paired, Waybill().Total.Carried));
    }

    [Fact]
    public void Rules_exclude_by_name_and_the_sums_close()
    {
        _rules = _rules with { Folders = [new FolderRule(1, new FolderMatch.Glob("Trash"), new FolderOutcome.Leave())], Mail = new MailRules(new NodaTime.LocalDate(2020, 1, 1), null) };
        _from.Folder("Trash").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _from.Folder("INBOX").Add(Message(2), FlagSet.Empty, new DateTimeOffset(2019, 12, 31, 23, 0, 0, TimeSpan.Zero));
        _from.Folder("INBOX").Add(Message(3), FlagSet.Empty, new DateTimeOffset(2020, 1, 1, 0, 0, 0, TimeSpan.Zero));
        Run();
        Assert.Equal((3L, 1L, 2L), (Waybill().Total.Found, Waybill().Total.Carried, Waybill().Total.Excluded));
        Assert.True(Waybill().Closes);
    }

    [Fact]
    public void Two_folders_that_land_in_one_place_arrive_both()
    {
        _rules = _rules with { Folders = [new FolderRule(1, new FolderMatch.Glob("Old"), new FolderOutcome.To("Work"))] };
        _from.Folder("Old").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _from.Folder("Work").Add(Message(2), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _from.Folder("Work").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        Assert.Equal(3, _to.Folder("Work").Messages.Count);
        _from.Folder("Old").Add(Message(7), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _from.Folder("Work").Add(Message(8), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        Assert.Equal(5, _to.Folder("Work").Messages.Count);
        Assert.True(Waybill().Closes);
        Assert.Equal(0, Waybill().Total.Missing);
    }

    [Fact]
    public void A_folder_that_its_owner_deleted_closes_its_page()
    {
        _from.Folder("Work").Add(Message(1), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        Run();
        _from.Folders.Remove(FolderPath.Parse("Work"));
        Run();
        Assert.True(Waybill().Closes);
        Assert.Equal(0, Waybill().Total.Found);
        Assert.Contains(_journal, j => j.Contains("no longer on the old side", StringComparison.Ordinal));
    }

    private void Run()
    {
        var side = new Side(Somewhere, new Credentials("a", "a", "s"));
        var to = new Side(Somewhere with { Name = "to" }, new Credentials("b", "b", "s"));
        new Pass(new Accounts(this), _ledger, new PassOrder(PassKind.First, side, to, _rules, 1), new Tally(), _journal.Add).RunAsync(CancellationToken.None).GetAwaiter().GetResult();
    }

    private EasyCaravan.Core.Proving.Waybill Waybill() => EasyCaravan.Core.Proving.Waybill.Draw(_ledger.FoldersAsync(CancellationToken.None).GetAwaiter().GetResult());

    private static string Show(MemoryMessage message) => $"{Encoding.Latin1.GetString(message.Octets)} {message.Flags} {message.Received:O}";

    private static byte[] Message(int i, bool withId = true, string body = "body") =>
        Encoding.Latin1.GetBytes($"From: desk@saltmarsh.example\r\nSubject: Tide {i}\r\n{(withId ? $"Message-ID: <{i}@saltmarsh.example>\r\n" : "")}\r\n{body} {i}");

    private sealed class Accounts(PassTests test) : IMailAccounts
    {
        public Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
            Task.FromResult<IMailAccount>(new MemoryAccount(service.Name == "to" ? test._to : test._from));

        public async Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel) => await OpenAsync(service, credentials, cancel);
    }
}
