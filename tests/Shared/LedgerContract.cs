using System.Text;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Tests.Shared;

/// <summary>What every ledger promises, wherever it is kept.</summary>
public abstract class LedgerContract
{
    protected static readonly CancellationToken None = CancellationToken.None;

    private static readonly FolderPath s_inbox = FolderPath.Inbox;
    private static readonly FolderPath s_work = FolderPath.Of("Work");

    /// <summary>An empty ledger of a move whose lease is held.</summary>
    protected abstract Task<ILedger> OpenAsync();

    /// <summary>Another worker takes the move over.</summary>
    protected abstract Task LoseLeaseAsync();

    /// <summary>What stays behind, as people see it: page and number; number 0 is a whole folder.</summary>
    protected abstract Task<IReadOnlyList<(long Folder, uint Number)>> LeftBehindAsync();

    [Fact]
    public async Task What_is_recorded_is_settled_found_and_claimed()
    {
        var (ledger, page) = await OpenPageAsync();
        await ledger.RecordAsync(page, [Carried(1, 501, "\\Seen"), Carried(2, 502), new(3, 77, Outcome.Paired, FlagSet.Empty)], None);
        await ledger.RecordAsync(page, [new(4, null, Outcome.Excluded, FlagSet.Empty)], None);
        await ledger.LeaveBehindAsync(page, [Left(5)], None);
        Assert.Equal("1:5", (await ledger.SettledAsync(page, None)).ToString());
        Assert.Equal("77,501:502", (await ledger.ClaimedAsync(s_inbox, 9, None)).Live.ToString());
        Assert.Equal(0, (await ledger.ClaimedAsync(s_inbox, 10, None)).Live.Count);
        var found = (await ledger.FindAsync(page, new NumberSet([1, 3, 99]), None)).OrderBy(e => e.Number).ToList();
        Assert.Equal([Carried(1, 501, "\\Seen"), new(3, 77, Outcome.Paired, FlagSet.Empty)], found);
        Assert.Equal([(page, 5u)], await LeftBehindAsync());
        Assert.Equal(
            [(501u, Outcome.Carried, 10L), (502u, Outcome.Carried, 20L), (77u, Outcome.Paired, 0L)],
            (await ledger.LandedAsync(s_inbox, 9, None)).OrderBy(e => e.Number).Select(e => (e.Landed, e.Outcome, e.Size.Count))
        );
    }

    [Fact]
    public async Task Recording_again_replaces_and_what_is_settled_stays_behind_no_more()
    {
        var (ledger, page) = await OpenPageAsync();
        await ledger.LeaveBehindAsync(page, [Left(1), Left(2), Left(3)], None);
        await ledger.RecordAsync(page, [Carried(1, 50)], None);
        await ledger.MarkGoneAsync(page, new NumberSet([2, 99]), None);
        Assert.Equal([(page, 3u)], await LeftBehindAsync());
        Assert.Equal("1,3", (await ledger.SettledAsync(page, None)).ToString());
        await ledger.LeaveBehindAsync(page, [Left(1)], None);
        Assert.Null(Assert.Single(await ledger.FindAsync(page, new NumberSet([1]), None)).Landed);
    }

    [Fact]
    public async Task A_complete_page_has_its_cursor_and_the_sums_of_its_entries()
    {
        var (ledger, page) = await OpenPageAsync();
        await ledger.RecordAsync(page, [Carried(1, 50), Carried(2, 51), new(3, 7, Outcome.Paired, FlagSet.Empty)], None);
        await ledger.LeaveBehindAsync(page, [Left(4)], None);
        await ledger.MarkGoneAsync(page, new NumberSet([2]), None);
        var cursor = new FolderCursor(7, 5, 3, 3);
        await ledger.CompleteAsync([new PageEnd(page, cursor, 3, new Membership(9, 52, 3))], None);
        var folder = Assert.Single(await ledger.FoldersAsync(None));
        Assert.Equal((cursor, new Membership(9, 52, 3)), (folder.Cursor, folder.Seen));
        Assert.Equal(new FolderCounts(3, 1, 1, 0, 1, 1, 0) { Octets = new(10) }, folder.Counts);
        Assert.Equal("51", (await ledger.ClaimedAsync(s_inbox, 9, None)).Gone.ToString());
    }

    [Fact]
    public async Task A_page_is_opened_once_and_another_place_is_another_page()
    {
        var ledger = await OpenAsync();
        PageOpening opening = new(s_inbox, s_inbox, 7, 9, 1) { Found = 3 };
        var first = Assert.Single(await ledger.OpenAsync([opening], None));
        var again = Assert.Single(await ledger.OpenAsync([opening with { Found = 4 }], None));
        var elsewhere = Assert.Single(await ledger.OpenAsync([opening with { To = s_work }], None));
        Assert.Equal((true, false, true), (first.IsNew, again.IsNew, elsewhere.IsNew));
        Assert.Equal((first.Id, 4L), (again.Id, again.Counts.Found));
        Assert.NotEqual(first.Id, elsewhere.Id);
        Assert.Equal(2, (await ledger.FoldersAsync(None)).Count);
    }

    [Fact]
    public async Task Several_pages_are_written_together_or_not_at_all()
    {
        var (ledger, page) = await OpenPageAsync();
        var before = await ToTextAsync(ledger);
        await Assert.ThrowsAnyAsync<Exception>(() => ledger.RecordAsync([new(page, [Carried(1, 50)]), new(4711, [Carried(1, 51)])], None));
        Assert.Equal(before, await ToTextAsync(ledger));
    }

    [Fact]
    public async Task Entries_that_mean_nothing_any_more_are_forgotten_with_all_that_hung_on_them()
    {
        var (ledger, page) = await OpenPageAsync();
        await FillAsync(ledger, page);
        await ledger.ForgetEntriesAsync(page, 8, 10, None);
        var folder = Assert.Single(await ledger.FoldersAsync(None));
        Assert.Equal((page, 8u, 10u, null, null), (folder.Id, folder.FromEpoch, folder.ToEpoch, folder.Cursor, folder.Seen));
        Assert.Equal(FolderCounts.Zero with { Found = folder.Counts.Found }, folder.Counts);
        Assert.Empty(await ledger.SettledAsync(page, None));
        Assert.Empty(await ledger.KeysAsync(page, NumberSet.OfRange(1, 9), None));
        Assert.Empty(await ledger.UnclaimedAsync(page, None));
        Assert.Empty(await ledger.DifferencesAsync(None));
        Assert.Empty(await LeftBehindAsync());
    }

    [Fact]
    public async Task A_page_takes_another_numbering_as_long_as_nothing_stands_in_it()
    {
        var (ledger, page) = await OpenPageAsync();
        await ledger.RecordAsync(page, [new(1, null, Outcome.Excluded, FlagSet.Empty)], None);
        await ledger.CompleteAsync([new PageEnd(page, new FolderCursor(7, 2, 1, 1), 1, new Membership(9, 1, 0))], None);
        Assert.True(await ledger.RenumberAsync(page, 10, None));
        Assert.Null(Assert.Single(await ledger.FoldersAsync(None)).Seen);
        await ledger.RecordAsync(page, [Carried(2, 50)], None);
        Assert.False(await ledger.RenumberAsync(page, 11, None));
        Assert.Equal(10u, Assert.Single(await ledger.FoldersAsync(None)).ToEpoch);
    }

    [Fact]
    public async Task A_message_that_changed_folders_is_gone_there_and_recorded_here()
    {
        var (ledger, page) = await OpenPageAsync();
        var to = (await ledger.OpenAsync([new PageOpening(s_work, s_work, 8, 10, 1)], None))[0].Id;
        await ledger.RecordAsync(page, [Carried(1, 50), Carried(2, 51)], None);
        await ledger.TransferAsync(page, new NumberSet([1]), to, [Carried(4, 60)], None);
        Assert.Equal(("2", "4"), ((await ledger.SettledAsync(page, None)).ToString(), (await ledger.SettledAsync(to, None)).ToString()));
        Assert.True((await ledger.LandedAsync(s_inbox, 9, None)).Single(e => e.Number == 1).Gone);
    }

    [Fact]
    public async Task Messages_are_found_by_key_until_they_are_gone()
    {
        var (ledger, page) = await OpenPageAsync();
        var keys = Enumerable.Range(1, 3).ToDictionary(i => (uint)i, i => new UInt128((ulong)i, ulong.MaxValue - (ulong)i));
        await ledger.RecordKeysAsync(page, keys, None);
        Assert.Equal(keys, (await ledger.KeysAsync(page, NumberSet.OfRange(1, 9), None)).OrderBy(k => k.Key));
        Assert.Empty(await ledger.FindKeysAsync([keys[1]], None));
        await ledger.RecordAsync(page, [Carried(1, 50), Carried(2, 51)], None);
        await ledger.MarkGoneAsync(page, new NumberSet([2]), None);
        Assert.Equal(
            [new KeyedEntry(keys[1], page, s_inbox, Carried(1, 50))],
            await ledger.FindKeysAsync([keys[1], keys[2], keys[3], 4711], None)
        );
    }

    [Fact]
    public async Task A_reopened_page_has_lost_the_entries_and_is_looked_at_until_it_is_complete()
    {
        var (ledger, page) = await OpenPageAsync();
        await ledger.RecordAsync(page, [Carried(1, 50), Carried(2, 51)], None);
        await ledger.LeaveBehindAsync(page, [Left(3)], None);
        await ledger.ReopenAsync(page, new NumberSet([2, 3]), None);
        Assert.Equal("1", (await ledger.SettledAsync(page, None)).ToString());
        Assert.Empty(await LeftBehindAsync());
        Assert.True(Assert.Single(await ledger.FoldersAsync(None)).Reopened);
        await ledger.CompleteAsync([new PageEnd(page, new FolderCursor(7, 4, 1, 1), 1, null)], None);
        Assert.False(Assert.Single(await ledger.FoldersAsync(None)).Reopened);
    }

    [Fact]
    public async Task Messages_that_nobody_claims_are_kept_until_they_leave()
    {
        var (ledger, page) = await OpenPageAsync();
        UnclaimedMessage[] two = [new(5, new(10), new Identity(UInt128.MaxValue - 5, true)), new(6, new(20), new Identity(6, false))];
        await ledger.KeepUnclaimedAsync(page, two, new NumberSet(), None);
        Assert.Equal(two, (await ledger.UnclaimedAsync(page, None)).OrderBy(u => u.Number));
        await ledger.KeepUnclaimedAsync(page, [], new NumberSet([5]), None);
        Assert.Equal(two[1..], await ledger.UnclaimedAsync(page, None));
    }

    [Fact]
    public async Task A_look_replaces_what_such_looks_can_see_unless_it_could_not_read_all()
    {
        var (ledger, page) = await OpenPageAsync();
        var seen = new Membership(9, 60, 3);
        await ledger.AddDifferencesAsync([Differs(page, 4, DifferenceKind.Altered), Differs(page, 4, DifferenceKind.Altered)], None);
        await ledger.RecordLooksAsync(
            [new PageLook(page, seen, [Differs(page, 1, DifferenceKind.Missing), Differs(page, 2, DifferenceKind.Twice)])],
            None
        );
        await ledger.RecordLooksAsync([new PageLook(page, null, [])], None);
        var folder = Assert.Single(await ledger.FoldersAsync(None));
        Assert.Equal(
            (1L, 1L, 1L, 3L, null),
            (folder.Counts.Missing, folder.Counts.Twice, folder.Counts.Altered, folder.Counts.Undecided, folder.Seen)
        );
        await ledger.RecordLooksAsync([new PageLook(page, seen, [Differs(page, 2, DifferenceKind.Twice)])], None);
        var left = await ledger.DifferencesAsync(None);
        Assert.Equal([DifferenceKind.Twice, DifferenceKind.Altered], left.Select(d => d.Difference.Kind).Order());
        await ledger.RemoveDifferencesAsync([left[0].Id], None);
        Assert.Single(await ledger.DifferencesAsync(None));
        Assert.Equal(1, Assert.Single(await ledger.FoldersAsync(None)).Counts.Undecided);
    }

    [Fact]
    public async Task A_refused_folder_stays_behind_as_one_item_until_it_is_tried_again()
    {
        var (ledger, page) = await OpenPageAsync();
        await ledger.LeaveFolderBehindAsync(page, NumberSet.OfRange(1, 5), new Fault(Cause.FolderRefused, "b", "no such name"), None);
        Assert.Equal([(page, 0u)], await LeftBehindAsync());
        Assert.Equal("1:5", (await ledger.SettledAsync(page, None)).ToString());
        Assert.True(Assert.Single(await ledger.FoldersAsync(None)).LeftWhole);
        await ledger.RetryFolderAsync(page, None);
        Assert.Empty(await LeftBehindAsync());
        Assert.Empty(await ledger.SettledAsync(page, None));
        var folder = Assert.Single(await ledger.FoldersAsync(None));
        Assert.Equal((false, true), (folder.LeftWhole, folder.Reopened));
    }

    [Fact]
    public async Task A_renamed_place_remembers_where_the_rules_had_sent_it()
    {
        var (ledger, page) = await OpenPageAsync();
        await ledger.RenamePlaceAsync(page, s_work, None);
        await ledger.RenamePlaceAsync(page, FolderPath.Of("Later"), None);
        var folder = Assert.Single(await ledger.FoldersAsync(None));
        Assert.Equal((FolderPath.Of("Later"), s_inbox), (folder.To, folder.RenamedFrom));
    }

    [Fact]
    public async Task Whoever_lost_the_lease_writes_nothing()
    {
        var (ledger, page) = await OpenPageAsync();
        await FillAsync(ledger, page);
        await LoseLeaseAsync();
        var before = await ToTextAsync(ledger);
        Func<Task>[] writes =
        [
            () => ledger.OpenAsync([new PageOpening(s_work, s_work, 7, 9, 1)], None),
            () => ledger.ForgetEntriesAsync(page, 8, 10, None),
            () => ledger.RenumberAsync(page, 11, None),
            () => ledger.RecordLooksAsync([new PageLook(page, null, [])], None),
            () => ledger.AddDifferencesAsync([Differs(page, 8, DifferenceKind.Altered)], None),
            () => ledger.RecordComparisonAsync(new ComparisonProgress(5, page, 1), None),
            () => ledger.RemoveDifferencesAsync([1], None),
            () => ledger.RecordAsync(page, [Carried(8, 58)], None),
            () => ledger.RecordKeysAsync(page, new Dictionary<uint, UInt128> { [8] = 8 }, None),
            () => ledger.RenamePlaceAsync(page, s_work, None),
            () => ledger.ReopenAsync(page, new NumberSet([1]), None),
            () => ledger.KeepUnclaimedAsync(page, [], new NumberSet([5]), None),
            () => ledger.LeaveBehindAsync(page, [Left(8)], None),
            () => ledger.LeaveFolderBehindAsync(page, new NumberSet([8]), Left(8).Fault, None),
            () => ledger.RetryFolderAsync(page, None),
            () => ledger.MarkGoneAsync(page, new NumberSet([1]), None),
            () => ledger.TransferAsync(page, new NumberSet([1]), page, [Carried(8, 58)], None),
            () => ledger.CompleteAsync([new PageEnd(page, new FolderCursor(7, 9, 9, 9), 9, null)], None),
        ];
        foreach (var write in writes)
            await Assert.ThrowsAsync<LeaseLostException>(write);
        Assert.Equal(before, await ToTextAsync(ledger));
    }

    /// <summary>
    /// All that the port tells of a ledger, so that two moments or two ledgers can be compared. Pages are counted from the first,
    /// differences
    /// are told without their own numbers: a store numbers those of all moves together.
    /// </summary>
    public static async Task<string> ToTextAsync(ILedger ledger, long first = 0)
    {
        var text = new StringBuilder();
        foreach (var page in (await ledger.FoldersAsync(None)).OrderBy(p => p.Id))
        {
            text.AppendLine($"{page with { Id = page.Id - first }}");
            text.AppendLine($"settled {await ledger.SettledAsync(page.Id, None)}");
            foreach (var entry in (await ledger.FindAsync(page.Id, NumberSet.OfRange(1, 200), None)).OrderBy(e => e.Number))
                text.AppendLine($"{entry.Number} {entry.Landed} {entry.Outcome} {entry.Flags.Written} {entry.Size}");
            foreach (var (number, key) in (await ledger.KeysAsync(page.Id, NumberSet.OfRange(1, 200), None)).OrderBy(k => k.Key))
                text.AppendLine($"{number} key {key}");
            foreach (var unclaimed in (await ledger.UnclaimedAsync(page.Id, None)).OrderBy(u => u.Number))
                text.AppendLine($"{unclaimed}");
            if (page is { To: { } to, ToEpoch: { } epoch })
                foreach (var landed in (await ledger.LandedAsync(to, epoch, None)).OrderBy(e => (e.Folder, e.Number)))
                    text.AppendLine($"{landed with { Folder = landed.Folder - first }}");
        }
        foreach (var known in (await ledger.DifferencesAsync(None)).OrderBy(d => d.Id))
            text.AppendLine($"{known.State} {known.Difference with { Folder = known.Difference.Folder - first }}");
        return text.ToString();
    }

    protected static LedgerEntry Carried(uint number, uint landed, string flags = "") =>
        new(number, landed, Outcome.Carried, FlagSet.Parse(flags)) { Size = new(number * 10) };

    protected static LeftBehindItem Left(uint number) =>
        new(number, new Fault(Cause.MessageTooLarge, "a", "too large"), new(10), DateTimeOffset.UnixEpoch, "subject", "sender");

    protected static Difference Differs(long page, uint number, DifferenceKind kind) =>
        new(page, number, number, kind, "differs", new(10), DateTimeOffset.UnixEpoch, "Tide", "desk");

    private async Task<(ILedger Ledger, long Page)> OpenPageAsync()
    {
        var ledger = await OpenAsync();
        return (ledger, (await ledger.OpenAsync([new PageOpening(s_inbox, s_inbox, 7, 9, 1) { Found = 5 }], None))[0].Id);
    }

    /// <summary>Something of everything that a page can hold.</summary>
    private static async Task FillAsync(ILedger ledger, long page)
    {
        await ledger.RecordAsync(page, [Carried(1, 50, "\\Seen"), Carried(2, 51)], None);
        await ledger.LeaveBehindAsync(page, [Left(3)], None);
        await ledger.RecordKeysAsync(page, new Dictionary<uint, UInt128> { [1] = 1 }, None);
        await ledger.KeepUnclaimedAsync(page, [new UnclaimedMessage(5, new(10), new Identity(5, true))], new NumberSet(), None);
        await ledger.AddDifferencesAsync([Differs(page, 1, DifferenceKind.Altered)], None);
        await ledger.CompleteAsync([new PageEnd(page, new FolderCursor(7, 4, 3, 3), 3, new Membership(9, 52, 2))], None);
    }
}
