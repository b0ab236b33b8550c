using System.Text;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>Both sides read anew, and the few messages that are read back after a first pass.</summary>
public sealed class ComparisonTests
{
    private readonly MemoryRoad _road = new();

    private MemoryFolder There => _road.To.Folder("INBOX");

    public ComparisonTests()
    {
        for (var i = 0; i < 6; i++)
            _road
                .From.Folder("INBOX")
                .Add(MemoryRoad.Message(i, body: $"first line{(i == 5 ? "" : "\r\n")}"), FlagSet.Parse("\\Seen"), DateTimeOffset.UnixEpoch);
        _road.Run();
    }

    private List<(DifferenceKind Kind, string Subject)> Found =>
        [.. _road.Ledger.Differences.Select(d => (d.Difference.Kind, d.Difference.Subject))];

    private ComparisonProgress Compare(double share = 1)
    {
        _road.Ledger.Comparison ??= new ComparisonProgress(share, 0, 0);
        _road.Compare();
        return _road.Ledger.Comparison!;
    }

    private void Alter(int at, Func<MemoryMessage, MemoryMessage> change) => There.Messages[at] = change(There.Messages[at]);

    [Fact]
    public void Sides_that_are_the_same_are_told_so()
    {
        var progress = Compare();
        Assert.Equal(
            (6L, 0L, 0L, 0L, true),
            (progress.Compared, progress.Differing, progress.FlagsChanged, progress.Arrived, progress.IsDone)
        );
        Assert.Empty(Found);
    }

    [Fact]
    public void Whatever_differs_is_named_by_how_it_does()
    {
        Alter(0, m =>
            m with
            {
                Octets = Encoding.Latin1.GetBytes(Encoding.Latin1.GetString(m.Octets).Replace("Tide", "XXXX", StringComparison.Ordinal)),
            }
        );
        Alter(1, m => m with { Octets = [.. m.Octets, (byte)'!'] });
        Alter(2, m =>
            m with
            {
                Octets = Encoding.Latin1.GetBytes(Encoding.Latin1.GetString(m.Octets).Replace("\r\n", "\n", StringComparison.Ordinal)),
            }
        );
        Alter(3, m => m with { Received = DateTimeOffset.UnixEpoch.AddYears(57) });
        There.SetFlags(5, FlagSet.Parse("\\Seen Mine"));
        There.Remove(6);
        _road.From.Folder("INBOX").Add(MemoryRoad.Message(9), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        var progress = Compare();
        var told = _road.Ledger.Differences.OrderBy(d => d.Difference.Number).Select(d => (d.Difference.Kind, d.Difference.What)).ToList();
        Assert.Equal(
            [
                DifferenceKind.Altered,
                DifferenceKind.Altered,
                DifferenceKind.Altered,
                DifferenceKind.Altered,
                DifferenceKind.Flags,
                DifferenceKind.Missing,
            ],
            told.Select(t => t.Kind)
        );
        foreach (var (words, at) in new[] { ("header", 0), ("body", 1), ("line ends", 2), ("date of receipt", 3), ("Mine", 4) })
            Assert.Contains(words, told[at].What, StringComparison.Ordinal);
        Assert.Equal((5L, 1L, 1L), (progress.Differing, progress.FlagsChanged, progress.Arrived));
        Assert.False(_road.Waybill().Closes);
    }

    [Fact]
    public void What_was_mended_since_is_no_longer_told()
    {
        var original = There.Messages[1];
        Alter(1, m => m with { Octets = [.. m.Octets, (byte)'!'] });
        Compare();
        Assert.Equal([(DifferenceKind.Altered, "Tide 1")], Found);
        There.Messages[1] = original;
        _road.Ledger.Comparison = null;
        Compare();
        Assert.Empty(Found);
        Assert.True(_road.Waybill().Closes);
    }

    [Fact]
    public void Broken_off_it_goes_on_where_it_was()
    {
        for (var i = 0; i < 8_400; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(100 + i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        _road.To.BreakAfter = 8_100;
        Assert.Throws<FaultException>(() => Compare());
        var before = _road.Ledger.Comparison!;
        Assert.Equal((8_000L, false), (before.Compared, before.IsDone));
        _road.To.BreakAfter = null;
        var after = Compare();
        Assert.Equal((8_406L, 0L, true), (after.Compared, after.Differing, after.IsDone));
    }

    [Fact]
    public void A_sample_is_a_part_and_the_same_part_each_time()
    {
        for (var i = 0; i < 1_000; i++)
            _road.From.Folder("INBOX").Add(MemoryRoad.Message(100 + i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        _road.Run();
        var first = Compare(0.1).Compared;
        Assert.InRange(first, 50, 150);
        _road.Ledger.Comparison = null;
        Assert.Equal(first, Compare(0.1).Compared);
    }

    [Fact]
    public void A_service_that_alters_what_it_stores_is_found_by_the_first_pass_without_anybody_asking()
    {
        var road = new MemoryRoad();
        for (var i = 0; i < 40; i++)
            road.From.Folder("INBOX")
                .Add(
                    [
                        .. Encoding.Latin1.GetBytes($"Subject: {(i == 17 ? "Br\u00edd" : "Tide")} {i}\r\nMessage-ID: <{i}@x>\r\n\r\n"),
                        .. Encoding.ASCII.GetBytes($"body {i}\r\n"),
                    ],
                    FlagSet.Empty,
                    DateTimeOffset.UnixEpoch
                );
        road.To.Stores = octets => [.. octets.Select(o => o >= 0x80 ? (byte)'X' : o)];
        road.Run();
        var altered = Assert.Single(road.Ledger.Differences);
        Assert.Equal(DifferenceKind.Altered, altered.Difference.Kind);
        Assert.Contains(road.Journal, j => j.Contains("does not keep every message as it is", StringComparison.Ordinal));
        Assert.False(road.Waybill().Closes);
    }

    /// <summary>After the folder's first messages were noted; and after all of it was, before anything was read back.</summary>
    [Theory]
    [InlineData(1_000)]
    [InlineData(1_601)]
    public async Task It_is_found_too_when_the_first_pass_was_broken_off_after_the_message_was_copied(int reading)
    {
        var road = new MemoryRoad();
        for (var i = 0; i < 1_600; i++)
            road.From.Folder("INBOX")
                .Add(
                    [
                        .. Encoding.Latin1.GetBytes($"Subject: {(i == 3 ? "Br\u00edd" : "Tide")} {i}\r\nMessage-ID: <{i}@x>\r\n\r\n"),
                        .. Encoding.ASCII.GetBytes($"body {i}\r\n"),
                    ],
                    FlagSet.Empty,
                    DateTimeOffset.UnixEpoch
                );
        road.To.Stores = octets => [.. octets.Select(o => o >= 0x80 ? (byte)'X' : o)];
        road.From.Meanwhile = name =>
        {
            if (name == "next" && --reading == 0)
                road.From.BreakAfter = 0;
        };
        Assert.Throws<FaultException>(road.Run);
        Assert.True((await road.Ledger.SettledAsync(1, CancellationToken.None)).Contains(4));
        Assert.Empty(road.Ledger.Differences);
        road.From.Meanwhile = null;
        road.Run();
        var altered = Assert.Single(road.Ledger.Differences);
        Assert.Equal(DifferenceKind.Altered, altered.Difference.Kind);
    }

    [Fact]
    public void What_a_service_alters_in_bodies_is_found_too_after_a_first_pass_that_was_broken_off()
    {
        var road = new MemoryRoad();
        for (var i = 0; i < 1_600; i++)
            road.From.Folder("INBOX")
                .Add(
                    [.. Encoding.ASCII.GetBytes($"Subject: Tide {i}\r\nMessage-ID: <{i}@x>\r\n\r\nbody {i}{(i % 5 == 0 ? "" : "\r\n")}")],
                    FlagSet.Empty,
                    DateTimeOffset.UnixEpoch
                );
        road.To.Stores = octets => octets[^1] == (byte)'\n' ? octets : [.. octets, (byte)'\r', (byte)'\n'];
        var reading = 1_601;
        road.From.Meanwhile = name =>
        {
            if (name == "next" && --reading == 0)
                road.From.BreakAfter = 0;
        };
        Assert.Throws<FaultException>(road.Run);
        road.From.Meanwhile = null;
        road.Run();
        Assert.NotEmpty(road.Ledger.Differences);
        Assert.All(road.Ledger.Differences, d => Assert.Equal(DifferenceKind.Altered, d.Difference.Kind));
    }
}
