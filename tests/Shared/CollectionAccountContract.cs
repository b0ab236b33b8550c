using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Tests.Shared;

/// <summary>What every account of address books or calendars has to do, whatever stands behind it.</summary>
public abstract class CollectionAccountContract
{
    protected abstract Kind Kind { get; }

    protected abstract Task<ICollectionAccount> OpenAsync();

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    [Fact]
    public async Task A_collection_is_made_listed_and_removed()
    {
        await using var account = await OpenAsync();
        var before = await account.ListAsync(Cancel);
        var made = await account.MakeAsync("crew-list", new CollectionProperties("Crew & déck"), Cancel);
        Assert.Equal(("Crew & déck", CollectionStanding.Own), (made.Title, made.Standing));
        var after = await account.ListAsync(Cancel);
        Assert.Equal(before.Count + 1, after.Count);
        Assert.Contains(made.Href, after.Select(c => c.Href));
        await account.RemoveCollectionAsync(made.Href, Cancel);
        Assert.DoesNotContain(made.Href, (await account.ListAsync(Cancel)).Select(c => c.Href));
    }

    [Fact]
    public async Task An_item_is_written_only_where_it_is_expected()
    {
        await using var account = await OpenAsync();
        var book = await MakeAsync(account);
        var item = book.Href.Item("one" + Suffix);
        Assert.IsType<ItemWrite.Taken>(await account.AddAsync(item, Item("one", "First"), Cancel));
        Assert.IsType<ItemWrite.NotAsExpected>(await account.AddAsync(item, Item("one", "Again"), Cancel));
        var first = Assert.Single(await ReadAsync(account, book, [item]));
        Assert.Contains("First", Text(first), StringComparison.Ordinal);
        Assert.IsType<ItemWrite.Taken>(await account.ReplaceAsync(item, first.Tag!.Value, Item("one", "Second"), Cancel));
        Assert.IsType<ItemWrite.NotAsExpected>(await account.ReplaceAsync(item, first.Tag.Value, Item("one", "Third"), Cancel));
        var second = Assert.Single(await ReadAsync(account, book, [item]));
        Assert.Contains("Second", Text(second), StringComparison.Ordinal);
        Assert.IsType<ItemWrite.NotAsExpected>(await account.RemoveAsync(item, first.Tag.Value, Cancel));
        Assert.IsType<ItemWrite.Taken>(await account.RemoveAsync(item, second.Tag!.Value, Cancel));
        Assert.Empty(await ReadAsync(account, book, [item]));
        Assert.IsType<ItemWrite.Taken>(await account.RemoveAsync(item, second.Tag.Value, Cancel));
    }

    [Fact]
    public async Task Changes_are_told_since_a_token_and_an_unknown_one_gives_everything()
    {
        await using var account = await OpenAsync();
        var book = await MakeAsync(account);
        var (a, b, c) = (book.Href.Item("a" + Suffix), book.Href.Item("b" + Suffix), book.Href.Item("c" + Suffix));
        await account.AddAsync(a, Item("a", "A"), Cancel);
        await account.AddAsync(b, Item("b", "B"), Cancel);
        book = await LookAsync(account, book);
        Assert.True(book.Mark.IsSame((await LookAsync(account, book)).Mark));
        var all = await account.ReadChangesAsync(book, null, Cancel);
        Assert.True(all.IsWhole);
        Assert.Equal(Sorted(a, b), Sorted([.. all.There.Select(i => i.Href)]));
        await account.RemoveAsync(a, all.There.First(i => i.Href == a).Tag!.Value, Cancel);
        await account.AddAsync(c, Item("c", "C"), Cancel);
        Assert.False(book.Mark.IsSame((await LookAsync(account, book)).Mark));
        var changes = await account.ReadChangesAsync(book, all.Mark.Token, Cancel);
        Assert.Equal((Sorted(c), Sorted(a)), (Sorted([.. changes.There.Select(i => i.Href)]), Sorted([.. changes.Gone])));
        var whole = await account.ReadChangesAsync(book, new SyncToken("https://saltmarsh.example/of-nobody"), Cancel);
        Assert.True(whole.IsWhole);
        Assert.Equal(Sorted(b, c), Sorted([.. whole.There.Select(i => i.Href)]));
    }

    [Fact]
    public async Task Many_items_are_read_at_once_and_those_that_are_gone_are_left_out()
    {
        await using var account = await OpenAsync();
        var book = await MakeAsync(account);
        var names = Enumerable.Range(0, 110).Select(i => $"Tide no. {i} + ü{Suffix}").ToList();
        foreach (var name in names)
            Assert.IsType<ItemWrite.Taken>(await account.AddAsync(book.Href.Item(name), Item($"u{name}", name), Cancel));
        var tags = (await account.ReadChangesAsync(book, null, Cancel)).There.ToDictionary(i => i.Href, i => i.Tag);
        var read = await ReadAsync(account, book, [.. names.Append("gone" + Suffix).Select(book.Href.Item)]);
        Assert.Equal(Sorted([.. names.Select(book.Href.Item)]), Sorted([.. read.Select(i => i.Href)]));
        Assert.All(read, item => Assert.Equal(tags[item.Href], item.Tag));
        Assert.All(read, item =>
            Assert.Contains(item.Href.Name, Text(item).Replace("\r\n ", "", StringComparison.Ordinal), StringComparison.Ordinal)
        );
    }

    [Fact]
    public async Task What_is_refused_is_told_with_a_reason_and_nothing_is_stored()
    {
        await using var account = await OpenAsync();
        var book = await MakeAsync(account);
        var write = await account.AddAsync(book.Href.Item("bad" + Suffix), "This is no object at all.\r\n"u8.ToArray(), Cancel);
        var refused = Assert.IsType<ItemWrite.Refused>(write);
        Assert.Equal((Cause.ItemRefused, true), (refused.Fault.Cause, refused.Fault.What.Length > 10));
        Assert.Empty((await account.ReadChangesAsync(await LookAsync(account, book), null, Cancel)).There);
    }

    protected string Suffix => Kind is Kind.Contacts ? ".vcf" : ".ics";

    protected static string Text(StoredItem item) => Encoding.UTF8.GetString(item.Octets.Span);

    protected static async Task<List<StoredItem>> ReadAsync(
        ICollectionAccount account,
        CollectionState book,
        IReadOnlyCollection<Href> items
    )
    {
        var read = new List<StoredItem>();
        var unreadable = new Dictionary<Href, Fault>();
        await account.ReadItemsAsync(
            book,
            items,
            (item, _) =>
            {
                read.Add(item);
                return ValueTask.CompletedTask;
            },
            unreadable,
            Cancel
        );
        Assert.Empty(unreadable);
        return read;
    }

    protected static Task<CollectionState> MakeAsync(ICollectionAccount account) =>
        account.MakeAsync($"b{Guid.NewGuid():N}", new CollectionProperties("Book"), Cancel);

    private static async Task<CollectionState> LookAsync(ICollectionAccount account, CollectionState book) =>
        (await account.ListAsync(Cancel)).Single(c => c.Href == book.Href);

    private static string Sorted(params Href[] items) => string.Join(' ', items.Select(i => i.Name).Order(StringComparer.Ordinal));

    protected byte[] Item(string uid, string name) =>
        Encoding.UTF8.GetBytes(
            Kind is Kind.Contacts
                ? $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:{uid}\r\nFN:{name}\r\nN:{name};;;;\r\nEND:VCARD\r\n"
                : "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Saltmarsh Ferries//Timetable//EN\r\nBEGIN:VEVENT\r\n"
                    + $"UID:{uid}\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20270212T180000Z\r\nDTEND:20270212T190000Z\r\n"
                    + $"SUMMARY:{name}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        );
}
