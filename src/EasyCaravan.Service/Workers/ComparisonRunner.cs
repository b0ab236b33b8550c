using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>Compares both sides of a claimed move, kind by kind.</summary>
internal sealed class ComparisonRunner(
    MailOrders orders,
    CollectionOrders collectionOrders,
    MoveContexts contexts,
    IMailAccounts accounts,
    CollectionAccounts collections,
    MoveStore store
)
{
    public async Task RunAsync(RunningPass pass, CancellationToken cancel)
    {
        var context = await contexts.OfAsync(pass.Claim.Person, cancel);
        var kinds = pass.Claim.State.Legs.Select(l => l.Kind).ToList();
        await new Comparison(
            store.LedgerOf(pass.Claim, kinds[0]),
            [.. kinds.Select(k => new ComparedKind(k, (p, c) => CompareAsync(pass, context, k, p, c)))],
            pass.Notes.Enqueue
        ).RunAsync(cancel);
    }

    private async Task<ComparisonProgress> CompareAsync(
        RunningPass pass,
        MoveContext context,
        Kind kind,
        ComparisonProgress progress,
        CancellationToken cancel
    )
    {
        var (claim, tally) = (pass.Claim, pass.Tallies[0]);
        var ledger = store.LedgerOf(claim, kind);
        if (kind is Kind.Mail)
        {
            var mail = await orders.MakeAsync(context, cancel);
            return await new MailComparison(accounts, ledger, mail, tally, pass.Notes.Enqueue).CompareAsync(progress, cancel);
        }
        return await new CollectionComparison(
            collections,
            ledger,
            store.CollectionsOf(claim, kind),
            await collectionOrders.MakeAsync(context, kind, cancel),
            tally,
            pass.Notes.Enqueue
        ).CompareAsync(progress, cancel);
    }
}
