using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>
/// What needs a person, grouped by cause; the largest group first. Counted by the database, as thousands may meet one cause.
/// </summary>
internal static class NeedsYouViews
{
    /// <summary>People named in each group; the count tells of the others.</summary>
    private const int MostNamed = 50;

    /// <param name="trouble">Why the store takes nothing now; null when it does.</param>
    public static async Task<List<NeedsYou>> LoadAsync(CaravanDb db, Plan plan, Fault? trouble, CancellationToken cancel)
    {
        var groups = await LegsAsync(db, plan, cancel);
        groups.AddRange(await LooksAsync(db, plan, cancel));
        groups.AddRange(await ItemsLeftAsync(db, plan, cancel));
        groups.AddRange(await DifferencesAsync(db, cancel));
        groups = [.. groups.OrderByDescending(n => n.Count)];
        if (trouble is not null)
            groups.Insert(
                0,
                new NeedsYou(KebabWord.Of(trouble.Cause), $"{trouble.What}; no pass can go on", trouble.Remedy, 1, [], null, null)
            );
        return groups;
    }

    /// <summary>Kinds that need somebody, also of moves whose other kinds are running.</summary>
    private static async Task<List<NeedsYou>> LegsAsync(CaravanDb db, Plan plan, CancellationToken cancel)
    {
        var needing =
            from leg in db.Legs
            where leg.Fault != null && leg.WaitsFor == null
            join move in db.Moves on leg.MoveId equals move.Id
            where move.Condition != ConditionKind.Held && move.Stage != Stage.Withdrawn
            select new { Leg = leg, Move = move };
        var counted = await needing
            .GroupBy(n => new
            {
                n.Leg.Fault!.Cause,
                n.Leg.Fault.Help,
                n.Leg.Fault.Service,
                n.Leg.Kind,
                n.Move.Batch,
            })
            .Select(g => new
            {
                g.Key.Cause,
                g.Key.Help,
                g.Key.Service,
                g.Key.Kind,
                g.Key.Batch,
                People = g.Count(),
                First = g.Min(n => n.Leg.Fault!.What)!,
                Last = g.Max(n => n.Leg.Fault!.What)!,
            })
            .ToListAsync(cancel);
        // With one kind, the kind is not named. A remedy from a service's own definition gets a group of its own.
        var several = plan.Batches.Where(b => plan.Routes.First(r => r.Name == b.Route).Carry.Length > 1).Select(b => b.Name).ToHashSet();
        var groups =
            new List<(Cause Cause, string? Help, string? Service, Kind? Kind, List<string> Said, int People, List<MoveRef> Named)>();
        foreach (var same in counted.GroupBy(c => (c.Cause, c.Help, c.Service, Kind: several.Contains(c.Batch) ? c.Kind : (Kind?)null)))
        {
            var (cause, help, service, kind) = same.Key;
            var (batches, kinds) = (same.Select(c => c.Batch).ToList(), same.Select(c => c.Kind).ToList());
            var named = await needing
                .Where(n =>
                    n.Leg.Fault!.Cause == cause
                    && n.Leg.Fault.Help == help
                    && n.Leg.Fault.Service == service
                    && kinds.Contains(n.Leg.Kind)
                    && batches.Contains(n.Move.Batch)
                )
                .OrderBy(n => n.Move.Id)
                .Take(MostNamed)
                .Select(n => new MoveRef(n.Move.Batch, n.Move.FromAccount, n.Move.Name))
                .ToListAsync(cancel);
            groups.Add((cause, help, service, kind, [.. same.SelectMany(c => new[] { c.First, c.Last })], same.Sum(c => c.People), named));
        }
        // One closed door is one thing to mend, whichever kinds stand before it.
        return
        [
            .. groups
                .GroupBy(g => (g.Cause, g.Help, g.Service, g.People, Who: string.Join(' ', g.Named.Select(m => $"{m.Batch}/{m.Account}"))))
                .Select(same =>
                {
                    // In the order in which they are carried. The last one's server, that of the mail, says most about why.
                    var all = same.OrderBy(g => g.Kind is Kind.Mail).ThenBy(g => g.Kind).ToList();
                    var kinds = string.Join(", ", all.Select(g => g.Kind).OfType<Kind>().Select(KebabWord.Of));
                    var what = WhatOf(same.Key.Cause, all[^1].Said);
                    return Group(
                        same.Key.Cause,
                        kinds.Length > 0 ? $"{kinds}: {what}" : what,
                        same.Key.People,
                        all[0].Named,
                        same.Key.Help,
                        MendFor(same.Key.Cause, plan, same.Key.Service),
                        same.Key.Service
                    );
                }),
        ];
    }

    /// <summary>Surveys that could not be made before anything was carried.</summary>
    private static async Task<List<NeedsYou>> LooksAsync(CaravanDb db, Plan plan, CancellationToken cancel)
    {
        var needing = db.Moves.Where(m => m.Condition == ConditionKind.NeedsYou && m.ConditionLeg == null && m.Fault != null);
        var counted = await needing
            .GroupBy(m => new
            {
                m.Fault!.Cause,
                m.Fault.Help,
                m.Fault.Service,
            })
            .Select(g => new
            {
                g.Key.Cause,
                g.Key.Help,
                g.Key.Service,
                People = g.Count(),
                First = g.Min(m => m.Fault!.What)!,
                Last = g.Max(m => m.Fault!.What)!,
            })
            .ToListAsync(cancel);
        var groups = new List<NeedsYou>();
        foreach (var same in counted)
        {
            var named = await needing
                .Where(m => m.Fault!.Cause == same.Cause && m.Fault.Help == same.Help && m.Fault.Service == same.Service)
                .OrderBy(m => m.Id)
                .Take(MostNamed)
                .Select(m => new MoveRef(m.Batch, m.FromAccount, m.Name))
                .ToListAsync(cancel);
            groups.Add(
                Group(
                    same.Cause,
                    WhatOf(same.Cause, [same.First, same.Last]),
                    same.People,
                    named,
                    same.Help,
                    MendFor(same.Cause, plan, same.Service),
                    same.Service
                )
            );
        }
        return groups;
    }

    /// <summary>The service's own text when all met the same one; otherwise our text for the cause.</summary>
    private static string WhatOf(Cause cause, IEnumerable<string> said) => said.Distinct().ToList() is [var only] ? only : Summary(cause);

    private static async Task<List<NeedsYou>> ItemsLeftAsync(CaravanDb db, Plan plan, CancellationToken cancel)
    {
        var rows = await (
            from item in db.LeftBehind
            where item.State == LeftBehindState.Open
            join folder in db.LedgerFolders on item.FolderId equals folder.Id
            join move in db.Moves on folder.MoveId equals move.Id
            group item by new
            {
                item.Cause,
                folder.Kind,
                move.Batch,
                move.FromAccount,
                move.Name,
                move.OpenLeftBehind,
                move.Found,
            } into g
            select new { g.Key, Count = g.Sum(i => i.Messages) }
        ).ToListAsync(cancel);
        return
        [
            .. rows.Where(r => !MoveSurroundings.ToleranceOf(plan, r.Key.Batch).Covers(r.Key.OpenLeftBehind, r.Key.Found))
                .GroupBy(r => (r.Key.Cause, r.Key.Kind))
                .Select(g =>
                {
                    var items = g.Sum(r => r.Count);
                    return Group(
                        g.Key.Cause,
                        $"{items} {NameOf(g.Key.Kind, items == 1)} {(items == 1 ? "was" : "were")} left behind: {Summary(g.Key.Cause)}",
                        g.Count(),
                        g.Select(r => new MoveRef(r.Key.Batch, r.Key.FromAccount, r.Key.Name)),
                        mend: MendWord.LeftBehind
                    );
                }),
        ];
    }

    /// <summary>Differences between the sides, grouped by their kind.</summary>
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
                Of = folder.Kind,
                move.Batch,
                move.FromAccount,
                move.Name,
            } into g
            select new { g.Key, Count = g.Count() }
        ).ToListAsync(cancel);
        return
        [
            .. rows.GroupBy(r => (r.Key.Kind, r.Key.Of))
                .Select(g =>
                {
                    var items = g.Sum(r => r.Count);
                    return new NeedsYou(
                        KebabWord.Of(g.Key.Kind),
                        $"{items} {NameOf(g.Key.Of, items == 1)} {DifferenceApi.Summary(g.Key.Kind, items == 1)}",
                        DifferenceApi.RemedyFor(g.Key.Kind),
                        g.Count(),
                        [.. g.Select(r => new MoveRef(r.Key.Batch, r.Key.FromAccount, r.Key.Name)).Take(MostNamed)],
                        MendWord.Differences,
                        null
                    );
                }),
        ];
    }

    private static string NameOf(Kind kind, bool one) =>
        (kind, one) switch
        {
            (Kind.Contacts, true) => "contact",
            (Kind.Contacts, false) => "contacts",
            (Kind.Calendars, true) => "event or task",
            (Kind.Calendars, false) => "events or tasks",
            (_, true) => "message",
            _ => "messages",
        };

    private static NeedsYou Group(
        Cause cause,
        string what,
        int count,
        IEnumerable<MoveRef> moves,
        string? help = null,
        MendWord? mend = null,
        string? service = null
    ) => new(KebabWord.Of(cause), what, help ?? FaultRules.RemedyFor(cause), count, [.. moves.Take(MostNamed)], mend, service);

    /// <summary>A password helps only where accounts sign in with their own; else its remedy is done elsewhere.</summary>
    private static MendWord MendFor(Cause cause, Plan plan, string? service) =>
        plan.Services.FirstOrDefault(s => s.Name == service)?.SignIn switch
        {
            SignIn.OAuth { Grant: OAuthGrant.DeviceCode or OAuthGrant.AuthorizationCode } when cause is Cause.ConsentMissing =>
                MendWord.Consent,
            SignIn.Password or SignIn.OAuth { Grant: OAuthGrant.RefreshToken } when FaultRules.IsOfSignIn(cause) => MendWord.Secret,
            _ => MendWord.Retry,
        };

    private static string Summary(Cause cause) =>
        cause switch
        {
            Cause.HostUnknown => "the host cannot be found",
            Cause.Unreachable => "the service cannot be reached",
            Cause.TlsUntrusted => "the certificate is not trusted",
            Cause.TlsNotOffered => "the service does not offer TLS",
            Cause.TlsTooOld => "the service speaks no TLS that is safe today",
            Cause.TlsTampered => "text came unprotected where TLS was agreed",
            Cause.SignedInUnasked => "the service takes us for somebody before we said who we are",
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
            Cause.ItemTooLarge => "larger than the new side takes",
            Cause.ItemRefused => "refused by the new side",
            Cause.ItemUnreadable => "not given out by the old side",
            Cause.ArrivedDamaged => "stored by the new side with something lost or changed",
            Cause.EditedOnBothSides => "edited on both sides",
            Cause.UidTaken => "there twice with one UID, which the new side allows once",
            Cause.WouldInvite => "held back, because writing it would send invitations",
            Cause.CollectionRefused => "an address book or calendar cannot be made on the new side",
            Cause.RulesRefused => "the old side's mail rules cannot forward",
            Cause.RulesChanged => "the mail rules were changed meanwhile",
            Cause.RulesNotKept => "the old side did not keep the mail rules",
            Cause.GateShut => "a gate keeps them from crossing",
            Cause.ForwardingByHand => "forwarding has to be set by hand",
            Cause.ForwardingUnconfirmed => "the old side wants the new address confirmed",
            Cause.ProbeMissing => "the probe did not come to the new address",
            Cause.ProbeInJunk => "the probe came into the junk",
            Cause.ProbeAltered => "the probe was altered on its way",
            Cause.ProbeDoubled => "the probe came more than once",
            Cause.PlaceRefused => "a folder of files is missing or cannot be written to",
            Cause.FileDamaged => "a file is damaged or cannot be read",
            Cause.WaybillOpen => "the waybill is not clean, so that the move cannot be done",
            Cause.ProtocolBroken => "the service's answers cannot be understood",
            Cause.StoreFull => "the disk under the store is full",
            Cause.Unexpected => "something unexpected",
        };
}
