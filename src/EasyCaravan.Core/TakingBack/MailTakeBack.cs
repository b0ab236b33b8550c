using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;

namespace EasyCaravan.Core.TakingBack;

/// <summary>
/// Removes from the to side the messages that a move carried there: those that the ledger names, that are octet for octet what the from
/// side has, and that nobody has changed. What was there before is never touched.
/// </summary>
/// <param name="isCheck">A dry run.</param>
public sealed class MailTakeBack(
    IMailAccounts accounts,
    ILedger ledger,
    ITakeBackRecord record,
    MailLegOrder order,
    bool isCheck,
    Tally tally,
    Action<string> journal
)
{
    /// <summary>Messages that are read on both sides before those that prove to be the same are removed.</summary>
    private const int StepMessages = 1_000;

    private static readonly ByteCount s_stepSize = new(64 * 1024 * 1024);

    /// <summary>Messages that this run removed, by place: what a dry run needs to know which folders would be empty.</summary>
    private readonly Dictionary<FolderPath, long> _removed = [];

    public async Task RunAsync(CancellationToken cancel)
    {
        await using var from = await accounts.OpenAsync(order.From.Service, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.To.Credentials, cancel);
        var folders = await to.ListFoldersAsync(cancel);
        var all = await RenamedPlaces.FollowAsync(await ledger.FoldersAsync(cancel), folders, ledger, journal, cancel);
        var pages = all.Where(p => p.To is not null).OrderBy(p => p.Id).ToList();
        tally.Expect(pages.Sum(p => p.Counts.Carried));
        var keepsKeywords = await to.KeepsKeywordsAsync(cancel) == true;
        var standing = folders.Where(f => f.Selectable).Select(f => (f.Path, f.Cursor?.Epoch)).ToHashSet();
        foreach (var page in pages)
        {
            tally.Folder = page.To!.ToString();
            await TakePageAsync(page, standing.Contains((page.To!, page.ToEpoch)), from, to, keepsKeywords, cancel);
        }
        await TakePlacesAsync(folders, [.. pages.Select(p => p.To!)], to, cancel);
    }

    private async Task TakePageAsync(
        LedgerFolder page,
        bool stands,
        IMailAccount from,
        IMailAccount to,
        bool keepsKeywords,
        CancellationToken cancel
    )
    {
        var known = await record.KnownAsync(page.Id, cancel);
        // A dry run that was broken off goes on, too.
        _removed[page.To!] = _removed.GetValueOrDefault(page.To!) + known.Values.Count(s => s is TakenBack.Removed);
        var left = (await record.CarriedAsync(page.Id, cancel))
            .Where(e => !known.TryGetValue(e.Number, out var state) || state is TakenBack.Intended)
            .ToList();
        var unknown = left.Where(e => e is { Landed: null, Gone: false }).Select(e => Kept(e.Number, KeptBecause.PlaceUnknown)).ToList();
        await RecordAsync(page, unknown, cancel);
        var landed = left.Where(e => e.Landed is not null).ToList();
        // The folder was deleted there, or is another one of the same name.
        if (!stands)
        {
            await RecordAsync(
                page,
                [.. landed.Where(e => !e.Gone || known.ContainsKey(e.Number)).Select(e => NotThere(e.Number, known))],
                cancel
            );
            return;
        }
        foreach (var step in Portions.Of(landed, e => e.Size, StepMessages, s_stepSize))
        {
            cancel.ThrowIfCancellationRequested();
            await TakeStepAsync(page, step, known, from, to, keepsKeywords, cancel);
        }
    }

    private async Task TakeStepAsync(
        LedgerFolder page,
        List<CarriedEntry> step,
        IReadOnlyDictionary<uint, TakenBack> known,
        IMailAccount from,
        IMailAccount to,
        bool keepsKeywords,
        CancellationToken cancel
    )
    {
        var comparison = new MessageComparison(from, to, order.Rules, order.RateLimiters, () => tally.Look(1));
        var verdicts = await comparison.JudgeAsync(
            page,
            [.. step.Select(e => new LedgerEntry(e.Number, e.Landed, Outcome.Carried, e.Flags) { Size = e.Size })],
            keepsKeywords,
            known.Keys.ToHashSet(),
            cancel
        );
        // One copy may stand for messages of several folders: then all of them have to be that message.
        var same = step.GroupBy(e => e.Landed!.Value)
            .Where(g => g.All(e => verdicts[e.Number] is CarriedIs.Same))
            .SelectMany(g => g)
            .ToList();
        var items = step.Except(same)
            // What its owner deleted on the old side, and is not on the new side either, was moved or deleted with it.
            .Where(e => !(e.Gone && verdicts[e.Number] is CarriedIs.NotThere && !known.ContainsKey(e.Number)))
            .Select(e =>
                verdicts[e.Number] is CarriedIs.NotThere ? NotThere(e.Number, known) : Kept(e.Number, BecauseOf(verdicts[e.Number]))
            )
            .ToList();
        items.AddRange(isCheck ? same.Select(e => new TakenItem(e.Number, TakenBack.Removed)) : await RemoveAsync(page, same, to, cancel));
        await RecordAsync(page, await WithTitlesAsync(page, step, items, to, cancel), cancel);
    }

    private async Task<List<TakenItem>> RemoveAsync(LedgerFolder page, List<CarriedEntry> same, IMailAccount to, CancellationToken cancel)
    {
        if (same.Count == 0)
            return [];
        await RecordAsync(page, [.. same.Select(e => new TakenItem(e.Number, TakenBack.Intended))], cancel);
        var numbers = new NumberSet(same.Select(e => e.Landed!.Value).Distinct().Order());
        KeptBecause? refused = null;
        try
        {
            if (!await to.RemoveMessagesAsync(page.To!, numbers, cancel))
                refused = KeptBecause.NotDeletable;
        }
        catch (FaultException e) when (e is { Verdict: Verdict.Keep, Fault.Action: not FaultAction.RetryLater })
        {
            journal($"the new side does not let messages be deleted from '{page.To}': {e.Fault.What}");
        }
        // What the server says it did is believed after looking.
        var there = await to.ListNumbersAsync(page.To!, cancel);
        return
        [
            .. same.Select(e =>
                there.Contains(e.Landed!.Value)
                    ? Kept(e.Number, refused ?? KeptBecause.StillThere)
                    : new TakenItem(e.Number, TakenBack.Removed)
            ),
        ];
    }

    private static TakenItem Kept(uint number, KeptBecause because) => new(number, TakenBack.Kept, because);

    private static TakenItem NotThere(uint number, IReadOnlyDictionary<uint, TakenBack> known) =>
        new(number, known.ContainsKey(number) ? TakenBack.Removed : TakenBack.NotThere);

    private static KeptBecause BecauseOf(CarriedIs verdict) =>
        verdict switch
        {
            CarriedIs.FlagsChanged => KeptBecause.FlagsChanged,
            CarriedIs.Unreadable => KeptBecause.Unreadable,
            CarriedIs.WithoutOriginal => KeptBecause.OriginalGone,
            // One of several messages for which the same copy stands.
            CarriedIs.Same or CarriedIs.Different or CarriedIs.NotThere => KeptBecause.Different,
        };

    private static async Task<List<TakenItem>> WithTitlesAsync(
        LedgerFolder page,
        List<CarriedEntry> step,
        List<TakenItem> items,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        var kept = items.Where(i => i.State is TakenBack.Kept).Select(i => i.Number).ToHashSet();
        if (kept.Count == 0)
            return items;
        var landed = step.Where(e => kept.Contains(e.Number)).ToDictionary(e => e.Number, e => e.Landed!.Value);
        var titles = new Dictionary<uint, string>();
        await to.ReadHeadersAsync(
            page.To!,
            new NumberSet(landed.Values.Distinct().Order()),
            h => titles[h.Number] = MessageLabel.Read(h.Header).Subject,
            cancel
        );
        return [.. items.Select(i => landed.TryGetValue(i.Number, out var at) ? i with { Title = titles.GetValueOrDefault(at) } : i)];
    }

    private async Task RecordAsync(LedgerFolder page, List<TakenItem> items, CancellationToken cancel)
    {
        if (items.Count == 0)
            return;
        await record.RecordAsync(page.To!.ToString(), page.Id, items, cancel);
        var removed = items.Count(i => i.State is TakenBack.Removed);
        if (!isCheck)
            tally.Remove(removed);
        _removed[page.To!] = _removed.GetValueOrDefault(page.To!) + removed;
    }

    /// <summary>Folders that the move made go if nothing is in them, the deepest first.</summary>
    /// <param name="landed">Folders in which something landed.</param>
    private async Task TakePlacesAsync(
        IReadOnlyList<FolderState> before,
        HashSet<FolderPath> landed,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        var made = await record.MadeAsync(cancel);
        if (made.Count == 0)
            return;
        var folders = (isCheck ? before : await to.ListFoldersAsync(cancel)).DistinctBy(f => f.Path).ToDictionary(f => f.Path);
        var ours = made.Where(m => m.As is MadeAs.Folder).Select(m => FolderPath.Parse(m.Place)).Where(p => !p.IsInbox);
        foreach (var path in ours.OrderByDescending(p => p.Names.Length).ThenBy(p => p.ToString(), StringComparer.Ordinal))
        {
            cancel.ThrowIfCancellationRequested();
            var state = await TakePlaceAsync(path, folders, to, cancel);
            if (state is TakenFolder.Removed)
                folders.Remove(path);
            // Of the folders above others, some services make none.
            if (state is not TakenFolder.NotThere || landed.Contains(path))
                await record.RecordFolderAsync(path.ToString(), state, cancel);
        }
        if (isCheck)
            return;
        foreach (var path in made.Where(m => m.As is MadeAs.Subscription).Select(m => FolderPath.Parse(m.Place)))
            if (folders.GetValueOrDefault(path) is { Subscribed: true })
                await to.UnsubscribeAsync(path, cancel);
    }

    private async Task<TakenFolder> TakePlaceAsync(
        FolderPath path,
        Dictionary<FolderPath, FolderState> folders,
        IMailAccount to,
        CancellationToken cancel
    )
    {
        if (!folders.TryGetValue(path, out var folder))
            return TakenFolder.NotThere;
        if (folders.Keys.Any(p => p.Names.Length > path.Names.Length && p.Names.Take(path.Names.Length).SequenceEqual(path.Names)))
            return TakenFolder.NotEmpty;
        if (isCheck)
            return (folder.Cursor?.Count ?? 0) <= _removed.GetValueOrDefault(path) ? TakenFolder.Removed : TakenFolder.NotEmpty;
        try
        {
            return await to.RemoveFolderAsync(path, cancel) ? TakenFolder.Removed : TakenFolder.NotEmpty;
        }
        catch (FaultException e) when (e is { Verdict: Verdict.Keep, Fault.Action: not FaultAction.RetryLater })
        {
            journal($"the folder '{path}' that was made on the new side cannot be deleted again: {e.Fault.What}");
            return TakenFolder.Refused;
        }
    }
}
