using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace EasyCaravan.Service.Notifying;

/// <summary>
/// Looks what has happened that somebody is to be told of, and writes a notice for each: once, because the store takes each only once.
/// </summary>
/// <remarks>What happened before an event was switched on in the plan is not told.</remarks>
internal sealed class NoticeKeeper(Database database, NoticeBox box, CurrentPlan current, TimeProvider time, ILogger<NoticeKeeper> log)
    : RecurringDuty(TimeSpan.FromSeconds(5), time, log)
{
    /// <summary>A notice that waits longer, because it cannot be sent, would only puzzle whoever gets it.</summary>
    private static readonly TimeSpan s_longest = TimeSpan.FromDays(2);

    /// <summary>Rows of one query.</summary>
    private const int Step = 1000;

    /// <summary>Clocks of several processes differ a little: what was seen is looked at once more.</summary>
    private const long Overlap = 120_000;

    /// <summary>Starts and cutovers whose people were all written to, of the plan that is in force.</summary>
    private readonly HashSet<(long Plan, NoticeEvent About, string Batch, LocalDateTime At)> _told = [];

    /// <summary>How far events with a time of their own were looked for.</summary>
    private readonly Dictionary<NoticeEvent, long> _looked = [];

    private long Now => Time.GetUtcNow().ToUnixTimeMilliseconds();

    protected override async Task DoAsync(CancellationToken cancel)
    {
        var (plan, row) = await current.GetAsync(cancel);
        await box.SettleLostAsync(cancel);
        await box.DropAsync(s_longest, cancel);
        if (plan?.Notices is not { } notices)
        {
            await box.SinceAsync([], cancel);
            return;
        }
        var writer = new NoticeWriter(plan, notices);
        var since = await box.SinceAsync([.. NoticeEvents.All.Where(writer.Tells)], cancel);
        await using var db = database.Read();
        await TellPeopleAsync(db, plan, row!.Id, notices, writer, since, cancel);
        await TellAdministratorsAsync(db, plan, notices, writer, since, cancel);
    }

    private Task AddAsync(Notices notices, IEnumerable<NewNotice> added, CancellationToken cancel) =>
        box.AddAsync(added, DomainOf(notices), cancel);

    /// <summary>In which letters get their numbers.</summary>
    public static string DomainOf(Notices notices) =>
        notices.From is { } from && MimeKit.MailboxAddress.TryParse(from, out var sender) ? sender.Domain : "easy-caravan.invalid";

    private async Task TellPeopleAsync(
        CaravanDb db,
        Plan plan,
        long planId,
        Notices notices,
        NoticeWriter writer,
        IReadOnlyDictionary<NoticeEvent, long> since,
        CancellationToken cancel
    )
    {
        foreach (var batch in plan.Batches)
        {
            if (batch.Timetable is { Start: { } start } && since.ContainsKey(NoticeEvent.Starts))
                await TellBeforeAsync(db, planId, NoticeEvent.Starts, batch, start, Stage.Surveyed, notices, writer, cancel);
            if (batch.Timetable is { Cutover: { } cutover } && since.ContainsKey(NoticeEvent.Crosses))
                await TellBeforeAsync(db, planId, NoticeEvent.Crosses, batch, cutover, Stage.InStep, notices, writer, cancel);
        }
        if (since.TryGetValue(NoticeEvent.KindDone, out var kinds))
            await TellKindsAsync(db, plan, notices, writer, kinds, cancel);
        if (since.TryGetValue(NoticeEvent.Crossed, out var crossed))
            await TellCrossedAsync(db, plan, notices, writer, crossed, cancel);
    }

    /// <summary>Tells everybody of a batch some days before a start or a cutover.</summary>
    /// <param name="upTo">People who are further are past it.</param>
    private async Task TellBeforeAsync(
        CaravanDb db,
        long planId,
        NoticeEvent about,
        Batch batch,
        LocalDateTime at,
        Stage upTo,
        Notices notices,
        NoticeWriter writer,
        CancellationToken cancel
    )
    {
        var (now, moment) = (Instant.FromDateTimeOffset(Time.GetUtcNow()), at.InZoneLeniently(batch.Timetable!.Zone).ToInstant());
        if (now >= moment || now < moment - Duration.FromDays(notices.DaysBefore) || _told.Contains((planId, about, batch.Name, at)))
            return;
        for (long after = 0; ; )
        {
            var rows = await db
                .Moves.Where(m => m.Batch == batch.Name && m.Id > after && m.Stage <= upTo)
                .OrderBy(m => m.Id)
                .Take(Step)
                .ToListAsync(cancel);
            if (rows.Count == 0)
                break;
            after = rows[^1].Id;
            await AddAsync(notices, rows.SelectMany(m => writer.ForPerson(about, $"{m.Id}/{at:s}", batch, m, f => f)), cancel);
        }
        _told.Add((planId, about, batch.Name, at));
    }

    private async Task TellKindsAsync(CaravanDb db, Plan plan, Notices notices, NoticeWriter writer, long since, CancellationToken cancel)
    {
        var from = Math.Max(since, _looked.GetValueOrDefault(NoticeEvent.KindDone) - Overlap);
        var now = Now;
        var done =
            from leg in db.Legs
            where leg.InStepSince >= @from
            join move in db.Moves on leg.MoveId equals move.Id
            orderby leg.MoveId, leg.Kind
            select new { leg, move };
        for (var skip = 0; ; skip += Step)
        {
            var rows = await done.Skip(skip).Take(Step).ToListAsync(cancel);
            await AddAsync(
                notices,
                rows.SelectMany(r =>
                    plan.Batches.FirstOrDefault(b => b.Name == r.move.Batch) is { } batch
                        ? writer.ForPerson(NoticeEvent.KindDone, $"{r.move.Id}/{r.leg.Kind}/{r.leg.InStepSince}", batch, r.move, f =>
                            f.Kind(r.leg.Kind, r.leg.Carried + r.leg.Paired)
                        )
                        : []
                ),
                cancel
            );
            if (rows.Count < Step)
                break;
        }
        _looked[NoticeEvent.KindDone] = now;
    }

    private async Task TellCrossedAsync(CaravanDb db, Plan plan, Notices notices, NoticeWriter writer, long since, CancellationToken cancel)
    {
        var from = Math.Max(since, _looked.GetValueOrDefault(NoticeEvent.Crossed) - Overlap);
        var now = Now;
        var rows = await db
            .Moves.Where(m => (m.Stage == Stage.Settling || m.Stage == Stage.Done) && m.ChangedAt >= from)
            .ToListAsync(cancel);
        await AddAsync(
            notices,
            rows.SelectMany(m =>
                plan.Batches.FirstOrDefault(b => b.Name == m.Batch) is { } batch
                    ? writer.ForPerson(NoticeEvent.Crossed, $"{m.Id}", batch, m, f => f)
                    : []
            ),
            cancel
        );
        _looked[NoticeEvent.Crossed] = now;
    }

    private async Task TellAdministratorsAsync(
        CaravanDb db,
        Plan plan,
        Notices notices,
        NoticeWriter writer,
        IReadOnlyDictionary<NoticeEvent, long> since,
        CancellationToken cancel
    )
    {
        var today = Instant.FromDateTimeOffset(Time.GetUtcNow()).InZone(notices.Zone).LocalDateTime;
        var isDigestDue =
            since.TryGetValue(NoticeEvent.Digest, out var digestSince)
            && today.TimeOfDay >= notices.DigestAt
            && today.Date.At(notices.DigestAt).InZoneLeniently(notices.Zone).ToInstant().ToUnixTimeMilliseconds() >= digestSince;
        var tellsNeeds = since.ContainsKey(NoticeEvent.NeedsYou);
        var needs = isDigestDue || tellsNeeds ? await NeedsYouViews.LoadAsync(db, plan, database.Trouble, cancel) : [];
        if (tellsNeeds)
            await AddAsync(notices, needs.SelectMany(n => NeedsOf(n, plan, writer, today.Date)), cancel);
        if (since.ContainsKey(NoticeEvent.InStep) || since.ContainsKey(NoticeEvent.Done))
            await TellBatchesAsync(db, plan, notices, writer, since, cancel);
        if (!isDigestDue)
            return;
        var groups = await MoveGroup.LoadAsync(db, only: null, cancel);
        var views = await BatchViews.LoadAsync(db, plan, null, groups, database.Trouble, cancel);
        await AddAsync(
            notices,
            writer.ForAdministrators(NoticeEvent.Digest, $"{today.Date:uuuu-MM-dd}", null, f =>
                f.Day(today.Date, views, needs, TodayApi.NextOf(groups))
            ),
            cancel
        );
    }

    /// <summary>Of one cause, once a day and batch: who else meets it is in the digest.</summary>
    private static IEnumerable<NewNotice> NeedsOf(NeedsYou need, Plan plan, NoticeWriter writer, LocalDate day) =>
        need.Moves.Count == 0
            ? writer.ForAdministrators(NoticeEvent.NeedsYou, $"{need.Cause}/{day:uuuu-MM-dd}", null, f => f.Need(need, [], need.Count))
            : need
                .Moves.GroupBy(m => m.Batch)
                .Select(own => (Batch: plan.Batches.FirstOrDefault(b => b.Name == own.Key), Own: own.ToList()))
                .Where(g => g.Batch is not null)
                .SelectMany(g =>
                    writer.ForAdministrators(
                        NoticeEvent.NeedsYou,
                        $"{g.Batch!.Name}/{need.Cause}/{need.Service}/{day:uuuu-MM-dd}",
                        g.Batch,
                        f => f.Batch(g.Batch).Need(need, g.Own, Math.Max(g.Own.Count, g.Own.Count == need.Moves.Count ? need.Count : 0))
                    )
                );

    private async Task TellBatchesAsync(
        CaravanDb db,
        Plan plan,
        Notices notices,
        NoticeWriter writer,
        IReadOnlyDictionary<NoticeEvent, long> since,
        CancellationToken cancel
    )
    {
        var stages = await db
            .Moves.Where(m => m.Stage != Stage.Withdrawn)
            .GroupBy(m => m.Batch)
            .Select(g => new
            {
                Batch = g.Key,
                People = g.Count(),
                InStep = g.Count(m => m.Stage >= Stage.InStep),
                Done = g.Count(m => m.Stage == Stage.Done),
                Last = g.Max(m => m.ChangedAt),
            })
            .ToListAsync(cancel);
        foreach (var batch in plan.Batches)
        {
            if (stages.Find(s => s.Batch == batch.Name) is not { } stage)
                continue;
            async Task TellAsync(NoticeEvent about)
            {
                // Told again only where people came to the batch since.
                if (since.TryGetValue(about, out var from) && stage.Last >= from)
                    await AddAsync(
                        notices,
                        writer.ForAdministrators(about, $"{batch.Name}/{stage.People}", batch, f => f.Batch(batch).People(stage.People)),
                        cancel
                    );
            }
            if (stage.InStep == stage.People && stage.Done < stage.People)
                await TellAsync(NoticeEvent.InStep);
            if (stage.Done == stage.People)
                await TellAsync(NoticeEvent.Done);
        }
    }
}
