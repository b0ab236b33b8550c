using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Tests.Shared;

/// <summary>What every mail account promises of writing too.</summary>
public abstract class MailAccountContract : MailReadingContract
{
    private static readonly DateTimeOffset s_day = new(2020, 2, 29, 12, 0, 0, TimeSpan.FromHours(5.5));

    protected FolderPath Other => FolderPath.Of(Folder.Names[0], "Märzen & Söhne");

    [Fact]
    public async Task Folders_are_made_once_and_looked_at()
    {
        await using var account = await OpenAsync();
        NewFolder[] wanted = [new(Folder, SpecialUse.None, true), new(Other, SpecialUse.None, false)];
        var made = await account.CreateFoldersAsync(wanted, None);
        Assert.Equal([(1u, 0u, false), (1u, 0u, false)], made.Select(m => (m.Cursor.Next, m.Cursor.Count, m.WasThere)));
        var again = await account.CreateFoldersAsync(wanted, None);
        Assert.Equal(made.Select(m => m.Cursor.Epoch), again.Select(m => m.Cursor.Epoch));
        var listed = await account.ListFoldersAsync(None);
        Assert.Equal((true, true), (listed.Single(f => f.Path.Equals(Folder)).Subscribed, listed.Any(f => f.Path.Equals(Other))));
    }

    [Theory]
    [InlineData(1)]
    [InlineData(3)]
    [InlineData(100)]
    public async Task Messages_land_as_they_were_in_the_folders_they_were_meant_for(int batchSize)
    {
        await using var account = await OpenAsync();
        FolderPath[] folders = [Folder, Other];
        await account.CreateFoldersAsync([.. folders.Select(f => new NewFolder(f, SpecialUse.None, true))], None);
        var receipts = await AddAsync(account, folders, batchSize, 2 * Messages.Length, i => Messages[i % Messages.Length]);
        Assert.All(receipts, r => Assert.Null(r.Refused));
        Assert.Equal(Enumerable.Range(1, 2 * Messages.Length).Select(i => (uint)i), receipts.Select(r => r.Number).Order());
        for (var f = 0; f < folders.Length; f++)
        {
            var numbers = await account.ListNumbersAsync(folders[f], None);
            Assert.Equal(Messages, await ReadAsync(account, folders[f], numbers));
            var items = (await account.ListItemsAsync(folders[f], numbers, new Dictionary<uint, Fault>(), None)).OrderBy(i => i.Number);
            Assert.Equal(
                Enumerable.Range(f * Messages.Length, Messages.Length).Select(i => s_day.AddDays(i)),
                items.Select(i => i.Received)
            );
            Assert.All(items, i => Assert.Equal(["\\Seen"], i.Flags.Flags.Where(x => x != "\\Recent")));
            foreach (var receipt in receipts.Where(r => r.Folder == f && r.Landed is not null))
                Assert.Equal(numbers.ElementAt((int)(receipt.Number - 1) % Messages.Length), receipt.Landed!.Value.Number);
        }
    }

    [Fact]
    public async Task A_visit_changes_flags_and_lists_and_one_folder_that_is_not_there_stops_no_other()
    {
        await using var account = await OpenWithMessagesAsync();
        var numbers = await account.ListNumbersAsync(Folder, None);
        var second = numbers.ElementAt(1);
        var nowhere = FolderPath.Of("Nowhere at all");
        var seen = await account.VisitAsync(
            [
                new FolderVisit(nowhere, List: true),
                new FolderVisit(Folder, List: true)
                {
                    Subscribe = true,
                    Flags = [new FlagChange(new NumberSet([second]), FlagSet.Parse("\\Seen"), FlagSet.Parse("\\Flagged"))],
                },
            ],
            None
        );
        Assert.NotNull(seen[0].Refused);
        Assert.Null(seen[0].Numbers);
        Assert.Equal(numbers, seen[1].Numbers!);
        Assert.Null(seen[1].Refused);
        Assert.Equal([null], seen[1].FlagsRefused);
        var item = Assert.Single(await account.ListItemsAsync(Folder, new NumberSet([second]), new Dictionary<uint, Fault>(), None));
        Assert.Equal(["\\Answered", "\\Seen"], item.Flags.Flags.Where(f => f != "\\Recent").Order());
        await Assert.ThrowsAsync<FaultException>(() => account.ListNumbersAsync(nowhere, None));
        Assert.Equal(numbers, await account.ListNumbersAsync(Folder, None));
    }

    [Fact]
    public async Task Changes_since_a_cursor_are_what_came_what_went_and_whose_flags_changed()
    {
        await using var account = await OpenWithMessagesAsync();
        var since = await CursorAsync(account);
        var unchanged = (await account.ReadChangesAsync([new ChangeQuery(Folder, since, since)], None))[0]!;
        Assert.Equal((true, (uint)Messages.Length), (unchanged.Fresh.Count == 0, unchanged.Count));
        since = since with { Mark = since.Mark ?? unchanged.Digest };
        var known = await account.ListNumbersAsync(Folder, None);
        Assert.Equal(0, unchanged.GoneOf(known).Count);
        var (gone, flagged) = (known.First(), known.Last());
        await account.ChangeFlagsAsync(Folder, new NumberSet([flagged]), FlagSet.Parse("\\Draft"), FlagSet.Empty, None);
        var removed = await account.RemoveMessagesAsync(Folder, new NumberSet([gone]), None);
        await PutAsync("", s_day, Messages[1]);

        var now = await CursorAsync(account);
        var change = (await account.ReadChangesAsync([new ChangeQuery(Folder, since, now)], None))[0]!;
        Assert.Equal(removed ? [gone] : [], change.GoneOf(known));
        Assert.Contains("\\Draft", change.Flags.Single(f => f.Number == flagged).Flags.Flags);
        var fresh = Assert.Single(change.Fresh);
        Assert.True(fresh >= since.Next);
        Assert.All(change.Items, i => Assert.Equal((fresh, Messages[1].Length), (i.Number, i.Size.Count)));
        var renumbered = since with { Epoch = since.Epoch + 1 };
        Assert.Null((await account.ReadChangesAsync([new ChangeQuery(Folder, renumbered, now)], None))[0]);
    }

    [Fact]
    public async Task Messages_are_moved_and_removed_or_the_account_says_that_it_cannot_and_does_nothing()
    {
        await using var account = await OpenWithMessagesAsync();
        await account.CreateFoldersAsync([new NewFolder(Other, SpecialUse.None, false)], None);
        var numbers = await account.ListNumbersAsync(Folder, None);
        uint[] two = [numbers.First(), numbers.Last()];
        if (await account.MoveMessagesAsync(Folder, new NumberSet(two), Other, None) is { } places)
        {
            Assert.Equal(two, places.Keys.Order());
            Assert.Equal([Messages[0], Messages[^1]], await ReadAsync(account, Other, new NumberSet(places.Values)));
            Assert.Equal(numbers.Except(new NumberSet(two)), await account.ListNumbersAsync(Folder, None));
        }
        else
        {
            Assert.Equal(numbers, await account.ListNumbersAsync(Folder, None));
        }
        var before = await account.ListNumbersAsync(Folder, None);
        var one = new NumberSet([before.First()]);
        var after = await account.RemoveMessagesAsync(Folder, one, None) ? before.Except(one) : before;
        Assert.Equal(after, await account.ListNumbersAsync(Folder, None));
    }

    private async Task<FolderCursor> CursorAsync(IMailAccount account) =>
        (await account.ListFoldersAsync(None)).Single(f => f.Path.Equals(Folder)).Cursor!;

    /// <summary>Adds so many messages, numbered from 1, the first half of them to the first folder.</summary>
    protected static async Task<List<AddReceipt>> AddAsync(
        IMailAccount account,
        IReadOnlyList<FolderPath> folders,
        int batchSize,
        int count,
        Func<int, byte[]> octetsOf
    )
    {
        var writer = await account.AddMessagesAsync(folders, batchSize, None);
        var receipts = new List<AddReceipt>();
        for (var i = 0; i < count; i++)
        {
            var octets = octetsOf(i);
            var item = new ItemInfo((uint)i + 1, new(octets.Length), s_day.AddDays(i), FlagSet.Parse("\\Seen"));
            var first = Math.Min(octets.Length, 40);
            await writer.BeginAsync(i * folders.Count / count, item, new(octets.Length), octets.AsMemory(0, first), None);
            for (var at = first; at < octets.Length; at += 30_000)
                await writer.WriteAsync(octets.AsMemory(at, Math.Min(30_000, octets.Length - at)), None);
            receipts.AddRange(await writer.EndAsync(None));
        }
        receipts.AddRange(await writer.FinishAsync(None));
        return receipts;
    }

    protected static async Task<List<byte[]>> ReadAsync(IMailAccount account, FolderPath folder, NumberSet numbers)
    {
        var read = new SortedDictionary<uint, byte[]>();
        var reader = await account.ReadMessagesAsync([(folder, numbers)], None);
        while (await reader.NextAsync(None) is { } start)
        {
            using var octets = new MemoryStream();
            while (await reader.ReadAsync(None) is { Length: > 0 } piece)
                octets.Write(piece.Span);
            read.Add(start.Number, octets.ToArray());
        }
        return [.. read.Values];
    }
}
