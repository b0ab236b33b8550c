using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>The time after the crossing: forwarding, probes, and who still writes to the old address.</summary>
internal static class AftercareApi
{
    private const int UsualDays = 30;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/batches/{batch}/aftercare", ListAsync).WithSummary("How everybody who has crossed stands, page by page");
        api.MapGet("/batches/{batch}/aftercare/writers", WritersAsync).WithSummary("Who still writes to the old addresses, page by page");
    }

    private static async Task<Results<Ok<Page<AftercareView>>, ProblemHttpResult>> ListAsync(
        string batch,
        Database database,
        CurrentPlan current,
        TimeProvider time,
        CancellationToken cancel,
        string? cursor = null,
        int limit = Paging.Usual,
        string? move = null,
        int withinDays = UsualDays
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        var (skip, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        var until = (await current.TimetableOfAsync(batch, cancel))?.ForwardsUntil?.ToDateTimeOffset();
        var since = SinceOf(time, withinDays);
        await using var db = database.Read();
        var query = Settling(db, batch, only);
        var (total, size) = (await query.CountAsync(cancel), Paging.SizeOf(limit));
        var rows = await query.OrderBy(m => m.Id).Skip((int)(skip ?? 0)).Take(size).Include(m => m.Legs).ToListAsync(cancel);
        var ids = rows.ConvertAll(r => r.Id);
        var crossings = await db.Crossings.Where(c => ids.Contains(c.MoveId)).ToDictionaryAsync(c => c.MoveId, cancel);
        var own = await OwnSenderAsync(current, cancel);
        var late = await db
            .LateMail.Where(m => ids.Contains(m.MoveId) && m.At >= since && m.Sender != own)
            .GroupBy(m => m.MoveId)
            .Select(g => new
            {
                g.Key,
                Messages = g.LongCount(),
                Senders = g.Select(m => m.Sender).Distinct().LongCount(),
                Last = g.Max(m => m.At),
            })
            .ToDictionaryAsync(g => g.Key, cancel);
        var newest = db.Probes.Where(p => ids.Contains(p.MoveId)).GroupBy(p => p.MoveId).Select(g => g.Max(p => p.Id));
        var probes = await db.Probes.Where(p => newest.Contains(p.Id)).ToDictionaryAsync(p => p.MoveId, cancel);
        var counted = await db
            .Correspondences.Where(c => ids.Contains(c.MoveId) && c.CountedAt != null)
            .ToDictionaryAsync(c => c.MoveId, c => c.CountedAt, cancel);
        var open = await db
            .Correspondents.Where(c => ids.Contains(c.MoveId) && c.Note == Core.Ports.NoteState.Wanted)
            .GroupBy(c => c.MoveId)
            .ToDictionaryAsync(g => g.Key, g => g.LongCount(), cancel);
        var views = rows.ConvertAll(row =>
        {
            var crossing = crossings.GetValueOrDefault(row.Id);
            var mail = late.GetValueOrDefault(row.Id);
            var fault = crossing?.Fault?.ToFault() ?? row.Fault?.ToFault();
            return new AftercareView(
                row.FromAccount,
                row.Name,
                row.ToAccount,
                MoveViews.Time(crossing?.SettledAt),
                until,
                probes.TryGetValue(row.Id, out var probe) ? CrossingViews.ViewOf(probe) : null,
                MoveViews.Time(row.Legs.Min(l => l.Due)),
                mail?.Messages ?? 0,
                mail?.Senders ?? 0,
                MoveViews.Time(mail?.Last),
                MoveViews.Time(counted.GetValueOrDefault(row.Id)),
                open.GetValueOrDefault(row.Id),
                IfEnded(row, mail?.Messages ?? 0, mail?.Senders ?? 0, withinDays),
                fault?.What,
                fault?.Remedy
            );
        });
        return TypedResults.Ok(Paging.Placed(views, skip ?? 0, total));
    }

    /// <summary>Under which our own letters go to people: they are nobody who has to learn of a new address.</summary>
    private static async Task<string> OwnSenderAsync(CurrentPlan current, CancellationToken cancel) =>
        MimeKit.MailboxAddress.TryParse((await current.GetAsync(cancel)).Plan?.Notices?.From, out var own)
            ? own.Address.ToLowerInvariant()
            : "";

    private static string IfEnded(MoveRow row, long messages, long senders, int days) =>
        messages == 0
            ? $"nothing that passes have seen came to {row.FromAccount} in the last {days} days"
            : $"{messages} message(s) from {senders} sender(s) still went to {row.FromAccount} in the last {days} days, and would not "
                + "arrive";

    private static IQueryable<MoveRow> Settling(CaravanDb db, string batch, IReadOnlyCollection<long>? only) =>
        Moves.Chosen(db, batch, only).Where(m => m.Stage == Stage.Settling || m.Stage == Stage.Done);

    private static long SinceOf(TimeProvider time, int days) =>
        time.GetUtcNow().AddDays(-Math.Clamp(days, 1, 3650)).ToUnixTimeMilliseconds();

    private static async Task<Results<Ok<Page<LateWriterView>>, ProblemHttpResult>> WritersAsync(
        string batch,
        Database database,
        CurrentPlan current,
        TimeProvider time,
        CancellationToken cancel,
        string? cursor = null,
        int limit = Paging.Usual,
        string? move = null,
        int withinDays = UsualDays
    )
    {
        var (only, problem) = await Selection.ResolveAsync(database, batch, move is null ? null : [move], cancel);
        if (problem is not null)
            return problem;
        var (skip, wrong) = Paging.ReadPlace(cursor);
        if (wrong is not null)
            return wrong;
        var since = SinceOf(time, withinDays);
        var own = await OwnSenderAsync(current, cancel);
        await using var db = database.Read();
        var query =
            from mail in db.LateMail
            where mail.At >= since && mail.Sender != own
            join person in Settling(db, batch, only) on mail.MoveId equals person.Id
            group mail by new
            {
                person.Id,
                person.FromAccount,
                person.Name,
                mail.Sender,
            } into same
            select new
            {
                same.Key,
                Messages = same.LongCount(),
                First = same.Min(m => m.At),
                Last = same.Max(m => m.At),
            };
        var (total, size) = (await query.CountAsync(cancel), Paging.SizeOf(limit));
        var rows = await query
            .OrderBy(w => w.Key.Id)
            .ThenByDescending(w => w.Messages)
            .ThenBy(w => w.Key.Sender)
            .Skip((int)(skip ?? 0))
            .Take(size)
            .ToListAsync(cancel);
        return TypedResults.Ok(
            Paging.Placed(
                rows.ConvertAll(w => new LateWriterView(
                    w.Key.FromAccount,
                    w.Key.Name,
                    w.Key.Sender,
                    w.Messages,
                    MoveViews.Time(w.First)!.Value,
                    MoveViews.Time(w.Last)!.Value
                )),
                skip ?? 0,
                total
            )
        );
    }
}
