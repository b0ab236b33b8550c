using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Tests.Shared;

/// <summary>What every ledger keeps of address books and calendars.</summary>
public abstract class CollectionLedgerContract
{
    private static readonly CancellationToken s_none = CancellationToken.None;

    private static readonly Href s_book = new("/old/a%40b/crew/");
    private static readonly Href s_there = new("/new/kept/");

    /// <summary>An empty ledger, and a page of it.</summary>
    protected abstract Task<(ICollectionLedger Ledger, long Page)> OpenAsync();

    /// <summary>How many pairs of forms are kept.</summary>
    protected abstract Task<int> FormsAsync();

    [Fact]
    public async Task A_page_comes_back_as_it_was_kept_and_is_replaced()
    {
        var (ledger, id) = await OpenAsync();
        Assert.Empty(await ledger.PagesAsync(s_none));
        var page = new CollectionPage(id, s_book, null, default, default);
        await ledger.KeepPageAsync(page, s_none);
        Assert.Equal(page, Assert.Single(await ledger.PagesAsync(s_none)));
        page = page with
        {
            To = s_there,
            FromMark = new CollectionMark(new SyncToken("https://dav.lanternpost.example/sync/7"), null),
            ToMark = new CollectionMark(null, "ctag-9"),
            HasStrangers = true,
            SchedulingIsOff = true,
        };
        await ledger.KeepPageAsync(page, s_none);
        Assert.Equal(page, Assert.Single(await ledger.PagesAsync(s_none)));
        Assert.Equal("/old/a%40b/crew/", (await ledger.PagesAsync(s_none))[0].From.ToString());
    }

    [Fact]
    public async Task Items_come_back_as_they_were_kept_wherever_they_are()
    {
        var (ledger, id) = await OpenAsync();
        await ledger.KeepPageAsync(new CollectionPage(id, s_book, s_there, default, default), s_none);
        CollectionItem[] items =
        [
            new(1, s_book.Item("a b.vcf")),
            new(2, s_book.Item("same.vcf"), ulong.MaxValue, 1UL << 63, s_there.Item("same.vcf"), new ETag("W/\"x\""), 5)
            {
                Shapings = ItemShapings.MissingUid | ItemShapings.ScheduleAgent,
            },
            .. new[] { "\"0aff\"", "\"0AFF\"", "\"abc\"", "\"\"", "x" }.Select(
                (tag, i) => new CollectionItem((uint)i + 10, s_book.Item($"{i}.vcf"), 1, 1, s_there.Item($"{i}.vcf"), new ETag(tag), 1)
            ),
            new(30, new Href("/old/elsewhere/c.vcf"), 0, 0, new Href("/new/other/d.vcf"), new ETag("\"1\""), 0) { IsForeign = true },
        ];
        await ledger.KeepItemsAsync(id, items, s_none);
        Assert.Equal(items, (await ledger.ItemsAsync(id, s_none)).OrderBy(i => i.Number));
        var moved = items[0] with { To = s_there.Item("a b-2.vcf") };
        await ledger.KeepItemsAsync(id, [moved], s_none);
        Assert.Equal(moved, (await ledger.ItemsAsync(id, s_none)).Single(i => i.Number == 1));
        // As its service writes it: in no other way may it be asked for.
        Assert.Equal("/old/a%40b/crew/same.vcf", (await ledger.ItemsAsync(id, s_none)).Single(i => i.Number == 2).From.ToString());
    }

    [Fact]
    public async Task Forms_are_kept_until_the_item_is_settled_again()
    {
        var (ledger, id) = await OpenAsync();
        await ledger.KeepPageAsync(new CollectionPage(id, s_book, s_there, default, default), s_none);
        CollectionItem[] items = [new(1, s_book.Item("a.vcf")), new(2, s_book.Item("b.vcf"))];
        await ledger.KeepItemsAsync(id, items, s_none);
        await ledger.KeepFormsAsync(id, [new(1, new byte[] { 1 }, new byte[] { 2 }), new(2, new byte[] { 3 }, null)], s_none);
        await ledger.KeepFormsAsync(id, [new(1, new byte[] { 1, 1 }, null)], s_none);
        Assert.Equal(2, await FormsAsync());
        await ledger.KeepItemsAsync(id, [items[1]], s_none);
        Assert.Equal(1, await FormsAsync());
    }
}
