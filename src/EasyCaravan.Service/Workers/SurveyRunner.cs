using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.ManageSieve;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>Looks at both sides of a move and keeps what was found.</summary>
internal sealed class SurveyRunner(
    Surveys surveys,
    IMailAccounts accounts,
    CollectionAccounts collections,
    MoveContexts contexts,
    AccountAccess access,
    AccessTokens tokens,
    TimeProvider time
)
{
    /// <returns>Why one of the sides cannot be signed in to; that is kept with the survey, and a person has to see to it.</returns>
    public async Task<Fault?> RunAsync(Claim claim, Tally tally, CancellationToken cancel)
    {
        var context = await contexts.OfAsync(claim.Person, cancel);
        var (from, to) = (context.From, context.To);
        Task<SurveySide> FromSideAsync(Kind kind) => SideAsync(from, () => access.FromAsync(claim.Person, from, kind, cancel));
        var order = new SurveyOrder(
            await FromSideAsync(Kind.Mail),
            await SideAsync(to, () => access.ToAsync(context, cancel)),
            context.Rules,
            from.Rules is null ? null : (who, c) => ReadRulesAsync(from, who, c)
        );
        var carried = claim.State.Legs.Select(l => l.Kind).ToList();
        var inventory = carried.Contains(Kind.Mail)
            ? await new Survey(accounts, order, tally, time).TakeAsync(cancel)
            : new Inventory(time.GetUtcNow(), null, null, null, null) { HasMail = false };
        foreach (var kind in carried.Where(k => k is not Kind.Mail))
        {
            var found = await new CollectionSurvey(collections, kind, context.Rules, tally).TakeAsync(
                await FromSideAsync(kind),
                order.To,
                cancel
            );
            inventory = inventory with { Kinds = inventory.Kinds.Add(found) };
        }
        await surveys.SaveAsync(claim, inventory, cancel);
        return inventory.Faults.FirstOrDefault();
    }

    private async Task<SieveFacts> ReadRulesAsync(Core.Planning.Service from, Credentials who, CancellationToken cancel)
    {
        await using var rules = await ManageSieveAccount.OpenAsync(from, who, tokens, null, cancel);
        return (await new Forwarding(rules, who.Account).LookAsync(cancel)).Facts;
    }

    private static async Task<SurveySide> SideAsync(Core.Planning.Service service, Func<Task<Credentials>> credentials)
    {
        try
        {
            return new SurveySide(service, await credentials(), null);
        }
        catch (FaultException e) when (e.Fault.Action is not FaultAction.RetryLater)
        {
            return new SurveySide(service, null, e.Fault);
        }
    }
}
