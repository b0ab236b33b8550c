using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Store;

/// <summary>What people ask of moves: each a pure step of <see cref="MoveState"/>, kept together with its line in the journal.</summary>
public sealed class Moves(Database database, Journal journal, TimeProvider time)
{
    private const int NumbersPerQuery = 500;

    /// <summary>Applies a step to each of the moves; moves that it does not change are not written.</summary>
    /// <param name="who">Who asked.</param>
    /// <param name="verb">For the journal, such as <c>held</c>.</param>
    /// <returns>The moves that changed.</returns>
    public Task<IReadOnlyList<long>> StepAsync(
        string batch,
        IReadOnlyCollection<long>? only,
        string who,
        string verb,
        Func<MoveState, Instant, MoveState> step,
        CancellationToken cancel
    ) => database.WriteAsync(db => StepAsync(db, batch, only, who, verb, step, cancel), cancel);

    /// <summary>
    /// Starts everybody of a batch because its timetable says so: once for each time that it says, whoever else tries it.
    /// </summary>
    /// <returns>The moves that began; null: it was done before.</returns>
    public Task<IReadOnlyList<long>?> StartOnceAsync(string batch, Instant startsAt, Timetable timetable, CancellationToken cancel) =>
        database.WriteAsync<IReadOnlyList<long>?>(
            async db =>
            {
                var first = await db.Database.ExecuteSqlAsync(
                    $"""
                    INSERT INTO batch_starts ("Batch", "StartsAt") VALUES ({batch}, {startsAt.ToUnixTimeMilliseconds()})
                    ON CONFLICT ("Batch", "StartsAt") DO NOTHING
                    """,
                    cancel
                );
                return first == 0
                    ? null
                    : await StepAsync(
                        db,
                        batch,
                        null,
                        Journal.Service,
                        "started, as the timetable says",
                        (move, now) => move.Start(timetable, now),
                        cancel
                    );
            },
            cancel
        );

    /// <summary>Requests a comparison of both sides; a comparison that already runs is not restarted.</summary>
    /// <param name="share">Of the messages, above 0 and at most 1.</param>
    /// <returns>The moves of which it will be done.</returns>
    public Task<IReadOnlyList<long>> AskComparisonAsync(
        string batch,
        IReadOnlyCollection<long>? only,
        double share,
        string who,
        Func<MoveState, Instant, MoveState> step,
        CancellationToken cancel
    ) =>
        database.WriteAsync(
            async db =>
            {
                var asked = await StepAsync(
                    db,
                    batch,
                    only,
                    who,
                    share < 1 ? $"asked for a comparison of {share:0.##%} of the items" : "asked for a comparison of all items",
                    step,
                    cancel
                );
                await db.Comparisons.Where(c => asked.Contains(c.MoveId)).ExecuteDeleteAsync(cancel);
                foreach (var move in asked)
                    db.Comparisons.Add(
                        new ComparisonRow
                        {
                            MoveId = move,
                            AskedAt = time.GetUtcNow().ToUnixTimeMilliseconds(),
                            AskedBy = who,
                            Share = share,
                        }
                    );
                return asked;
            },
            cancel
        );

    /// <summary>
    /// Has what one move put on the to side taken back, or looked at in a dry run. One that was broken off goes on; a new one begins its
    /// report anew.
    /// </summary>
    /// <returns>The move, if it will be done.</returns>
    public Task<IReadOnlyList<long>> AskTakeBackAsync(
        string batch,
        long move,
        bool isCheck,
        string who,
        Func<MoveState, Instant, MoveState> step,
        CancellationToken cancel
    ) =>
        database.WriteAsync(
            async db =>
            {
                var asked = await StepAsync(
                    db,
                    batch,
                    [move],
                    who,
                    isCheck ? "asked what taking back the move would do" : "asked for the move to be taken back",
                    step,
                    cancel
                );
                var known = await db.TakeBacks.AsNoTracking().FirstOrDefaultAsync(t => t.MoveId == move, cancel);
                if (asked.Count == 0 || known is { IsCheck: false, EndedAt: null } && !isCheck)
                    return asked;
                await TakeBacks.RemoveAsync(db, [move], cancel);
                db.TakeBacks.Add(
                    new TakeBackRow
                    {
                        MoveId = move,
                        AskedAt = time.GetUtcNow().ToUnixTimeMilliseconds(),
                        AskedBy = who,
                        Account = await db.Moves.Where(m => m.Id == move).Select(m => m.ToAccount).FirstAsync(cancel),
                        IsCheck = isCheck,
                    }
                );
                return asked;
            },
            cancel
        );

    internal async Task<IReadOnlyList<long>> StepAsync(
        CaravanDb db,
        string batch,
        IReadOnlyCollection<long>? only,
        string who,
        string verb,
        Func<MoveState, Instant, MoveState> step,
        CancellationToken cancel
    )
    {
        var now = Instant.FromDateTimeOffset(time.GetUtcNow());
        var (changed, withdrawn) = (new List<long>(), new List<long>());
        await foreach (
            var row in Chosen(db, batch, only)
                .Include(m => m.Legs)
                .Include(m => m.Crossing)
                .AsTracking()
                .AsAsyncEnumerable()
                .WithCancellation(cancel)
        )
        {
            var before = MoveStates.StateOf(row);
            var after = step(before, now);
            if (after == before)
                continue;
            MoveStates.Apply(row, after, now);
            journal.Add(db, who, batch, new MoveRowName(row.Id, row.FromAccount), verb);
            changed.Add(row.Id);
            if (after.Stage is Stage.Withdrawn && before.Stage is not Stage.Withdrawn)
                withdrawn.Add(row.Id);
        }
        if (withdrawn.Count > 0)
        {
            await db.SaveChangesAsync(cancel);
            db.ChangeTracker.Clear();
            await ForgottenSecrets.ForgetAsync(db, withdrawn, cancel);
            database.MayHoldForgotten = true;
        }
        return changed;
    }

    /// <summary>Makes some moves of a batch go before or after others.</summary>
    /// <param name="priority">1 (first) to 9; null: their batch's again.</param>
    /// <returns>The moves that changed.</returns>
    public Task<IReadOnlyList<long>> SetPriorityAsync(
        Batch batch,
        QueueOrder order,
        IReadOnlyCollection<long>? only,
        int? priority,
        string who,
        CancellationToken cancel
    ) =>
        database.WriteAsync<IReadOnlyList<long>>(
            async db =>
            {
                var rows = await Chosen(db, batch.Name, only).Where(m => m.Priority != priority).AsTracking().ToListAsync(cancel);
                foreach (var row in rows)
                {
                    row.Priority = priority;
                    journal.Add(
                        db,
                        who,
                        batch.Name,
                        new MoveRowName(row.Id, row.FromAccount),
                        priority is null ? $"set the priority back to the batch's, {batch.Priority}" : $"set the priority to {priority}"
                    );
                }
                await db.SaveChangesAsync(cancel);
                await Handicaps.SetAsync(db, batch, order, cancel);
                return [.. rows.Select(r => r.Id)];
            },
            cancel
        );

    /// <summary>
    /// Puts the moves of a batch in line: by its priority, and by the size that a survey found where small mailboxes go first.
    /// </summary>
    public Task LineUpAsync(Batch batch, QueueOrder order, CancellationToken cancel) =>
        database.WriteAsync(db => Handicaps.SetAsync(db, batch, order, cancel), cancel);

    /// <summary>
    /// Decides on left-behind items: accepted ones are a person's word that they may stay; the others are tried again by the next pass.
    /// </summary>
    /// <param name="because">Why they may stay; null: nobody says.</param>
    /// <param name="choice">Which version the new side is to have; only items of which there are two are meant then.</param>
    /// <returns>How many items were decided, and the moves they belong to.</returns>
    public Task<(int Items, IReadOnlyList<long> Moves)> DecideLeftBehindAsync(
        string batch,
        IReadOnlyCollection<long>? only,
        IReadOnlyCollection<long>? items,
        bool accept,
        string? because,
        VersionChoice? choice,
        string who,
        CancellationToken cancel
    ) =>
        database.WriteAsync<(int, IReadOnlyList<long>)>(
            async db =>
            {
                var (accounts, folders) = await PagesAsync(db, batch, only, cancel);
                var folderIds = folders.Keys.ToList();
                var rows = await db
                    .LeftBehind.AsTracking()
                    .Where(i => folderIds.Contains(i.FolderId) && i.State == LeftBehindState.Open)
                    .ToListAsync(cancel);
                if (items is not null)
                    rows = [.. rows.Where(r => items.Contains(r.Id))];
                if (choice is { } chosen)
                    rows = await ChoosableAsync(db, rows, chosen, cancel);
                var whole = accept ? [] : rows.Where(r => r.Number == 0).Select(r => r.FolderId).ToHashSet();
                foreach (var row in rows.Where(r => !whole.Contains(r.FolderId)))
                    (row.State, row.AcceptedBy, row.AcceptedBecause, row.Choice) = (
                        accept ? LeftBehindState.Accepted : LeftBehindState.Retry,
                        accept ? who : null,
                        accept ? because : null,
                        choice
                    );
                if (!accept)
                    foreach (var own in rows.Where(r => !whole.Contains(r.FolderId)).GroupBy(r => r.FolderId))
                        await StrikeOutAsync(db, folders[own.Key], own.Select(r => r.Number), cancel);
                var touched = rows.GroupBy(r => folders[r.FolderId].MoveId).ToList();
                await db.SaveChangesAsync(cancel);
                foreach (var folder in whole)
                    await RefusedFolders.RetryAsync(db, folder, cancel);
                foreach (var move in touched)
                {
                    journal.Add(
                        db,
                        who,
                        batch,
                        new MoveRowName(move.Key, accounts[move.Key]),
                        WordsOf(accept, because, choice, move.Sum(i => i.Messages))
                    );
                    foreach (var kind in move.Select(i => folders[i.FolderId].Kind).Distinct())
                        await Totals.UpdateLeftBehindAsync(db, move.Key, kind, cancel);
                }
                return ((int)rows.Sum(r => r.Messages), [.. touched.Select(g => g.Key)]);
            },
            cancel
        );

    private static string WordsOf(bool accept, string? because, VersionChoice? choice, long items) =>
        (accept, choice) switch
        {
            (true, _) => $"accepted that {items} item(s) stay behind{(because is null ? "" : $": {because}")}",
            (_, VersionChoice.Old) => $"chose the old side's version of {items} item(s)",
            (_, VersionChoice.New) => $"chose the new side's version of {items} item(s)",
            (_, VersionChoice.Both) => $"chose to have both versions of {items} item(s)",
            _ => $"asked for another try of {items} item(s) left behind",
        };

    /// <summary>Those of which there are two versions, so that this can be chosen.</summary>
    private static async Task<List<LeftBehindRow>> ChoosableAsync(
        CaravanDb db,
        List<LeftBehindRow> rows,
        VersionChoice choice,
        CancellationToken cancel
    )
    {
        var folders = rows.Select(r => r.FolderId).Distinct().ToList();
        var foreign = await db
            .CollectionItems.Where(i => folders.Contains(i.FolderId) && i.IsForeign)
            .Select(i => new { i.FolderId, i.Number })
            .ToListAsync(cancel);
        var ours = foreign.Select(f => (f.FolderId, f.Number)).ToHashSet();
        return [.. rows.Where(r => VersionChoices.Of(r.Cause, ours.Contains((r.FolderId, r.Number))).Contains(choice))];
    }

    /// <summary>Decides on differences between the sides.</summary>
    /// <param name="kind">Only those of this kind; null: of all on which this can be decided.</param>
    /// <returns>How many were decided, and the moves they belong to.</returns>
    public Task<(int Items, IReadOnlyList<long> Moves)> DecideDifferencesAsync(
        string batch,
        IReadOnlyCollection<long>? only,
        IReadOnlyCollection<long>? items,
        DifferenceKind? kind,
        DifferenceDecision decision,
        string who,
        CancellationToken cancel
    ) =>
        database.WriteAsync<(int, IReadOnlyList<long>)>(
            async db =>
            {
                var (accounts, folders) = await PagesAsync(db, batch, only, cancel);
                var folderIds = folders.Keys.ToList();
                var rows = (
                    await db
                        .Differences.AsTracking()
                        .Where(d => folderIds.Contains(d.FolderId) && d.State != DifferenceState.Accepted)
                        .ToListAsync(cancel)
                )
                    .Where(d => (items is null || items.Contains(d.Id)) && (kind is null || d.Kind == kind) && decision.AppliesTo(d.Kind))
                    .ToList();
                foreach (var row in rows)
                    (row.DecidedBy, row.State) = (
                        who,
                        decision switch
                        {
                            DifferenceDecision.Accept => DifferenceState.Accepted,
                            DifferenceDecision.RemoveSecond => DifferenceState.Remove,
                            DifferenceDecision.CarryAgain => row.State,
                        }
                    );
                if (decision is DifferenceDecision.CarryAgain)
                {
                    foreach (var own in rows.GroupBy(r => r.FolderId))
                        await StrikeOutAsync(db, folders[own.Key], own.Select(r => r.Number), cancel);
                    db.Differences.RemoveRange(rows);
                }
                var touched = rows.GroupBy(r => folders[r.FolderId].MoveId).ToList();
                await db.SaveChangesAsync(cancel);
                foreach (var move in touched)
                {
                    foreach (var kind in move.GroupBy(r => folders[r.FolderId].Kind))
                        await Differences.CountAsync(db, move.Key, kind.Key, [.. kind.Select(r => r.FolderId).Distinct()], cancel);
                    journal.Add(
                        db,
                        who,
                        batch,
                        new MoveRowName(move.Key, accounts[move.Key]),
                        $"{decision.Words()} {move.Count()} item(s) that differ between the sides"
                    );
                }
                return (rows.Count, [.. touched.Select(g => g.Key)]);
            },
            cancel
        );

    /// <summary>The accounts of moves by their number, and the pages of their ledgers.</summary>
    private static async Task<(Dictionary<long, string> Accounts, Dictionary<long, LedgerFolderRow> Pages)> PagesAsync(
        CaravanDb db,
        string batch,
        IReadOnlyCollection<long>? only,
        CancellationToken cancel
    )
    {
        var moves = Chosen(db, batch, only);
        var pages = await db.LedgerFolders.AsTracking().Where(f => moves.Any(m => m.Id == f.MoveId)).ToDictionaryAsync(f => f.Id, cancel);
        return (await moves.ToDictionaryAsync(m => m.Id, m => m.FromAccount, cancel), pages);
    }

    /// <summary>
    /// Deleted from the ledger, messages count as new: the next pass checks whether they are on the to side after all, and carries those
    /// that are not.
    /// </summary>
    private static async Task StrikeOutAsync(CaravanDb db, LedgerFolderRow page, IEnumerable<long> numbers, CancellationToken cancel)
    {
        foreach (var some in numbers.Chunk(NumbersPerQuery))
            await db.LedgerItems.Where(i => i.FolderId == page.Id && some.Contains(i.Number)).ExecuteDeleteAsync(cancel);
        page.Reopened = true;
    }

    public static IQueryable<MoveRow> Chosen(CaravanDb db, string batch, IReadOnlyCollection<long>? only) =>
        only is null ? db.Moves.Where(m => m.Batch == batch) : db.Moves.Where(m => m.Batch == batch && only.Contains(m.Id));
}
