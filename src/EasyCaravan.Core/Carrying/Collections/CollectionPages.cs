using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>Opens a page of the ledger for each address book or calendar, and makes the collections in which they land.</summary>
internal sealed class CollectionPages(
    CollectionLegOrder order,
    ICollectionAccount to,
    ILedger ledger,
    ICollectionLedger kept,
    Action<string> journal
)
{
    public async Task<IReadOnlyList<CollectionWork>> OpenAsync(
        IReadOnlyList<CollectionState> fromStates,
        IReadOnlyList<CollectionState> toStates,
        CancellationToken cancel
    )
    {
        var pages = (await ledger.FoldersAsync(cancel)).ToDictionary(p => p.Id);
        var all = (await kept.PagesAsync(cancel)).Where(p => pages.ContainsKey(p.Folder)).OrderBy(p => p.Folder).ToList();
        var known = all.Where(p => p.To is not null).GroupBy(p => p.From).ToDictionary(g => g.Key, g => g.Last().To!.Value);
        var works = new List<CollectionWork>();
        foreach (var landing in CollectionMap.Draw(order.Rules, fromStates, toStates, known))
        {
            var place = landing.To;
            // Another rule may have sent another one there in this very pass.
            if (place is null && landing.Title is { } title)
                place = works.Select(w => w.To).OfType<CollectionState>().FirstOrDefault(c => c.Title == title);
            var isMadeNow = place is null && landing.Title is not null;
            string? lost = null;
            if (isMadeNow)
                (place, lost) = await MakeAsync(landing, toStates, cancel);
            var page = all.Find(p => p.From == landing.From.Href && p.To == place?.Href);
            foreach (var earlier in all.Where(p => p.From == landing.From.Href && p.Folder != page?.Folder))
                await StrikeOutAsync(pages[earlier.Folder], cancel);
            works.Add(
                page is null
                    ? await OpenAsync(landing, place, isMadeNow, lost, pages.Values, cancel)
                    : new CollectionWork(pages[page.Folder], page, landing.From, place, isMadeNow)
            );
        }
        var there = fromStates.Select(c => c.Href).ToHashSet();
        foreach (var gone in all.Where(p => !there.Contains(p.From)))
            await MarkGoneAsync(pages[gone.Folder], cancel);
        return works;
    }

    private async Task<CollectionWork> OpenAsync(
        CollectionLanding landing,
        CollectionState? place,
        bool isMadeNow,
        string? lost,
        IEnumerable<LedgerFolder> pages,
        CancellationToken cancel
    )
    {
        var to = landing.Title is { } title ? FolderPath.Of(title) : null;
        var from = FolderPath.Of(landing.From.Title);
        // Two of one name are two pages.
        if (pages.Any(p => p.From.Equals(from) && Equals(p.To, to)))
            from = FolderPath.Of($"{landing.From.Title} ({landing.From.Href.Name})");
        var page = (await ledger.OpenAsync([new PageOpening(from, to, FromEpoch: 1, ToEpoch: 1, ToBaseNext: 1)], cancel))[0];
        var known = new CollectionPage(page.Id, landing.From.Href, place?.Href, default, default, HasStrangers: !isMadeNow) { Lost = lost };
        await kept.KeepPageAsync(known, cancel);
        return new CollectionWork(page, known, landing.From, place, isMadeNow);
    }

    /// <summary>What the service does not keep of a collection's properties is told, because nobody would notice it otherwise.</summary>
    private async Task<(CollectionState Made, string? Lost)> MakeAsync(
        CollectionLanding landing,
        IReadOnlyList<CollectionState> toStates,
        CancellationToken cancel
    )
    {
        var name = landing.From.Href.Name;
        if (name.Length is 0 or > 100 || toStates.Any(c => c.Href.Name.Equals(name, StringComparison.OrdinalIgnoreCase)))
            name = Guid.NewGuid().ToString("N");
        var wanted = landing.From.Properties with { Name = landing.Title };
        // The service may choose another address: noted by what is asked for before it is made, and by what it has become afterwards.
        var asked = new MadePlace(name, MadeAs.Folder);
        await ledger.NoteMadeAsync([asked], cancel);
        var made = await to.MakeAsync(name, wanted, cancel);
        await ledger.NoteMadeAsync([new MadePlace(made.Href.ToString(), MadeAs.Folder)], cancel);
        await ledger.ForgetMadeAsync(asked, cancel);
        if (Lost(wanted, made.Properties) is not { Count: > 0 } lost)
            return (made, null);
        var words = string.Join(", ", lost);
        journal($"the {order.Word} '{landing.Title}' was made on the new side, which does not keep its {words}");
        return (made, words);
    }

    private static List<string> Lost(CollectionProperties wanted, CollectionProperties kept)
    {
        var lost = new List<string>();
        void Compare(string word, object? before, object? after)
        {
            if (before is not null && !before.Equals(after))
                lost.Add(word);
        }
        Compare("name", wanted.Name, kept.Name);
        Compare("description", wanted.Description, kept.Description);
        Compare("colour", wanted.Colour, kept.Colour);
        Compare("order", wanted.Order, kept.Order);
        Compare("time zone", wanted.TimeZone?.ReplaceLineEndings(), kept.TimeZone?.ReplaceLineEndings());
        Compare("transparency", wanted.IsTransparent is true ? true : null, kept.IsTransparent);
        if (!wanted.Components.IsEmpty && !kept.Components.IsEmpty && wanted.Components.Except(kept.Components).Any())
            lost.Add($"components ({string.Join(", ", wanted.Components.Except(kept.Components))})");
        return lost;
    }

    /// <summary>The collection lands elsewhere now, so that this page counts nothing any more. What it carried stays where it is.</summary>
    private async Task StrikeOutAsync(LedgerFolder page, CancellationToken cancel)
    {
        if (page.Cursor is null or { Count: 0 } && page.Counts == FolderCounts.Zero)
            return;
        await ledger.ForgetEntriesAsync(page.Id, 1, 1, cancel);
        await ledger.CompleteAsync([new PageEnd(page.Id, new FolderCursor(1, 1, null, 0), 0, null)], cancel);
    }

    private async Task MarkGoneAsync(LedgerFolder page, CancellationToken cancel)
    {
        var settled = await ledger.SettledAsync(page.Id, cancel);
        if (settled.Count == 0)
            return;
        await ledger.MarkGoneAsync(page.Id, settled, cancel);
        await ledger.CompleteAsync([new PageEnd(page.Id, new FolderCursor(1, settled.Ranges[^1].Last + 1, null, 0), 0, null)], cancel);
        journal($"the {order.Word} '{page.From}' was deleted on the old side; what it held stays on the new side");
    }
}
