using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Store.Rows;
using EasyCaravan.Tests.Shared;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store.Tests;

/// <summary>
/// The ledger in the store keeps its contract, and its sums reach the move's row; what a person decides reaches the ledger.
/// </summary>
public sealed class LedgerTests : LedgerContract, IAsyncLifetime
{
    private static readonly FolderPath Inbox = FolderPath.Inbox;

    private TestDatabase _test = null!;
    private MoveStore _store = null!;

    public async ValueTask InitializeAsync()
    {
        _test = await TestDatabase.OpenAsync();
        _store = new MoveStore(Stored, TimeProvider.System);
    }

    private static readonly PassEnd Ended = new([new LegEnd(Kind.Mail)], Stopped: false),
        Stopped = new([], Stopped: true);

    public ValueTask DisposeAsync() => _test.DisposeAsync();

    private Database Stored => _test.Database;

    [Fact]
    public async Task What_is_recorded_is_settled_claimed_and_counted()
    {
        var claim = await ClaimAsync();
        var ledger = _store.LedgerOf(claim, Kind.Mail);
        var page = (await ledger.OpenAsync([new PageOpening(Inbox, Inbox, 7, 9, 1) { Found = 1003 }], None))[0];
        await ledger.RecordAsync(
            page.Id,
            [
                .. Enumerable
                    .Range(1, 1000)
                    .Select(i => new LedgerEntry((uint)i, (uint)i + 5000, Outcome.Carried, FlagSet.Parse(i % 2 == 0 ? "\\Seen" : ""))),
            ],
            None
        );
        await ledger.RecordAsync(
            page.Id,
            [new(1001, 77, Outcome.Paired, FlagSet.Empty), new(1002, null, Outcome.Excluded, FlagSet.Empty)],
            None
        );
        await ledger.LeaveBehindAsync(page.Id, [Left(1003)], None);

        Assert.Equal("1:1003", (await ledger.SettledAsync(page.Id, None)).ToString());
        Assert.Equal("77,5001:6000", (await ledger.ClaimedAsync(Inbox, 9, None)).Live.ToString());
        Assert.Equal("\\Seen", (await ledger.FindAsync(page.Id, new NumberSet([2]), None))[0].Flags.Written);
        var scattered = new NumberSet(Enumerable.Range(1, 300).Select(i => (uint)i * 3));
        Assert.Equal(scattered, (await ledger.FindAsync(page.Id, scattered, None)).Select(e => e.Number).Order());
        await ledger.CompleteAsync([new PageEnd(page.Id, new FolderCursor(7, 1004, 5, 1003), 1003, null)], None);
        var counts = (await ledger.FoldersAsync(None)).Single().Counts;
        Assert.Equal(new FolderCounts(1003, 1000, 1, 1, 1, 0, 0), counts);
        Assert.True(counts.Closes);
        await _store.EndAsync(claim, [new Tally()], Ended, s => s.End(Ended, _ => null, 0.5, null, default), None);
        await using var db = Stored.Read();
        Assert.Equal(
            (1003, 1000, 1),
            ((await db.Moves.SingleAsync()).Found, (await db.Moves.SingleAsync()).Carried, (await db.Moves.SingleAsync()).LeftBehind)
        );
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task What_a_pass_settled_before_it_was_stopped_or_killed_is_counted(bool killed)
    {
        var claim = await ClaimAsync();
        var ledger = _store.LedgerOf(claim, Kind.Mail);
        var page = (await ledger.OpenAsync([new PageOpening(Inbox, Inbox, 7, 9, 1) { Found = 50 }], None))[0];
        await ledger.RecordAsync(
            page.Id,
            [.. Enumerable.Range(1, 20).Select(i => new LedgerEntry((uint)i, (uint)i, Outcome.Carried, FlagSet.Empty))],
            None
        );
        await ledger.LeaveBehindAsync(page.Id, [Left(21)], None);
        await using var db = Stored.Read();
        Assert.Equal(1, (await db.Moves.SingleAsync()).LeftBehind);
        var tally = new Tally();
        tally.Expect(70);
        tally.Carry(20, new(2_000));
        tally.LeaveBehind(1);
        if (killed)
        {
            await _store.ReleaseAsync("one", None);
            Assert.NotNull(await _store.ClaimAsync("two", ScheduleRules.None, None));
        }
        else
        {
            await _store.EndAsync(claim, [tally], Stopped, s => s.End(Stopped, _ => null, 0.5, null, default), None);
        }
        var counts = (await db.LedgerFolders.ToListAsync()).Select(Pages.PageOf).Single().Counts;
        Assert.Equal(new FolderCounts(50, 20, 0, 0, 1, 0, 0), counts);
        // It had not reached the folders with twenty of the expected messages; a killed worker cannot say so.
        Assert.Equal(
            (killed ? 50 : 70, 20, 1),
            ((await db.Moves.SingleAsync()).Found, (await db.Moves.SingleAsync()).Carried, (await db.Moves.SingleAsync()).LeftBehind)
        );
    }

    [Fact]
    public async Task What_is_struck_out_is_in_no_sum()
    {
        var claim = await ClaimAsync();
        var ledger = _store.LedgerOf(claim, Kind.Mail);
        var work = FolderPath.Of("Work");
        var pages = await ledger.OpenAsync([new(Inbox, Inbox, 7, 9, 1) { Found = 1 }, new(work, work, 8, 10, 1) { Found = 2 }], None);
        await ledger.RecordAsync(
            [
                new(pages[0].Id, [new(4, 70, Outcome.Carried, FlagSet.Empty)]),
                new(pages[1].Id, [new(4, 71, Outcome.Paired, FlagSet.Empty), new(5, 72, Outcome.Carried, FlagSet.Empty)]),
            ],
            None
        );
        await ledger.CompleteAsync(
            [new(pages[0].Id, new FolderCursor(7, 5, 1, 1), 1, null), new(pages[1].Id, new FolderCursor(8, 6, null, 2), 2, null)],
            None
        );
        await _store.EndAsync(claim, [new Tally()], Ended, s => s.End(Ended, _ => null, 0.5, null, default).CatchUp(null, default), None);
        await _store
            .LedgerOf((await _store.ClaimAsync("one", ScheduleRules.None, None))!, Kind.Mail)
            .ForgetEntriesAsync(pages[1].Id, 11, 10, None);
        await using var db = Stored.Read();
        var move = await db.Moves.SingleAsync();
        Assert.Equal((1, 1, 0), (move.Found, move.Carried, move.Paired));
        Assert.Equal(
            [new FolderCounts(1, 1, 0, 0, 0, 0, 0), new FolderCounts(2, 0, 0, 0, 0, 0, 0)],
            (await db.LedgerFolders.ToListAsync()).Select(Pages.PageOf).Select(p => p.Counts)
        );
    }

    [Fact]
    public async Task Several_pages_are_opened_recorded_and_completed_together_and_all_or_none_of_it_stands()
    {
        var claim = await ClaimAsync();
        var ledger = _store.LedgerOf(claim, Kind.Mail);
        var work = FolderPath.Of("Work");
        PageOpening[] openings = [new(Inbox, Inbox, 7, 9, 1), new(work, work, 8, 10, 1)];
        var pages = await ledger.OpenAsync(openings, None);
        Assert.All(pages, p => Assert.True(p.IsNew));
        await ledger.LeaveBehindAsync(pages[1].Id, [Left(4)], None);
        await ledger.RecordAsync(
            [
                new(pages[0].Id, [new(4, 70, Outcome.Carried, FlagSet.Empty)]),
                new(pages[1].Id, [new(4, 71, Outcome.Paired, FlagSet.Empty), new(5, 72, Outcome.Carried, FlagSet.Empty)]),
            ],
            None
        );
        PageEnd[] ends =
        [
            new(pages[0].Id, new FolderCursor(7, 5, 1, 1), 1, null),
            new(pages[1].Id, new FolderCursor(8, 6, null, 2), 2, new Membership(10, 73, 2)),
        ];
        await ledger.CompleteAsync(ends, None);
        var complete = await ledger.FoldersAsync(None);
        Assert.Equal([new FolderCounts(1, 1, 0, 0, 0, 0, 0), new FolderCounts(2, 1, 1, 0, 0, 0, 0)], complete.Select(p => p.Counts));
        Assert.Equal(ends.Select(e => e.Cursor), complete.Select(p => p.Cursor!));
        Assert.Equal([null, new Membership(10, 73, 2)], complete.Select(p => p.Seen));
        Assert.All(await ledger.OpenAsync(openings, None), p => Assert.False(p.IsNew));
        await using var db = Stored.Read();
        Assert.Empty(await db.LeftBehind.ToListAsync());

        // The second page does not exist: nothing may be kept of the first either, and the failed rows must not be written by the next
        // write.
        await Assert.ThrowsAnyAsync<Exception>(() =>
            ledger.RecordAsync(
                [new(pages[0].Id, [new(99, 99, Outcome.Carried, FlagSet.Empty)]), new(4711, [new(1, 1, Outcome.Carried, FlagSet.Empty)])],
                None
            )
        );
        await Assert.ThrowsAsync<InvalidOperationException>(() =>
            Stored.WriteAsync(
                db =>
                {
                    db.LedgerFolders.Add(
                        new LedgerFolderRow
                        {
                            MoveId = claim.Person.Id,
                            From = "half",
                            To = "half",
                        }
                    );
                    throw new InvalidOperationException();
                },
                None
            )
        );
        Assert.All(await ledger.OpenAsync(openings, None), p => Assert.False(p.IsNew));
        Assert.Equal(2, (await ledger.FoldersAsync(None)).Count);
        Assert.Equal("4", (await ledger.SettledAsync(pages[0].Id, None)).ToString());
    }

    [Fact]
    public async Task Sizes_are_kept_with_the_entries_and_summed_up_with_their_pages_also_after_a_kill()
    {
        var claim = await ClaimAsync();
        var ledger = _store.LedgerOf(claim, Kind.Mail);
        var page = (await ledger.OpenAsync([new PageOpening(Inbox, Inbox, 7, 9, 1) { Found = 3 }], None))[0];
        await ledger.RecordAsync(
            page.Id,
            [
                .. Enumerable
                    .Range(1, 3)
                    .Select(i => new LedgerEntry((uint)i, (uint)i, i == 3 ? Outcome.Paired : Outcome.Carried, FlagSet.Empty)
                    {
                        Size = new(i * 1_000),
                    }),
            ],
            None
        );
        Assert.Equal([1_000, 2_000, 3_000], (await ledger.FindAsync(page.Id, new NumberSet([1, 2, 3]), None)).Select(e => e.Size.Count));
        Assert.Equal([1_000, 2_000, 3_000], (await ledger.LandedAsync(Inbox, 9, None)).Select(e => e.Size.Count));
        Assert.Empty(await ledger.LandedAsync(Inbox, 10, None));
        await _store.ReleaseAsync("one", None);
        Assert.NotNull(await _store.ClaimAsync("two", ScheduleRules.None, None));
        await using var db = Stored.Read();
        Assert.Equal((3_000L, 2L), ((await db.Moves.SingleAsync()).Octets, (await db.Moves.SingleAsync()).Carried));
    }

    [Fact]
    public async Task Differences_are_counted_decided_and_forgotten_when_they_are_no_more()
    {
        var claim = await ClaimAsync();
        var ledger = _store.LedgerOf(claim, Kind.Mail);
        var page = (await ledger.OpenAsync([new PageOpening(Inbox, Inbox, 7, 9, 1) { Found = 4 }], None))[0];
        await ledger.RecordAsync(
            page.Id,
            [.. Enumerable.Range(1, 4).Select(i => new LedgerEntry((uint)i, (uint)i, Outcome.Carried, FlagSet.Empty))],
            None
        );
        Difference Of(uint number, DifferenceKind kind) =>
            new(page.Id, number, number, kind, "differs", new(10), DateTimeOffset.UnixEpoch, "Tide", "desk");
        await ledger.RecordLooksAsync(
            [
                new PageLook(
                    page.Id,
                    new Membership(9, 5, 3),
                    [Of(1, DifferenceKind.Missing), Of(2, DifferenceKind.Twice), Of(3, DifferenceKind.Moved)]
                ),
            ],
            None
        );
        await ledger.AddDifferencesAsync([Of(4, DifferenceKind.Altered), Of(4, DifferenceKind.Altered)], None);
        var counts = (await ledger.FoldersAsync(None)).Single();
        Assert.Equal(
            (1L, 1L, 1L, 3L, new Membership(9, 5, 3)),
            (counts.Counts.Missing, counts.Counts.Twice, counts.Counts.Altered, counts.Counts.Undecided, counts.Seen)
        );

        var moves = new Moves(Stored, new Journal(Stored, TimeProvider.System), TimeProvider.System);
        Assert.Equal(1, (await moves.DecideDifferencesAsync("b", null, null, null, DifferenceDecision.RemoveSecond, "admin", None)).Items);
        Assert.Equal(
            1,
            (await moves.DecideDifferencesAsync("b", null, null, DifferenceKind.Altered, DifferenceDecision.Accept, "admin", None)).Items
        );
        Assert.Equal(1, (await moves.DecideDifferencesAsync("b", null, null, null, DifferenceDecision.CarryAgain, "admin", None)).Items);
        // Deleted from the ledger, the message counts as new. A second copy is removed by the next pass.
        Assert.Equal("2:4", (await ledger.SettledAsync(page.Id, None)).ToString());
        Assert.True((await ledger.FoldersAsync(None)).Single().Reopened);
        Assert.Equal(
            [DifferenceState.Remove, DifferenceState.Open, DifferenceState.Accepted],
            (await ledger.DifferencesAsync(None)).Select(d => d.State)
        );
        await using var db = Stored.Read();
        Assert.Equal(1, (await db.Moves.SingleAsync()).Undecided);

        // A decision is kept while the difference is seen again; a difference that is not seen any more is deleted. This look cannot see
        // altered messages.
        await ledger.RecordLooksAsync([new PageLook(page.Id, null, [])], None);
        Assert.Equal(3, (await ledger.DifferencesAsync(None)).Count);
        Assert.Null((await ledger.FoldersAsync(None))[0].Seen);
        await ledger.RecordLooksAsync([new PageLook(page.Id, new Membership(9, 6, 3), [Of(2, DifferenceKind.Twice)])], None);
        Assert.Equal(
            [(DifferenceKind.Twice, DifferenceState.Remove), (DifferenceKind.Altered, DifferenceState.Accepted)],
            (await ledger.DifferencesAsync(None)).Select(d => (d.Difference.Kind, d.State))
        );
        await ledger.ForgetEntriesAsync(page.Id, 7, 11, None);
        Assert.Empty(await ledger.DifferencesAsync(None));
        Assert.Null((await ledger.FoldersAsync(None)).Single().Seen);
    }

    [Fact]
    public async Task A_refused_folder_is_one_item_that_counts_all_its_messages_and_a_retry_strikes_it_out()
    {
        var ledger = _store.LedgerOf(await ClaimAsync(), Kind.Mail);
        var page = (await ledger.OpenAsync([new PageOpening(Inbox, null, 7, null, 0) { Found = 5 }], None))[0];
        await ledger.LeaveFolderBehindAsync(page.Id, NumberSet.OfRange(1, 5), new Fault(Cause.FolderRefused, "b", "no such name"), None);
        await ledger.CompleteAsync([new PageEnd(page.Id, new FolderCursor(7, 6, 1, 5), 5, null)], None);
        await using var db = Stored.Read();
        Assert.Equal((5L, 5L), ((await db.Moves.SingleAsync()).LeftBehind, (await db.Moves.SingleAsync()).OpenLeftBehind));
        Assert.Equal(
            (5L, true),
            ((await ledger.FoldersAsync(None)).Single().Counts.LeftBehind, (await ledger.FoldersAsync(None)).Single().LeftWhole)
        );
        var moves = new Moves(Stored, new Journal(Stored, TimeProvider.System), TimeProvider.System);
        Assert.Equal(5, (await moves.DecideLeftBehindAsync("b", null, null, accept: true, null, null, "admin", None)).Items);
        await using var after = Stored.Read();
        Assert.Equal((5L, 0L), ((await after.Moves.SingleAsync()).LeftBehind, (await after.Moves.SingleAsync()).OpenLeftBehind));
        await ledger.RetryFolderAsync(page.Id, None);
        Assert.Equal((0L, false), ((await ledger.SettledAsync(page.Id, None)).Count, (await ledger.FoldersAsync(None)).Single().LeftWhole));
    }

    [Fact]
    public async Task A_message_costs_little_room()
    {
        var ledger = _store.LedgerOf(await ClaimAsync(), Kind.Mail);
        var page = (await ledger.OpenAsync([new PageOpening(Inbox, Inbox, 7, 9, 1)], None))[0];
        await using var db = Stored.Read();
        var before = await SizeAsync(db);
        foreach (var some in Enumerable.Range(1, 50_000).Chunk(500))
            await ledger.RecordAsync(
                page.Id,
                [.. some.Select(i => new LedgerEntry((uint)i, (uint)i + 100, Outcome.Carried, FlagSet.Parse("\\Seen")))],
                None
            );
        Assert.InRange((await SizeAsync(db) - before) / 50_000.0, 1, 64);
    }

    protected override async Task<ILedger> OpenAsync() => _store.LedgerOf(await ClaimAsync(), Kind.Mail);

    protected override async Task LoseLeaseAsync()
    {
        await _store.ReleaseAsync("one", None);
        Assert.NotNull(await _store.ClaimAsync("two", ScheduleRules.None, None));
    }

    protected override async Task<IReadOnlyList<(long Folder, uint Number)>> LeftBehindAsync()
    {
        await using var db = Stored.Read();
        return [.. (await db.LeftBehind.OrderBy(l => l.Number).ToListAsync()).Select(l => (l.FolderId, (uint)l.Number))];
    }

    [Fact]
    public void The_migrations_are_those_of_the_model()
    {
        using var db = Stored.Read();
        Assert.False(db.Database.HasPendingModelChanges());
    }

    private static async Task<long> SizeAsync(CaravanDb db) =>
        await db
            .Database.SqlQueryRaw<long>("SELECT page_count * page_size AS Value FROM pragma_page_count(), pragma_page_size()")
            .SingleAsync();

    private async Task<Claim> ClaimAsync()
    {
        await _test.AddMoveAsync("a");
        return (await _store.ClaimAsync("one", ScheduleRules.None, None))!;
    }
}
