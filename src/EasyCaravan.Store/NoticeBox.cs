using System.Security.Cryptography;
using EasyCaravan.Core.Planning;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>A notice that is to be told.</summary>
/// <param name="Event">What happened, so that it is told once however often it is seen.</param>
/// <param name="Facts">What is told, as a JSON object.</param>
public sealed record NewNotice(
    NoticeEvent About,
    string Event,
    NoticeWay Way,
    string To,
    string Language,
    string? Batch,
    string? Account,
    string Facts
)
{
    public string Key => $"{About}/{Event}/{Way}/{To}";
}

/// <summary>
/// All notices: those to be sent, and what became of the others. One that was handed over is never sent again by itself, whoever crashes.
/// </summary>
public sealed class NoticeBox(Database database, TimeProvider time)
{
    /// <summary>How long whoever sends a notice may be silent before another takes it.</summary>
    private static readonly TimeSpan s_lease = TimeSpan.FromMinutes(5);

    private const string SinceMark = "since/";

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    /// <summary>Adds those that are not there yet.</summary>
    /// <param name="domain">Of the sender, in which letters get their numbers.</param>
    /// <returns>How many were added.</returns>
    public async Task<int> AddAsync(IEnumerable<NewNotice> notices, string domain, CancellationToken cancel)
    {
        var added = 0;
        foreach (var some in notices.Chunk(500))
            added += await database.WriteAsync(
                async db =>
                {
                    var (count, now) = (0, Now);
                    foreach (var n in some)
                        count += await db.Database.ExecuteSqlAsync(
                            $"""
                            INSERT INTO notices ("Key", "About", "Way", "To", "Language", "Batch", "Account", "Facts", "State", "MadeAt",
                                "DueAt", "Attempts", "MessageId")
                            VALUES ({n.Key}, {(int)n.About}, {(int)n.Way}, {n.To}, {n.Language}, {n.Batch}, {n.Account}, {n.Facts},
                                {(int)NoticeState.Due}, {now}, {now}, {0}, {NewMessageId(domain)})
                            ON CONFLICT ("Key") DO NOTHING
                            """,
                            cancel
                        );
                    return count;
                },
                cancel
            );
        return added;
    }

    /// <summary>Nobody can guess it, so that nobody can report a bounce of a letter that they never got.</summary>
    private static string NewMessageId(string domain) => $"notice.{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16))}@{domain}";

    /// <summary>The next notice that is due; null: none is, or as many went out in the last minute as may.</summary>
    /// <param name="aMinute">The most that may go out in a minute, of all that send; null: any.</param>
    public async Task<NoticeRow?> ClaimAsync(NoticeWay way, string owner, int? aMinute, CancellationToken cancel)
    {
        await using (var read = database.Read())
            if (!await Due(read, way).AnyAsync(cancel))
                return null;
        return await database.WriteAsync(
            async db =>
            {
                var now = Now;
                if (aMinute is { } most && await db.Notices.CountAsync(n => n.Way == way && n.EndedAt > now - 60_000, cancel) >= most)
                    return null;
                if (await Due(db, way).AsTracking().OrderBy(n => n.DueAt).ThenBy(n => n.Id).FirstOrDefaultAsync(cancel) is not { } next)
                    return null;
                (next.LeaseOwner, next.LeaseUntil, next.Attempts) = (owner, now + (long)s_lease.TotalMilliseconds, next.Attempts + 1);
                await db.SaveChangesAsync(cancel);
                return next;
            },
            cancel
        );
    }

    private IQueryable<NoticeRow> Due(CaravanDb db, NoticeWay way)
    {
        var (now, off) = (Now, db.NoticeSwitches.Select(s => s.Batch));
        return db
            .Notices.Where(n =>
                n.State == NoticeState.Due && n.Way == way && n.DueAt <= now && (n.LeaseUntil == null || n.LeaseUntil < now)
            )
            .Where(n => !off.Contains("") && (n.Batch == null || !off.Contains(n.Batch)));
    }

    /// <summary>Right before the letter is handed over; false: another has it, and it must not be.</summary>
    public Task<bool> HandOverAsync(NoticeRow notice, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var now = Now;
                return await db
                        .Notices.Where(n =>
                            n.Id == notice.Id && n.State == NoticeState.Due && n.LeaseOwner == notice.LeaseOwner && n.LeaseUntil >= now
                        )
                        .ExecuteUpdateAsync(set => set.SetProperty(n => n.State, NoticeState.HandingOver), cancel) > 0;
            },
            cancel
        );

    /// <summary>What became of a try.</summary>
    /// <param name="again">When it is tried again, where it is due.</param>
    public Task EndAsync(
        NoticeRow notice,
        NoticeState state,
        string? answer,
        string? subject,
        DateTimeOffset? again,
        CancellationToken cancel
    ) =>
        database.WriteAsync(
            db =>
            {
                var dueAt = again?.ToUnixTimeMilliseconds() ?? notice.DueAt;
                return db
                    .Notices.Where(n => n.Id == notice.Id && n.LeaseOwner == notice.LeaseOwner)
                    .ExecuteUpdateAsync(
                        set =>
                            set.SetProperty(n => n.State, state)
                                .SetProperty(n => n.Answer, answer)
                                .SetProperty(n => n.Subject, n => subject ?? n.Subject)
                                .SetProperty(n => n.DueAt, dueAt)
                                .SetProperty(n => n.EndedAt, Now)
                                .SetProperty(n => n.LeaseOwner, (string?)null)
                                .SetProperty(n => n.LeaseUntil, (long?)null),
                        cancel
                    );
            },
            cancel
        );

    /// <summary>
    /// Those whose sender was lost while it handed them over. A letter may have been taken, so that it is not sent again by itself; a
    /// webhook is told again, and knows it by its number.
    /// </summary>
    public async Task<int> SettleLostAsync(CancellationToken cancel)
    {
        // Asked without a write first: most of the time there is none, and a write that changes nothing would hide that the disk is full.
        var since = Now;
        await using (var read = database.Read())
            if (!await read.Notices.AnyAsync(n => n.State == NoticeState.HandingOver && n.LeaseUntil < since, cancel))
                return 0;
        return await database.WriteAsync(
            async db =>
            {
                var now = Now;
                var lost = db.Notices.Where(n => n.State == NoticeState.HandingOver && n.LeaseUntil < now);
                await lost.Where(n => n.Way == NoticeWay.Webhook)
                    .ExecuteUpdateAsync(set => set.SetProperty(n => n.State, NoticeState.Due), cancel);
                return await lost.ExecuteUpdateAsync(
                    set =>
                        set.SetProperty(n => n.State, NoticeState.Unclear)
                            .SetProperty(n => n.Answer, "the service was stopped while it handed the letter over")
                            .SetProperty(n => n.EndedAt, now),
                    cancel
                );
            },
            cancel
        );
    }

    /// <summary>Gives back the leases of an earlier life of this same owner, which was killed before it could.</summary>
    public Task ReleaseAsync(string owner, CancellationToken cancel) =>
        database.WriteAsync(
            db =>
                db.Notices.Where(n => n.LeaseOwner == owner && n.LeaseUntil != null)
                    .ExecuteUpdateAsync(set => set.SetProperty(n => n.LeaseUntil, 0L), cancel),
            cancel
        );

    /// <summary>A letter came back.</summary>
    /// <returns>The notice; null: it is none of ours, or is known to have come back.</returns>
    public Task<NoticeRow?> BounceAsync(string messageId, string why, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var notice = await db.Notices.AsTracking().FirstOrDefaultAsync(n => n.MessageId == messageId, cancel);
                if (notice is null or { State: NoticeState.Bounced or NoticeState.Due })
                    return null;
                (notice.State, notice.Answer, notice.EndedAt) = (NoticeState.Bounced, why, Now);
                await db.SaveChangesAsync(cancel);
                return notice;
            },
            cancel
        );

    /// <summary>
    /// Sends again what was refused, came back, is unclear, or was sent, and at once what waits for its next try: because a person says so.
    /// </summary>
    /// <returns>Those that will go out again.</returns>
    public Task<IReadOnlyList<long>> AgainAsync(IReadOnlyCollection<long> ids, CancellationToken cancel) =>
        database.WriteAsync<IReadOnlyList<long>>(
            async db =>
            {
                var now = Now;
                var rows = await db
                    .Notices.AsTracking()
                    .Where(n => ids.Contains(n.Id) && n.State != NoticeState.HandingOver && (n.LeaseUntil == null || n.LeaseUntil < now))
                    .ToListAsync(cancel);
                foreach (var row in rows)
                {
                    // A server that knows the letter by its number would pass over the second.
                    row.MessageId =
                        row.Way is NoticeWay.Mail && row.State is not NoticeState.Due
                            ? NewMessageId(row.MessageId!.Split('@')[1])
                            : row.MessageId;
                    (row.State, row.DueAt, row.Attempts, row.EndedAt) = (NoticeState.Due, now, 0, null);
                }
                await db.SaveChangesAsync(cancel);
                return [.. rows.Select(r => r.Id)];
            },
            cancel
        );

    /// <summary>Switches notices off or on; what is due meanwhile is dropped, so that nothing old goes out later.</summary>
    /// <param name="batch">Null: all.</param>
    public Task SwitchAsync(string? batch, bool on, string who, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                var name = batch ?? "";
                await db.NoticeSwitches.Where(s => s.Batch == name).ExecuteDeleteAsync(cancel);
                if (on)
                    return;
                db.NoticeSwitches.Add(
                    new NoticeSwitchRow
                    {
                        Batch = name,
                        OffSince = Now,
                        By = who,
                    }
                );
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );

    /// <summary>Of what is due, what belongs to a batch that is switched off, or has waited too long to be of use.</summary>
    public async Task<int> DropAsync(TimeSpan longest, CancellationToken cancel)
    {
        await using (var read = database.Read())
            if (!await read.Notices.AnyAsync(n => n.State == NoticeState.Due, cancel))
                return 0;
        return await database.WriteAsync(
            db =>
            {
                var (now, off) = (Now, db.NoticeSwitches.Select(s => s.Batch));
                var old = now - (long)longest.TotalMilliseconds;
                return db
                    .Notices.Where(n =>
                        n.State == NoticeState.Due
                        && (n.MadeAt < old && n.EndedAt == null || off.Contains("") || (n.Batch != null && off.Contains(n.Batch)))
                    )
                    .ExecuteUpdateAsync(
                        set =>
                            set.SetProperty(n => n.State, NoticeState.Dropped)
                                .SetProperty(n => n.Answer, "notices were switched off, or it came too late")
                                .SetProperty(n => n.EndedAt, now),
                        cancel
                    );
            },
            cancel
        );
    }

    /// <summary>
    /// Since when each event is told of: from now on where that is new. What is told of no longer begins anew when it is switched on again.
    /// </summary>
    public async Task<IReadOnlyDictionary<NoticeEvent, long>> SinceAsync(IReadOnlyCollection<NoticeEvent> told, CancellationToken cancel)
    {
        await using (var read = database.Read())
            if (await LoadAsync(read) is var known && told.ToHashSet().SetEquals(known.Keys))
                return known;
        return await database.WriteAsync(
            async db =>
            {
                var (known, now) = (await LoadAsync(db), Now);
                var ended = known.Keys.Except(told).Select(MarkOf).ToList();
                await db.NoticeMarks.Where(m => ended.Contains(m.Name)).ExecuteDeleteAsync(cancel);
                db.NoticeMarks.AddRange(told.Except(known.Keys).Select(e => new NoticeMarkRow { Name = MarkOf(e), Value = now }));
                await db.SaveChangesAsync(cancel);
                return told.ToDictionary(e => e, e => known.GetValueOrDefault(e, now));
            },
            cancel
        );

        async Task<Dictionary<NoticeEvent, long>> LoadAsync(CaravanDb db)
        {
            var values = await db.NoticeMarks.Where(m => m.Name.StartsWith(SinceMark)).ToDictionaryAsync(m => m.Name, m => m.Value, cancel);
            return NoticeEvents.All.Where(e => values.ContainsKey(MarkOf(e))).ToDictionary(e => e, e => values[MarkOf(e)]);
        }
    }

    private static string MarkOf(NoticeEvent about) => $"{SinceMark}{KebabWord.Of(about)}";

    public Task SetMarkAsync(string name, long value, long next, CancellationToken cancel) =>
        database.WriteAsync(
            async db =>
            {
                await db.NoticeMarks.Where(m => m.Name == name).ExecuteDeleteAsync(cancel);
                db.NoticeMarks.Add(
                    new NoticeMarkRow
                    {
                        Name = name,
                        Value = value,
                        Next = next,
                    }
                );
                await db.SaveChangesAsync(cancel);
            },
            cancel
        );
}
