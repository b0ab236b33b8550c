using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.ManageSieve;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Access;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace EasyCaravan.Service.Workers;

/// <summary>Does the next steps of the crossing of a claimed move.</summary>
internal sealed class CrossingRunner(
    Database database,
    MoveStore store,
    MoveContexts contexts,
    AccountAccess access,
    IMailAccounts accounts,
    ComparisonRunner comparisons,
    IMessageSenders senders,
    SecretPlaces secrets,
    AccessTokens tokens,
    CurrentPlan current,
    TimeProvider time
)
{
    /// <exception cref="FaultException">The step that was reached last could not be done.</exception>
    public async Task<CrossingState> RunAsync(RunningPass pass, Action<CrossingState> reached, CancellationToken cancel)
    {
        var context = await contexts.OfAsync(pass.Claim.Person, cancel);
        var record = store.CrossingOf(pass.Claim);
        var order = await OrderAsync(pass, context, cancel);
        var probes = new ProbeWatch(record, accounts, order, pass.Notes.Enqueue, time);
        return await new CrossingRun(record, accounts, order, probes, pass.Notes.Enqueue, time).RunAsync(
            pass.Claim.State.Crossing!,
            reached,
            cancel
        );
    }

    private async Task<CrossingOrder> OrderAsync(RunningPass pass, MoveContext context, CancellationToken cancel)
    {
        var (person, from, to) = (pass.Claim.Person, context.From, context.To);
        var plan = (await current.GetAsync(cancel)).Plan!;
        var batch = plan.Batches.First(b => b.Name == person.Batch);
        await using var db = database.Read();
        var row = await db.Moves.FirstAsync(m => m.Id == person.Id, cancel);
        Task<Credentials> SignInFromAsync(CancellationToken c) => access.FromAsync(person, from, Kind.Mail, c);
        Task<Credentials> SignInToAsync(CancellationToken c) => access.ToAsync(context, c);
        return new CrossingOrder(
            new CrossingSide(from, person.FromAccount, SignInFromAsync),
            new CrossingSide(to, person.ToAccount, SignInToAsync),
            batch.Crossing.AddressOf(row.ForwardTo, row.ToAccount),
            HasMail: pass.Claim.State.Legs.Any(l => l.Kind is Kind.Mail),
            from.Rules is null ? null : c => OpenRulesAsync(from, SignInFromAsync, c),
            to.Rules is null ? null : c => OpenRulesAsync(to, SignInToAsync, c),
            await SendersAsync(db, plan, from, row, cancel),
            from.Confirmation,
            from.Confirmation?.HandBack is null
                ? null
                : async (code, c) =>
                    await ConfirmationHandBack.GiveAsync(
                        from,
                        await SignInFromAsync(c),
                        tokens,
                        batch.Crossing.AddressOf(row.ForwardTo, row.ToAccount),
                        code,
                        c
                    ),
            // Who keeps their address has no new one to tell.
            string.Equals(row.FromAccount, row.ToAccount, StringComparison.OrdinalIgnoreCase)
                ? null
                : batch.Crossing.Answer?.For(row.Name, row.FromAccount, row.ToAccount),
            batch.Crossing,
            new GateRecord(
                pass.Claim.State.Legs,
                row.Found,
                row.OpenLeftBehind,
                row.Undecided,
                plan.RouteOf(batch).Tolerance,
                batch.Timetable?.CatchUpEvery,
                await ToldAtAsync(db, row, cancel)
            ),
            batch.Timetable?.ForwardsUntil,
            ChangeOf(pass, context, row, batch.Crossing),
            c => comparisons.RunAsync(pass, c),
            c => GiveUpTokensAsync(context, c)
        );
    }

    /// <summary>Null: the person keeps the address, and has nothing to tell.</summary>
    private AddressChange? ChangeOf(RunningPass pass, MoveContext context, MoveRow row, CrossingPlan plan)
    {
        if (string.Equals(row.FromAccount, row.ToAccount, StringComparison.OrdinalIgnoreCase))
            return null;
        Task<Credentials> SignInAsync(CancellationToken c) => access.ToAsync(context, c);
        return new AddressChange(
            store.CorrespondenceOf(pass.Claim),
            accounts,
            new CrossingSide(context.To, row.ToAccount, SignInAsync),
            row.Name,
            [row.FromAccount, row.ToAccount, row.FromLogin, row.ToLogin, plan.AddressOf(row.ForwardTo, row.ToAccount)],
            (plan.Note ?? AddressMessage.UsualNote(row.Language)).For(row.Name, row.FromAccount, row.ToAccount),
            context.To.Sending is null ? null : async c => await senders.OpenAsync(context.To, await SignInAsync(c), c),
            pass.Notes.Enqueue,
            time
        );
    }

    private async Task<IForwardingRules> OpenRulesAsync(
        Core.Planning.Service service,
        Func<CancellationToken, Task<Credentials>> signInAsync,
        CancellationToken cancel
    )
    {
        try
        {
            return await ManageSieveAccount.OpenAsync(service, await signInAsync(cancel), tokens, null, cancel);
        }
        catch (FaultException e) when (e.Fault.Service is null)
        {
            throw new FaultException(e.Fault.Advised(service.Help) with { Service = service.Name }, e.Verdict, e);
        }
    }

    /// <summary>Ways by which probes can be sent: as the plan's notices are, and as a colleague who moves in the same batch.</summary>
    private async Task<IReadOnlyList<ProbeSender>> SendersAsync(
        CaravanDb db,
        Plan plan,
        Core.Planning.Service from,
        MoveRow row,
        CancellationToken cancel
    )
    {
        var ways = new List<ProbeSender>();
        if (plan.Notices is { Sending: not null, From: { } sender } notices && MailboxAddress.TryParse(sender, out var address))
            ways.Add(
                new ProbeSender(ProbeWay.Outside, address.Address, c =>
                    senders.OpenAsync(notices, notices.Login is { } login ? secrets.Read(login.Secret) : null, c)
                )
            );
        if (from.Sending is not null && await ColleagueAsync(db, from, row, cancel) is { } colleague)
            ways.Add(new ProbeSender(ProbeWay.Colleague, colleague.Account, c => senders.OpenAsync(from, colleague, c)));
        return ways;
    }

    /// <summary>The next of the batch whose way in is known; null: nobody's is.</summary>
    private async Task<Credentials?> ColleagueAsync(CaravanDb db, Core.Planning.Service from, MoveRow row, CancellationToken cancel)
    {
        const int Tries = 5;
        var others = db.Moves.Where(m => m.Batch == row.Batch && m.Id != row.Id && m.FromAccount.Contains('@'));
        var next = await others.Where(m => m.Id > row.Id).OrderBy(m => m.Id).Take(Tries).ToListAsync(cancel);
        next.AddRange(await others.Where(m => m.Id < row.Id).OrderBy(m => m.Id).Take(Tries).ToListAsync(cancel));
        foreach (var other in next)
        {
            try
            {
                return await access.FromAsync(MoveStates.PersonOf(other), from, Kind.Mail, cancel);
            }
            catch (FaultException)
            {
                // Their way in is not known, or was forgotten: another's may be.
            }
        }
        return null;
    }

    private static async Task<Instant?> ToldAtAsync(CaravanDb db, MoveRow row, CancellationToken cancel) =>
        MoveStates.ToInstant(
            await db
                .Notices.Where(n =>
                    n.About == NoticeEvent.Crosses
                    && n.Way == NoticeWay.Mail
                    && n.Batch == row.Batch
                    && n.Account == row.FromAccount
                    && n.State == NoticeState.Sent
                )
                .OrderByDescending(n => n.Id)
                .Select(n => (long?)n.MadeAt)
                .FirstOrDefaultAsync(cancel)
        );

    /// <summary>Tokens of both sides are given up at their servers; a way in that is not known any more was forgotten before.</summary>
    private async Task<string> GiveUpTokensAsync(MoveContext context, CancellationToken cancel)
    {
        var given = new List<string>();
        foreach (
            var (service, signIn) in new (Core.Planning.Service, Func<Task<Credentials>>)[]
            {
                (context.From, () => access.FromAsync(context.Person, context.From, Kind.Mail, cancel)),
                (context.To, () => access.ToAsync(context, cancel)),
            }
        )
        {
            if (service.SignIn is not SignIn.OAuth { Grant: not (OAuthGrant.ClientCredentials or OAuthGrant.JwtBearer) })
                continue;
            try
            {
                if (await tokens.GiveUpAsync(service, await signIn(), cancel))
                    given.Add(service.Name);
            }
            catch (FaultException e) when (FaultRules.IsOfSignIn(e.Fault.Cause))
            {
                // Nothing is known that could be given up.
            }
        }
        var forgotten = $"the credentials of {context.Person.FromAccount} are forgotten";
        // What the administrator keeps outside of the store, maybe for several people, is not ours to delete.
        var kept = new[] { context.Person.FromSecretReference, context.Person.ToSecretReference }.OfType<string>().ToList();
        if (kept.Count > 0)
            forgotten += $"; {string.Join(" and ", kept)} is kept outside of the store, and yours to delete";
        return given.Count == 0 ? forgotten : $"{forgotten}, and the consent was given back to {string.Join(" and ", given)} (RFC 7009)";
    }
}
