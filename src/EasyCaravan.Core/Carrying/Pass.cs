using System.Collections.Concurrent;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying;

/// <summary>One side of a move: which service, and how to get in.</summary>
public sealed record Side(Service Service, Credentials Credentials);

/// <summary>All that a pass needs to know of its move.</summary>
/// <param name="Lanes">How many folders may be under way at the same time, each over a pair of connections of its own.</param>
public sealed record PassOrder(PassKind Kind, Side From, Side To, CarryRules Rules, int Lanes)
{
    public Allowance Allowance { get; init; } = Allowance.Unlimited;
}

/// <summary>One run of a move: looks at both sides, draws the folder map and carries each folder that changed.</summary>
/// <remarks>
/// A pass may be stopped or die at any moment. The next one finds in the ledger what is settled, and on the to side what arrived
/// without having been noted, so that it never starts from nothing and never carries twice.
/// </remarks>
public sealed class Pass(IMailAccounts accounts, ILedger ledger, PassOrder order, Tally tally, Action<string> journal)
{
    /// <exception cref="FaultException">The pass could not be completed. What is settled is in the ledger.</exception>
    /// <exception cref="LeaseLostException">Another worker has the move.</exception>
    public async Task RunAsync(CancellationToken cancel)
    {
        await using var from = await accounts.OpenAsync(order.From.Service, order.From.Credentials, cancel);
        await using var to = await accounts.OpenAsync(order.To.Service, order.To.Credentials, cancel);
        var work = await SurveyAsync(from, to, cancel);
        if (work.IsEmpty) return;

        using var stop = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var lanes = new List<Task> { LaneAsync(from, to, work, stop) };
        for (var i = 1; i < Math.Min(order.Lanes, work.Count + 1); i++) lanes.Add(SecondLaneAsync(work, stop));
        // The first failure stops the others; awaiting them all leaves no connection in use behind.
        await Task.WhenAll(lanes).ContinueWith(_ => { }, CancellationToken.None, TaskContinuationOptions.None, TaskScheduler.Default);
        var failures = lanes.Where(l => l.IsFaulted).SelectMany(l => l.Exception!.InnerExceptions).ToList();
        var decisive = failures.OfType<LeaseLostException>().FirstOrDefault()
            ?? failures.OfType<FaultException>().OrderByDescending(f => f.Fault.Turn == Turn.Person).FirstOrDefault()
            ?? failures.FirstOrDefault();
        if (decisive is not null) System.Runtime.ExceptionServices.ExceptionDispatchInfo.Throw(decisive);
        cancel.ThrowIfCancellationRequested();
    }

    /// <summary>Lists both sides, and puts in a queue what changed: largest first, folders that land in one place together.</summary>
    private async Task<ConcurrentQueue<FolderWork>> SurveyAsync(IMailAccount from, IMailAccount to, CancellationToken cancel)
    {
        var fromFolders = await from.ListFoldersAsync(cancel);
        var toFolders = await to.ListFoldersAsync(cancel);
        var pages = (await ledger.FoldersAsync(cancel)).ToDictionary(p => (p.From, p.To));
        // A folder that an earlier pass carried to two places, as rules changed, is known by the newer one.
        var known = pages.Values.Where(p => p.To is not null).OrderBy(p => p.Id).GroupBy(p => p.From).ToDictionary(g => g.Key, g => g.Last().To!);
        var map = FolderMap.Draw(order.Rules, fromFolders, toFolders, to.Traits, order.To.Service.Names, known);
        var there = toFolders.Where(f => f.Selectable).DistinctBy(f => f.Path).ToDictionary(f => f.Path);

        var work = new List<FolderWork>();
        foreach (var landing in map.Landings)
        {
            var page = pages.GetValueOrDefault((landing.From.Path, landing.To));
            var toState = landing.To is { } path ? there.GetValueOrDefault(path) : null;
            var lost = page?.ToEpoch is { } epoch && landing.To is not null && toState?.Cursor?.Epoch != epoch;
            if (page is { Reopened: false } && !lost && landing.From.Cursor?.IsUnchangedSince(page.Cursor) == true) continue;
            if (page is null && landing.Note is { } note) journal($"folder '{landing.From.Path}' lands in '{landing.To}': {note}");
            var settled = page is null ? 0 : page.Counts.Carried + page.Counts.Paired + page.Counts.Excluded + page.Counts.LeftBehind;
            work.Add(new FolderWork(landing, toState, Math.Max(0, (landing.From.Cursor?.Count ?? 0) - settled)));
        }
        var landed = map.Landings.Select(l => (l.From.Path, l.To)).ToHashSet();
        foreach (var page in pages.Values.Where(p => !landed.Contains((p.From, p.To)))) await CloseVanishedAsync(page, cancel);

        tally.Expect(work.Sum(w => w.Estimate));
        return new ConcurrentQueue<FolderWork>(work
            .GroupBy(w => w.Landing.To?.ToString() ?? "")
            .Select(g => g.Aggregate((first, next) => first with { Merged = [.. first.Merged, next] }))
            .OrderByDescending(w => w.Messages));
    }

    /// <summary>The folder was deleted or renamed on the from side, or a changed rule sends it elsewhere: its page is closed, not lost.</summary>
    private async Task CloseVanishedAsync(LedgerFolder page, CancellationToken cancel)
    {
        var settled = await ledger.SettledAsync(page.Id, cancel);
        if (settled.Count == 0 && page is { Cursor: not null, Counts.Found: 0 }) return;
        await ledger.MarkGoneAsync(page.Id, settled, cancel);
        var cursor = page.Cursor ?? new FolderCursor(page.FromEpoch ?? 0, 0, null, 0);
        await ledger.CompleteAsync(page.Id, cursor with { Count = 0, Mark = null }, 0, 0, cancel);
        journal($"folder '{page.From}' is no longer on the old side under this name, or now lands elsewhere; what was carried to '{page.To}' stays there");
    }

    private async Task SecondLaneAsync(ConcurrentQueue<FolderWork> work, CancellationTokenSource stop)
    {
        await using var from = await TryOpenAsync(order.From, stop.Token);
        if (from is null) return;
        await using var to = await TryOpenAsync(order.To, stop.Token);
        if (to is not null) await LaneAsync(from, to, work, stop);
    }

    /// <summary>A lane that is welcome but not needed: where it cannot be had, the first one does all.</summary>
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

    private async Task LaneAsync(IMailAccount from, IMailAccount to, ConcurrentQueue<FolderWork> work, CancellationTokenSource stop)
    {
        try
        {
            var carrier = new MailCarrier(from, to, ledger, order, tally, journal);
            while (work.TryDequeue(out var next))
            {
                stop.Token.ThrowIfCancellationRequested();
                await carrier.CarryAsync(next, stop.Token);
            }
        }
        catch
        {
            await stop.CancelAsync();
            throw;
        }
    }
}

/// <summary>A folder to be carried, and those that land in the same place, which the same lane takes after it.</summary>
/// <param name="There">The folder on the to side; null when it has yet to be made.</param>
/// <param name="Estimate">Messages that probably have to be settled: known for sure once the folder is opened.</param>
public sealed record FolderWork(FolderLanding Landing, FolderState? There, long Estimate)
{
    public IReadOnlyList<FolderWork> Merged { get; init; } = [];

    public long Messages => (Landing.From.Cursor?.Count ?? 0) + Merged.Sum(m => m.Messages);
}
