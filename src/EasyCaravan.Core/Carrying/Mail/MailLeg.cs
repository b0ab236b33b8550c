using System.Collections.Concurrent;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>The mail of one move: looks at both sides, draws the folder map and carries each folder that changed.</summary>
/// <remarks>
/// A leg may be stopped or die at any moment. The next pass finds in the ledger what is settled, and on the to side what arrived
/// without having been noted, so that it never starts from nothing and never carries twice.
/// </remarks>
public sealed class MailLeg(IMailAccounts accounts, ILedger ledger, MailLegOrder order, Tally tally, Action<string> journal)
{
    /// <summary>Messages for which another pair of connections is opened.</summary>
    private const long WorthALane = 1_000;

    /// <summary>Folders of which dates and flags are compared too when messages are read back.</summary>
    private const int PagesWithIndex = 3;

    /// <summary>Messages of each folder whose headers are looked through after a try that was broken off.</summary>
    private const int HeadersOfEarlierTry = 5_000;

    private readonly ReadBackSample _sample = new();
    private readonly List<(LedgerFolder Page, NumberSet Settled)> _earlierTry = [];

    /// <summary>Null in a first pass: nothing can have come by itself that it has to know.</summary>
    private Arrivals? _arrivals;

    /// <summary>Folders are copied for the first time, or anew.</summary>
    private bool _isFirstLook;

    /// <exception cref="FaultException">The pass could not be completed. What is settled is in the ledger.</exception>
    /// <exception cref="LeaseLostException">Another worker has the move.</exception>
    public async Task RunAsync(CancellationToken cancel)
    {
        await using var from = await accounts.OpenAsync(order.From.Service, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.To.Credentials, cancel);
        var check = new DestinationCheck(from, to, ledger, order.Rules.OldSide is OldSide.DeleteAfterProof, tally, journal)
        {
            IsForwarded = order.IsForwarded,
        };
        var (work, multiFolder) = await ListAsync(from, to, check, cancel);
        var isChanged = !work.IsEmpty;
        if (isChanged)
            await RunLanesAsync(from, to, work, multiFolder, cancel);
        await ReadBackEarlierTryAsync(from, to, cancel);
        // After a first copy, check the destination before the copy is reported. What later passes add is checked by the listing of the
        // next pass.
        if (isChanged && _isFirstLook)
        {
            await ReadBackAsync(_sample, from, to, cancel);
            await check.CheckAsync(await CompletePagesAsync(cancel), await to.ListFoldersAsync(cancel), cancel);
        }
        await check.DropGoneAsync(cancel);
        if (order.Rules.OldSide is OldSide.DeleteAfterProof)
            await new DeleteAfterVerify(from, to, ledger, order, tally, journal).DeleteAsync(cancel);
    }

    private async Task RunLanesAsync(
        IMailAccount from,
        IMailAccount to,
        ConcurrentQueue<FolderBatch> work,
        MultiFolderMessages? multiFolder,
        CancellationToken cancel
    )
    {
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        // Messages in several folders are recognised only if the folders are done one after the other. For a few messages, a second sign-in
        // would take longer than it saves.
        var most = multiFolder is null ? Math.Min(Math.Min(order.Lanes, work.Count), 1 + (int)(work.Sum(l => l.Messages) / WorthALane)) : 1;
        var lanes = new List<Task> { RunLaneAsync(from, to, work, multiFolder, stop) };
        for (var i = 1; i < most; i++)
            lanes.Add(RunSecondLaneAsync(work, stop));
        // The first failure stops the others; awaiting them all leaves no connection in use behind.
        await Task.WhenAll(lanes).ContinueWith(_ => { }, CancellationToken.None, TaskContinuationOptions.None, TaskScheduler.Default);
        var failures = lanes.Where(l => l.IsFaulted).SelectMany(l => l.Exception!.InnerExceptions).ToList();
        var decisive = failures.OfType<LeaseLostException>().FirstOrDefault()
            ?? failures.OfType<FaultException>().OrderByDescending(f => f.Fault.Action == FaultAction.AskPerson).FirstOrDefault()
            ?? failures.FirstOrDefault();
        if (decisive is not null)
            System.Runtime.ExceptionServices.ExceptionDispatchInfo.Throw(decisive);
        cancel.ThrowIfCancellationRequested();
    }

    /// <summary>What an earlier try of the first pass copied before it was broken off.</summary>
    private async Task FindEarlierTryAsync(
        IEnumerable<LedgerFolder> pages,
        IReadOnlyList<FolderState> fromFolders,
        IReadOnlyList<FolderState> toFolders,
        CancellationToken cancel
    )
    {
        if (!order.IsFirst)
            return;
        var here = fromFolders.Select(f => (f.Path, f.Cursor?.Epoch)).ToHashSet();
        var there = toFolders.Select(f => (f.Path, f.Cursor?.Epoch)).ToHashSet();
        foreach (
            var page in pages.Where(p => p.To is not null && here.Contains((p.From, p.FromEpoch)) && there.Contains((p.To, p.ToEpoch)))
        )
        {
            // Only the last ones of each folder: all of them would be too many for each try.
            if ((await ledger.SettledAsync(page.Id, cancel)).Slices(HeadersOfEarlierTry).LastOrDefault() is not { } settled)
                continue;
            _earlierTry.Add((page, settled));
        }
    }

    /// <summary>
    /// The earlier try was broken off before its read-back: the headers of what it copied decide what is read back. This comes after the
    /// copying, so that a connection which breaks here again does not keep the rest from being copied.
    /// </summary>
    private async Task ReadBackEarlierTryAsync(IMailAccount from, IMailAccount to, CancellationToken cancel)
    {
        if (_earlierTry.Count == 0)
            return;
        var sample = new ReadBackSample();
        await from.ReadHeadersAsync(
            [.. _earlierTry.Select(e => (e.Page.From, e.Settled))],
            (folder, header) => sample.OfferHeader(_earlierTry[folder].Page, header.Number, header.Size, header.Header),
            cancel
        );
        await ReadBackAsync(sample, from, to, cancel);
    }

    /// <summary>
    /// Whether the new side keeps messages as they are: a few of each folder are read back, and it is told once what it alters.
    /// </summary>
    private async Task ReadBackAsync(ReadBackSample sample, IMailAccount from, IMailAccount to, CancellationToken cancel)
    {
        var pages = (await ledger.FoldersAsync(cancel)).Where(p => p.To is not null).ToDictionary(p => p.Id);
        var chosen = new List<ComparedPage>();
        foreach (var (id, numbers) in sample.Choose())
        {
            if (!pages.TryGetValue(id, out var page))
                continue;
            var entries = (await ledger.FindAsync(id, numbers, cancel))
                .Where(e => e is { Landed: not null, Outcome: Outcome.Carried })
                .ToList();
            if (entries.Count > 0)
                chosen.Add(new ComparedPage(page, entries));
        }
        if (chosen.Count == 0)
            return;
        var comparison = new MessageComparison(from, to, order.Rules, RateLimiters.Free);
        var found = await comparison.CompareAsync([.. chosen.Take(PagesWithIndex)], withIndex: true, cancel);
        if (chosen.Count > PagesWithIndex)
            found.AddRange(await comparison.CompareAsync([.. chosen.Skip(PagesWithIndex)], withIndex: false, cancel));
        found.RemoveAll(f => !Difference.NeedsDecision(f.Kind));
        if (found.Count == 0)
            return;
        await ledger.AddDifferencesAsync(found, cancel);
        tally.Differ(found.Count);
        journal(
            $"the new side does not keep every message as it is: of {comparison.Compared} that were read back, "
                + $"{found.Select(f => (f.Folder, f.Number)).Distinct().Count()} differ, such as \"{found[0].Subject}\": {found[0].What}"
        );
    }

    /// <summary>Pages of folders that are not complete are left out: an unclaimed message there may turn out to be ours.</summary>
    private async Task<List<LedgerFolder>> CompletePagesAsync(CancellationToken cancel) => CompleteOf(await ledger.FoldersAsync(cancel));

    private static List<LedgerFolder> CompleteOf(IEnumerable<LedgerFolder> pages) =>
        [.. pages.GroupBy(p => p.To).Where(g => g.Key is not null && g.All(p => p.Cursor is not null)).SelectMany(g => g)];

    /// <summary>Lists both sides, applies moves and deletions of the source, and queues the other changed folders.</summary>
    private async Task<(ConcurrentQueue<FolderBatch> Work, MultiFolderMessages? MultiFolder)> ListAsync(
        IMailAccount from,
        IMailAccount to,
        DestinationCheck check,
        CancellationToken cancel
    )
    {
        var listing = to.ListFoldersAsync(cancel);
        var fromFolders = await from.ListFoldersAsync(cancel);
        var toFolders = await listing;
        var all = await RenamedPlaces.FollowAsync(await ledger.FoldersAsync(cancel), toFolders, ledger, journal, cancel);
        var pages = all.ToDictionary(p => (p.From, p.To));
        await check.RemoveAskedAsync([.. pages.Values], cancel);
        await FindEarlierTryAsync(pages.Values, fromFolders, toFolders, cancel);
        // Before the check, which takes what nobody claims for accounted for.
        if (order is { IsFirst: false, Began: not null })
        {
            _arrivals = new Arrivals(ledger, order, tally);
            await _arrivals.LookAsync(to, toFolders, pages.Values, cancel);
        }
        await check.CheckAsync(CompleteOf(pages.Values), toFolders, cancel);
        // A folder that an earlier pass carried to two places, as rules changed, is known by the newer one.
        var known = pages
            .Values.Where(p => p.To is not null)
            .OrderBy(p => p.Id)
            .GroupBy(p => p.From)
            .ToDictionary(g => g.Key, g => g.Last().To!);
        var map = FolderMap.Draw(order.Rules, fromFolders, toFolders, to.Traits, order.To.Service.Names, known);
        var landings = RenamedPlaces.Apply(map.Landings, all, toFolders).ToList();
        var there = toFolders.Where(f => f.Selectable).DistinctBy(f => f.Path).ToDictionary(f => f.Path);
        var listed = toFolders.Select(f => f.Path).ToHashSet();
        var multiFolder = MultiFolderMessages.For(map, order.Rules.Labels, ledger, tally, journal);

        var (work, unchanged) = (new List<FolderWork>(), new List<FolderWork>());
        foreach (var landing in landings)
        {
            var page = pages.GetValueOrDefault((landing.From.Path, landing.To));
            var toState = landing.To is { } path ? there.GetValueOrDefault(path) : null;
            var lost =
                page?.ToEpoch is { } epoch
                && landing.To is not null
                && (toState?.Cursor?.Epoch != epoch || toState.Cursor.Next < page.Seen?.Next);
            _isFirstLook |= landing.To is not null && (page?.Cursor is null || lost);
            if (page is { Reopened: false } && !lost && landing.From.Cursor?.IsUnchangedSince(page.Cursor) == true)
            {
                unchanged.Add(new FolderWork(landing, toState, 0) { Page = page });
                continue;
            }
            var settled = page is null ? 0 : page.Counts.Carried + page.Counts.Paired + page.Counts.Excluded + page.Counts.LeftBehind;
            work.Add(
                new FolderWork(landing, toState, Math.Max(0, (landing.From.Cursor?.Count ?? 0) - settled))
                {
                    Page = lost ? null : page,
                    MissingAbove = landing.To is { } place && toState is null ? [.. place.Above().Where(p => !listed.Contains(p))] : [],
                }
            );
        }
        work = await AskChangesAsync(from, work, cancel);
        var landed = landings.Select(l => (l.From.Path, l.To)).ToHashSet();
        var vanished = pages.Values.Where(p => !landed.Contains((p.From, p.To))).ToList();
        await new SourceChanges(from, to, ledger, order, multiFolder is not null, tally, journal).ApplyAsync(
            work,
            unchanged,
            vanished,
            fromFolders,
            toFolders,
            cancel
        );
        foreach (var page in vanished)
            await CloseVanishedAsync(page, cancel);

        tally.Expect(work.Sum(w => w.Estimate));
        return (new ConcurrentQueue<FolderBatch>(FolderBatch.Pack(work, inOrder: multiFolder is not null)), multiFolder);
    }

    /// <summary>Asks for the changes of all folders that were complete before, in one round trip.</summary>
    private static async Task<List<FolderWork>> AskChangesAsync(IMailAccount from, List<FolderWork> work, CancellationToken cancel)
    {
        var asked = work.Where(w =>
                w is { Landing: { To: not null, From.Cursor: not null }, Page: { Cursor: not null } }
                && w.Page.Cursor.Epoch == w.Landing.From.Cursor.Epoch
            )
            .ToList();
        if (asked.Count == 0)
            return work;
        var changes = await from.ReadChangesAsync(
            [.. asked.Select(w => new ChangeQuery(w.Landing.From.Path, w.Page!.Cursor!, w.Landing.From.Cursor!))],
            cancel
        );
        var byPath = asked.Zip(changes).ToDictionary(a => a.First.Landing.From.Path, a => a.Second);
        return [.. work.Select(w => byPath.TryGetValue(w.Landing.From.Path, out var change) ? w with { Change = change } : w)];
    }

    /// <summary>
    /// The folder was deleted or renamed on the from side, or a changed rule sends it elsewhere: its page is closed, not lost.
    /// </summary>
    private async Task CloseVanishedAsync(LedgerFolder page, CancellationToken cancel)
    {
        if (page.LeftWhole)
            await ledger.RetryFolderAsync(page.Id, cancel);
        var settled = await ledger.SettledAsync(page.Id, cancel);
        if (settled.Count == 0 && page is { Cursor: not null, Counts.Found: 0 })
            return;
        await ledger.MarkGoneAsync(page.Id, settled, cancel);
        var cursor = page.Cursor ?? new FolderCursor(page.FromEpoch ?? 0, 0, null, 0);
        await ledger.CompleteAsync([new PageEnd(page.Id, cursor with { Count = 0, Mark = null }, 0, page.Seen)], cancel);
        if (settled.Count == 0)
            return;
        journal(
            $"folder '{page.From}' is no longer on the old side under this name, or now lands elsewhere; what was carried to '{page.To}' "
                + "stays there"
        );
    }

    private async Task RunSecondLaneAsync(ConcurrentQueue<FolderBatch> work, CancellationTokenSource stop)
    {
        await using var from = await TryOpenAsync(order.From, stop.Token);
        if (from is null)
            return;
        await using var to = await TryOpenAsync(order.To, stop.Token);
        if (to is not null)
            await RunLaneAsync(from, to, work, null, stop);
    }

    /// <summary>The second lane is optional: if no connection is free, the first lane does everything.</summary>
    private async Task<IMailAccount?> TryOpenAsync(Side side, CancellationToken cancel)
    {
        try
        {
            return await accounts.TryOpenAsync(side.Service, side.Credentials, cancel);
        }
        catch (FaultException)
        {
            return null;
        }
    }

    private async Task RunLaneAsync(
        IMailAccount from,
        IMailAccount to,
        ConcurrentQueue<FolderBatch> work,
        MultiFolderMessages? multiFolder,
        CancellationTokenSource stop
    )
    {
        try
        {
            var carrier = new MailCarrier(from, to, ledger, order, multiFolder, _arrivals, _sample, tally, journal);
            while (work.TryDequeue(out var next))
            {
                stop.Token.ThrowIfCancellationRequested();
                await carrier.CarryFolderBatchAsync(next, stop.Token);
            }
        }
        catch
        {
            await stop.CancelAsync();
            throw;
        }
    }
}
