using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
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
        var order = new SurveyOrder(
            await SideAsync(from, () => access.FromAsync(claim.Person, from, cancel)),
            await SideAsync(to, () => access.ToAsync(claim.Person, to, context.Rules.Root, cancel)),
            context.Rules,
            from.Rules is null ? null : (who, c) => ManageSieveRules.ReadForwardsAsync(from, who, tokens, null, c)
        );
        var inventory = await new Survey(accounts, order, tally, time).TakeAsync(cancel);
        await surveys.SaveAsync(claim, inventory, cancel);
        return inventory.FromFault ?? inventory.ToFault;
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
