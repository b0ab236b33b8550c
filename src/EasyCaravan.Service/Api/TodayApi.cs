using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>What needs me, what runs, what comes next.</summary>
internal static class TodayApi
{
    /// <summary>People named in each group; the count tells of the others.</summary>
    private const int MostNamed = 50;

    private const int MostRunning = 100;

    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/today", GetAsync).WithSummary("What needs a person, what runs, what comes next");

    private static async Task<Today> GetAsync(
        CurrentPlan current,
        Database database,
        ServiceSlots slots,
        ServiceThrottle throttle,
        TimeProvider time,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan is null)
            return new Today([], [], [], [], []);
        await using var db = database.Read();
        var running = await MoveViews.LoadAsync(
            db,
            db.Moves.Where(m => m.Condition == ConditionKind.Running).OrderBy(m => m.Id).Take(MostRunning),
            throttle.RestingBatches(plan),
            database.Trouble,
            time.GetUtcNow(),
            cancel
        );
        var needs = (await MovesInNeedAsync(db, cancel))
            .Concat(await ItemsLeftAsync(db, cancel))
            .Concat(await DifferencesAsync(db, cancel))
            .OrderByDescending(n => n.Count)
            .ToList();
        if (database.Trouble is { } trouble)
            needs.Insert(0, new NeedsYou(KebabWord.Of(trouble.Cause), $"{trouble.What}; no pass can go on", trouble.Remedy, 1, []));
        return new Today(
            needs,
            running,
            await NextAsync(db, cancel),
            await ServiceApi.ViewsOfAsync(db, plan, slots, throttle, cancel),
            await BatchViews.LoadAsync(db, plan, null, database.Trouble, cancel)
        );
    }

    private static async Task<List<NeedsYou>> MovesInNeedAsync(CaravanDb db, CancellationToken cancel)
    {
        // A kind that needs somebody does so too while the others run.
        var legs = await (
            from leg in db.Legs
            where leg.Fault != null && leg.WaitsFor == null
            join move in db.Moves on leg.MoveId equals move.Id
            where move.Condition != ConditionKind.Held && move.Stage != Stage.Withdrawn
            select new
            {
                leg.Fault!.Cause,
                leg.Fault.What,
                leg.Fault.Help,
                move.Batch,
                move.FromAccount,
                move.Name,
                Kind = (Kind?)leg.Kind,
                Several = move.Legs.Count > 1,
            }
        ).ToListAsync(cancel);
        var looks = await db
            .Moves.Where(m => m.Condition == ConditionKind.NeedsYou && m.ConditionLeg == null && m.Fault != null)
            .Select(m => new
            {
                m.Fault!.Cause,
                m.Fault.What,
                m.Fault.Help,
                m.Batch,
                m.FromAccount,
                m.Name,
                Kind = (Kind?)null,
                Several = false,
            })
            .ToListAsync(cancel);
        // What a service's definition says about its own words is worth a group by itself.
        return
        [
            .. legs.Concat(looks)
                .GroupBy(r => (r.Cause, r.Help, Kind: r.Several ? r.Kind : null))
                .Select(g =>
                {
                    var what = g.Select(r => r.What).Distinct().Count() == 1 ? g.First().What : Summary(g.Key.Cause);
                    return Group(
                        g.Key.Cause,
                        g.Key.Kind is { } kind ? $"{KebabWord.Of(kind)}: {what}" : what,
                        g.Count(),
                        g.Select(r => new MoveRef(r.Batch, r.FromAccount, r.Name)),
                        g.Key.Help
                    );
                }),
        ];
    }

    private static async Task<List<NeedsYou>> ItemsLeftAsync(CaravanDb db, CancellationToken cancel)
    {
        var rows = await (
            from item in db.LeftBehind
            where item.State == LeftBehindState.Open
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            group item by new
            {
                item.Cause,
                move.Batch,
                move.FromAccount,
                move.Name,
            } into g
            select new { g.Key, Count = g.Sum(i => i.Messages) }
        ).ToListAsync(cancel);
        return
        [
            .. rows.GroupBy(r => r.Key.Cause)
                .Select(g =>
                {
                    var items = g.Sum(r => r.Count);
                    return Group(
                        g.Key,
                        $"{items} message{(items == 1 ? " was" : "s were")} left behind: {Summary(g.Key)}",
                        g.Count(),
                        g.Select(r => new MoveRef(r.Key.Batch, r.Key.FromAccount, r.Key.Name))
                    );
                }),
        ];
    }

    /// <summary>What differs between the sides, by how.</summary>
    private static async Task<List<NeedsYou>> DifferencesAsync(CaravanDb db, CancellationToken cancel)
    {
        var rows = await (
            from difference in db.Differences
            where
                difference.State == DifferenceState.Open
                && (
                    difference.Kind == DifferenceKind.Missing
                    || difference.Kind == DifferenceKind.Twice
                    || difference.Kind == DifferenceKind.Altered
                )
            join folder in db.LedgerFolders on difference.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            group difference by new
            {
                difference.Kind,
                move.Batch,
                move.FromAccount,
                move.Name,
            } into g
            select new { g.Key, Count = g.Count() }
        ).ToListAsync(cancel);
        return
        [
            .. rows.GroupBy(r => r.Key.Kind)
                .Select(g =>
                {
                    var messages = g.Sum(r => r.Count);
                    var what = $"{messages} message{(messages == 1 ? "" : "s")} {DifferenceApi.Summary(g.Key, messages == 1)}";
                    return new NeedsYou(
                        KebabWord.Of(g.Key),
                        what,
                        DifferenceApi.RemedyFor(g.Key),
                        g.Count(),
                        [.. g.Select(r => new MoveRef(r.Key.Batch, r.Key.FromAccount, r.Key.Name)).Take(MostNamed)]
                    );
                }),
        ];
    }

    private static NeedsYou Group(Cause cause, string what, int count, IEnumerable<MoveRef> moves, string? help = null) =>
        new(KebabWord.Of(cause), what, help ?? FaultRules.RemedyFor(cause), count, [.. moves.Take(MostNamed)]);

    private static string Summary(Cause cause) =>
        cause switch
        {
            Cause.HostUnknown => "the host cannot be found",
            Cause.Unreachable => "the service cannot be reached",
            Cause.TlsUntrusted => "the certificate is not trusted",
            Cause.TlsNotOffered => "the service does not offer TLS",
            Cause.SignInRefused => "the sign-in was refused",
            Cause.ProtocolOff => "mail over this protocol is switched off for the account",
            Cause.AppPasswordNeeded => "the service wants an app password",
            Cause.LoginFormWrong => "the login is not in the form that the service knows",
            Cause.AccountLocked => "the account is locked",
            Cause.AccountNotFound => "the account does not exist",
            Cause.NotOnBehalf => "the administrator may not act for the account",
            Cause.ScopeMissing => "a permission was not granted",
            Cause.ConsentMissing => "nobody has consented, or the consent was taken back",
            Cause.SecretMissing => "no password is known",
            Cause.SecretUnreadable => "the sealed password cannot be opened",
            Cause.ConnectionLost => "the connection was lost",
            Cause.TimedOut => "the service did not answer in time",
            Cause.ServiceBusy => "the service asks for a pause",
            Cause.DaySpent => "the day's limit is used up",
            Cause.NoRoom => "the account on the new side is full",
            Cause.NotPermitted => "a right is missing",
            Cause.FolderRefused => "a folder cannot be made on the new side",
            Cause.MessageTooLarge => "larger than the new side takes",
            Cause.MessageRefused => "refused by the new side",
            Cause.MessageUnreadable => "not given out by the old side",
            Cause.ProtocolBroken => "the service's answers cannot be understood",
            Cause.StoreFull => "the disk under the store is full",
            Cause.Unexpected => "something unexpected",
        };

    private static async Task<List<Upcoming>> NextAsync(CaravanDb db, CancellationToken cancel)
    {
        var rows = await db
            .Moves.Where(m => m.Until != null && (m.Condition == ConditionKind.Waiting || m.Condition == ConditionKind.Idle))
            .GroupBy(m => new
            {
                m.Batch,
                m.Condition,
                m.WaitsFor,
            })
            .Select(g => new
            {
                g.Key,
                At = g.Min(m => m.Until)!.Value,
                Count = g.Count(),
            })
            .ToListAsync(cancel);
        return
        [
            .. rows.OrderBy(r => r.At)
                .Select(r => new Upcoming(
                    DateTimeOffset.FromUnixTimeMilliseconds(r.At),
                    r.Key.Batch,
                    r.Key.Condition is ConditionKind.Idle ? "catch-up"
                        : r.Key.WaitsFor is Wait.Window ? "window opens"
                        : r.Key.WaitsFor is Wait.Service ? "service is tried again"
                        : "next try",
                    r.Count
                )),
        ];
    }
}
