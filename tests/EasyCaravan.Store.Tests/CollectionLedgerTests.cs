using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Tests.Shared;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store.Tests;

/// <summary>Address books and calendars in the store's ledger.</summary>
public sealed class CollectionLedgerTests : CollectionLedgerContract, IAsyncLifetime
{
    private TestDatabase _test = null!;
    private MoveStore _store = null!;

    public async ValueTask InitializeAsync()
    {
        _test = await TestDatabase.OpenAsync();
        _store = new MoveStore(_test.Database, TimeProvider.System);
    }

    public ValueTask DisposeAsync() => _test.DisposeAsync();

    protected override async Task<(ICollectionLedger Ledger, long Page)> OpenAsync()
    {
        var (claim, page) = await OpenPageAsync();
        return (_store.CollectionsOf(claim, Kind.Mail), page);
    }

    protected override async Task<int> FormsAsync()
    {
        await using var db = _test.Database.Read();
        return await db.ItemForms.CountAsync();
    }

    [Fact]
    public async Task Whoever_lost_the_lease_changes_nothing()
    {
        var (claim, page) = await OpenPageAsync();
        var ledger = _store.CollectionsOf(claim, Kind.Mail);
        await ledger.KeepPageAsync(new CollectionPage(page, new Href("/old/a/"), null, default, default), CancellationToken.None);
        await _store.ReleaseAsync("one", CancellationToken.None);
        Assert.NotNull(await _store.ClaimAsync("two", ScheduleRules.None, CancellationToken.None));
        await Assert.ThrowsAsync<LeaseLostException>(() =>
            ledger.KeepItemsAsync(page, [new(1, new Href("/old/a/1.vcf"))], CancellationToken.None)
        );
        Assert.Empty(await ledger.ItemsAsync(page, CancellationToken.None));
    }

    [Fact]
    public async Task An_item_costs_few_octets()
    {
        const int Items = 20_000;
        var (claim, page) = await OpenPageAsync();
        var (ledger, kept) = (_store.LedgerOf(claim, Kind.Mail), _store.CollectionsOf(claim, Kind.Mail));
        var (book, there) = (new Href("/dav/addressbooks/user/a/Default/"), new Href("/a%40b/book/"));
        await kept.KeepPageAsync(new CollectionPage(page, book, there, default, default), CancellationToken.None);
        var before = await SizeAsync();
        foreach (var some in Enumerable.Range(1, Items).Chunk(1000))
        {
            await kept.KeepItemsAsync(
                page,
                [
                    .. some.Select(i =>
                    {
                        var name = $"{Guid.NewGuid()}.vcf";
                        var tag = new ETag($"\"{Guid.NewGuid():N}\"");
                        return new CollectionItem(
                            (uint)i,
                            book.Item(name),
                            (ulong)i << 40,
                            (ulong)i << 41,
                            there.Item(name),
                            tag,
                            (ulong)i << 42
                        );
                    }),
                ],
                CancellationToken.None
            );
            await ledger.RecordAsync(
                page,
                [.. some.Select(i => new LedgerEntry((uint)i, (uint)i, Outcome.Carried, FlagSet.Empty) { Size = new ByteCount(1000) })],
                CancellationToken.None
            );
        }
        Assert.InRange((await SizeAsync() - before) / (double)Items, 1, 160);
    }

    private async Task<long> SizeAsync()
    {
        await using var db = _test.Database.Read();
        return await db
            .Database.SqlQueryRaw<long>("SELECT page_count * page_size AS Value FROM pragma_page_count, pragma_page_size")
            .SingleAsync();
    }

    private async Task<(Claim Claim, long Page)> OpenPageAsync()
    {
        await _test.AddMoveAsync("a");
        var claim = (await _store.ClaimAsync("one", ScheduleRules.None, CancellationToken.None))!;
        var opening = new PageOpening(FolderPath.Of("Crew"), FolderPath.Of("Crew"), 1, 1, 1);
        return (claim, (await _store.LedgerOf(claim, Kind.Mail).OpenAsync([opening], CancellationToken.None))[0].Id);
    }
}
