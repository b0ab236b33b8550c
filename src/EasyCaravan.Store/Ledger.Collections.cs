using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>Address books and calendars: where their items are on both sides, and in which state.</summary>
internal sealed partial class Ledger : ICollectionLedger
{
    public async Task<IReadOnlyList<CollectionPage>> PagesAsync(CancellationToken cancel)
    {
        await using var db = database.Read();
        var rows = await (
            from page in db.CollectionPages
            join folder in db.LedgerFolders on page.FolderId equals folder.Id
            where folder.MoveId == Move && folder.Kind == kind
            orderby page.FolderId
            select page
        ).ToListAsync(cancel);
        return rows.ConvertAll(row => new CollectionPage(
            row.FolderId,
            new Href(row.From),
            row.To is null ? null : new Href(row.To),
            new CollectionMark(row.FromToken is null ? null : new SyncToken(row.FromToken), row.FromTag),
            new CollectionMark(row.ToToken is null ? null : new SyncToken(row.ToToken), row.ToTag),
            row.HasStrangers,
            row.SchedulingIsOff
        )
        {
            Lost = row.Lost,
        });
    }

    public Task KeepPageAsync(CollectionPage page, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var row = await db.CollectionPages.AsTracking().FirstOrDefaultAsync(p => p.FolderId == page.Folder, cancel);
                if (row is null)
                    db.CollectionPages.Add(row = new CollectionPageRow { FolderId = page.Folder, From = "" });
                (row.From, row.To) = (page.From.ToString(), page.To?.ToString());
                (row.FromToken, row.FromTag) = (page.FromMark.Token?.Value, page.FromMark.Tag);
                (row.ToToken, row.ToTag) = (page.ToMark.Token?.Value, page.ToMark.Tag);
                (row.HasStrangers, row.SchedulingIsOff, row.Lost) = (page.HasStrangers, page.SchedulingIsOff, page.Lost);
                await db.SaveChangesAsync(cancel);
                return true;
            },
            cancel
        );

    public async Task<IReadOnlyList<CollectionItem>> ItemsAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        if (await db.CollectionPages.FirstOrDefaultAsync(p => p.FolderId == folder, cancel) is not { } page)
            return [];
        var items = new List<CollectionItem>();
        await foreach (var row in db.CollectionItems.Where(i => i.FolderId == folder).AsAsyncEnumerable().WithCancellation(cancel))
            items.Add(
                new CollectionItem(
                    (uint)row.Number,
                    Whole(row.From, page.From),
                    (ulong?)row.FromTag,
                    (ulong?)row.FromDigest,
                    row.To is not { } to ? null : Whole(to.Length == 0 ? row.From : to, page.To ?? ""),
                    row.ToTag is null ? null : PackedTag.Unpack(row.ToTag),
                    (ulong?)row.ToDigest
                )
                {
                    Shapings = row.Shapings,
                    IsForeign = row.IsForeign,
                }
            );
        return items;
    }

    public Task KeepItemsAsync(long folder, IReadOnlyCollection<CollectionItem> items, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var page = await db.CollectionPages.FirstAsync(p => p.FolderId == folder, cancel);
                foreach (var item in items)
                {
                    var from = Short(item.From, page.From);
                    var to = item.To is { } place ? Short(place, page.To ?? "") : null;
                    if (to == from)
                        to = "";
                    var tag = item.ToTag is { } told ? PackedTag.Pack(told) : null;
                    await db.Database.ExecuteSqlAsync(
                        $"""
                        INSERT INTO collection_items
                        (folder_id, number, from_path, from_tag, from_digest, to_path, to_tag, to_digest, shapings, is_foreign)
                        VALUES ({folder}, {(long)item.Number}, {from}, {(long?)item.FromTag}, {(long?)item.FromDigest},
                        {to}, {tag}, {(long?)item.ToDigest}, {(int)item.Shapings}, {item.IsForeign})
                        ON CONFLICT (folder_id, number) DO UPDATE SET from_path = excluded.from_path, from_tag = excluded.from_tag,
                        from_digest = excluded.from_digest, to_path = excluded.to_path, to_tag = excluded.to_tag,
                        to_digest = excluded.to_digest, shapings = excluded.shapings, is_foreign = excluded.is_foreign
                        """,
                        cancel
                    );
                }
                var numbers = items.Select(i => (long)i.Number).ToList();
                await db.ItemForms.Where(f => f.FolderId == folder && numbers.Contains(f.Number)).ExecuteDeleteAsync(cancel);
                return true;
            },
            cancel
        );

    public Task ForgetItemsAsync(long folder, IReadOnlyCollection<uint> numbers, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var all = numbers.Select(n => (long)n).ToList();
                await db.ItemForms.Where(f => f.FolderId == folder && all.Contains(f.Number)).ExecuteDeleteAsync(cancel);
                await db.CollectionItems.Where(i => i.FolderId == folder && all.Contains(i.Number)).ExecuteDeleteAsync(cancel);
                return true;
            },
            cancel
        );

    public async Task<IReadOnlyDictionary<uint, VersionChoice>> ChoicesAsync(long folder, CancellationToken cancel)
    {
        await using var db = database.Read();
        return await db
            .LeftBehind.Where(i => i.FolderId == folder && i.State == LeftBehindState.Retry && i.Choice != null)
            .ToDictionaryAsync(i => (uint)i.Number, i => i.Choice!.Value, cancel);
    }

    public Task KeepFormsAsync(long folder, IReadOnlyCollection<ItemForms> forms, CancellationToken cancel) =>
        WriteAsync(
            async db =>
            {
                var numbers = forms.Select(f => (long)f.Number).ToList();
                await db.ItemForms.Where(f => f.FolderId == folder && numbers.Contains(f.Number)).ExecuteDeleteAsync(cancel);
                db.ItemForms.AddRange(
                    forms.Select(f => new ItemFormsRow
                    {
                        FolderId = folder,
                        Number = f.Number,
                        Before = f.Before.ToArray(),
                        After = f.After?.ToArray(),
                    })
                );
                await db.SaveChangesAsync(cancel);
                return true;
            },
            cancel
        );

    private static Href Whole(string path, string collection) => new(path.StartsWith('/') ? path : $"{collection.TrimEnd('/')}/{path}");

    /// <summary>Thousands of items share the collection's path.</summary>
    private static string Short(Href item, string collection)
    {
        var (path, above) = (item.ToString(), $"{collection.TrimEnd('/')}/");
        return path.StartsWith(above, StringComparison.Ordinal) && path.Length > above.Length ? path[above.Length..] : path;
    }
}
