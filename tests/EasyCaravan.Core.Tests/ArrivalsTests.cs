using System.Text;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>Mail that comes to the new address by itself, and also lies in the old mailbox.</summary>
public sealed class ArrivalsTests
{
    private static readonly DateTimeOffset s_later = MemoryRoad.Began.AddHours(3);

    private readonly MemoryRoad _road = new();

    public ArrivalsTests()
    {
        for (var i = 0; i < 6; i++)
            _road.From.Folder(i < 4 ? "INBOX" : "Work").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.To.Folder("Archive").Add(MemoryRoad.Message(500), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
    }

    private MemoryFolder Here => _road.From.Folder("INBOX");

    private MemoryFolder There => _road.To.Folder("INBOX");

    /// <summary>As a server that forwards makes it: trace above, and from the first original line on as it was.</summary>
    private static byte[] Forwarded(byte[] message) =>
        [.. Encoding.Latin1.GetBytes("Received: from old by new\r\nX-Sieve-Redirected-From: a@saltmarsh.example\r\n"), .. message];

    private List<string> Ids(string id) =>
        [
            .. _road.To.Folders.SelectMany(f =>
                f.Value.Messages.Where(m => Encoding.Latin1.GetString(m.Octets).Contains($"<{id}@", StringComparison.Ordinal))
                    .Select(_ => f.Key.ToString())
            ),
        ];

    private void Settles(long paired)
    {
        Assert.True(_road.Waybill().Closes);
        Assert.Equal(paired, _road.Waybill().Total.Paired);
    }

    [Theory]
    // Its number tells: it came before the switch, while it was switched, or after.
    [InlineData(5, 0, null)]
    [InlineData(15, 0, 20.0)]
    [InlineData(25, 0, 1800.0)]
    // Moved since, so that its number tells nothing, and received before.
    [InlineData(25, -60, 1740.0)]
    [InlineData(25, -121, null)]
    public void What_came_before_forwarding_was_on_is_carried_at_once(uint number, double received, double? waits)
    {
        var inbox = FolderPath.Parse("INBOX");
        IReadOnlyDictionary<FolderPath, ItemKey> Below(uint next) => new Dictionary<FolderPath, ItemKey> { [inbox] = new ItemKey(7, next) };
        var page = new LedgerFolder(1, inbox, inbox, 7, null, 1, null, false, FolderCounts.Zero);
        var item = new ItemInfo(number, new ByteCount(1), s_later.AddSeconds(received), FlagSet.Empty);
        var left = new ForwardedMail(s_later, Below(10), Below(20)).MayTake(page, item, s_later);
        Assert.Equal(waits, left?.TotalSeconds);
    }

    [Theory]
    [InlineData("Archive")]
    [InlineData("A folder of its owner's own")]
    [InlineData("Work")]
    public void What_its_owner_moved_to_another_folder_there_is_not_carried_beside_it(string folder)
    {
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, s_later);
        _road.To.Folder(folder).Add(Forwarded(MemoryRoad.Message(9)), FlagSet.Parse("\\Seen"), s_later);
        _road.Run();
        _road.Run();
        Assert.Equal([folder], Ids("9"));
        Assert.Equal(FlagSet.Parse("\\Seen"), _road.To.Folder(folder).Messages[^1].Flags);
        Settles(paired: 1);
        Assert.Empty(_road.Ledger.Differences);
    }

    [Fact]
    public void What_was_seen_there_once_and_deleted_by_its_owner_is_not_brought_back()
    {
        _road.IsForwarded = true;
        var number = There.Add(Forwarded(MemoryRoad.Message(9)), FlagSet.Empty, s_later);
        _road.Run();
        There.Remove(number);
        _road.Run();
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, s_later);
        _road.Run();
        Assert.Empty(Ids("9"));
        Settles(paired: 1);
        // Only that one: another with the same head is another message.
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, s_later);
        _road.Run();
        Assert.Equal(["INBOX"], Ids("9"));
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Two_different_messages_with_one_number_stay_two(bool isElsewhere)
    {
        _road.IsForwarded = true;
        // The server kept both, and forwarded only one.
        Here.Add(MemoryRoad.Message(9, body: "One"), FlagSet.Empty, s_later);
        _road.To.Folder(isElsewhere ? "Archive" : "INBOX").Add(Forwarded(MemoryRoad.Message(9, body: "Two")), FlagSet.Empty, s_later);
        _road.Run();
        Here.Add(MemoryRoad.Message(9, body: "Two"), FlagSet.Empty, s_later);
        _road.Run();
        Assert.Equal(isElsewhere ? ["INBOX", "Archive"] : ["INBOX", "INBOX"], Ids("9"));
        Settles(paired: 1);
    }

    [Fact]
    public void What_stands_twice_in_the_old_mailbox_still_does_when_one_was_forwarded_and_moved()
    {
        _road.IsForwarded = true;
        var number = There.Add(Forwarded(MemoryRoad.Message(9)), FlagSet.Empty, s_later);
        _road.Run();
        There.Remove(number);
        _road.To.Folder("Archive").Add(Forwarded(MemoryRoad.Message(9)), FlagSet.Empty, s_later);
        _road.Run();
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, s_later);
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, s_later);
        _road.Run();
        Assert.Equal(["INBOX", "Archive"], Ids("9"));
    }

    [Fact]
    public void A_service_to_which_nothing_comes_by_itself_is_not_looked_through()
    {
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, s_later);
        _road.Run();
        Here.Add(MemoryRoad.Message(10), FlagSet.Empty, s_later);
        _road.To.Calls.Clear();
        _road.Run();
        Assert.DoesNotContain("since", _road.To.Calls);
        _road.To.Calls.Clear();
        _road.Run();
        Assert.Equal(["list"], _road.To.Calls);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void What_just_came_may_be_on_its_way_and_is_carried_only_if_it_does_not_come(bool comes)
    {
        _road.IsForwarded = true;
        Here.Add(MemoryRoad.Message(8), FlagSet.Empty, s_later);
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, _road.Clock.GetUtcNow());
        Here.Add(MemoryRoad.Message(10), FlagSet.Empty, s_later);
        _road.Run();
        Assert.Empty(Ids("9"));
        Assert.Equal(["INBOX", "INBOX"], Ids("8").Concat(Ids("10")));
        Assert.True(_road.Waybill().Closes);
        if (comes)
            There.Add(Forwarded(MemoryRoad.Message(9)), FlagSet.Empty, _road.Clock.GetUtcNow());
        _road.Clock.Advance(TimeSpan.FromMinutes(31));
        _road.Run();
        Assert.Equal(["INBOX"], Ids("9"));
        Assert.Equal((9L, comes ? 1L : 0L), (_road.Waybill().Total.Found, _road.Waybill().Total.Paired));
        Settles(paired: comes ? 1 : 0);
        _road.To.Calls.Clear();
        _road.Run();
        Assert.Equal(["list"], _road.To.Calls);
    }

    [Fact]
    public void A_probe_is_no_mail_of_the_person()
    {
        var probe = Crossing.Probe.Compose("probe.0123456789abcdef@desk.example", "desk@desk.example", "a@saltmarsh.example", default);
        _road.Probes.Add("probe.0123456789abcdef@desk.example");
        Here.Add(probe, FlagSet.Empty, s_later);
        Here.Add(MemoryRoad.Message(9), FlagSet.Empty, s_later);
        _road.Run();
        Assert.DoesNotContain(There.Messages, m => Encoding.ASCII.GetString(m.Octets).Contains("probe.", StringComparison.Ordinal));
        Assert.Equal(["INBOX"], Ids("9"));
        Assert.Equal(1, _road.Waybill().Total.Excluded);
    }

    [Fact]
    public void What_its_owner_deletes_there_after_the_crossing_is_told_and_asks_for_no_decision()
    {
        _road.IsForwarded = true;
        _road.Run();
        There.Remove(2);
        _road.Run();
        var difference = Assert.Single(_road.Ledger.Differences).Difference;
        Assert.Equal(DifferenceKind.Removed, difference.Kind);
        Assert.False(Difference.NeedsDecision(difference.Kind));
    }
}
