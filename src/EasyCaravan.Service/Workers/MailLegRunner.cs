using System.Collections.Concurrent;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Workers;

/// <summary>Runs the mail leg of a move.</summary>
internal sealed class MailLegRunner(MoveStore store, IMailAccounts accounts, MoveContexts contexts, MailOrders orders) : ILegRunner
{
    /// <summary>Of moves whose mail legs fail repeatedly, by the move's id.</summary>
    private readonly ConcurrentDictionary<long, PoisonMessages> _poisonMessages = [];

    public Kind Kind => Kind.Mail;

    public async Task RunAsync(LegOrder order, CancellationToken cancel)
    {
        var person = order.Claim.Person;
        var mail = await orders.MakeAsync(await contexts.OfAsync(person, cancel), cancel) with
        {
            IsFirst = order.State.Stage is not Stage.InStep,
            PoisonMessages = order.State.SeeksPoison ? _poisonMessages.GetOrAdd(person.Id, _ => new PoisonMessages()) : null,
        };
        await new MailLeg(accounts, store.LedgerOf(order.Claim, Kind.Mail), mail, order.Tally, order.Journal).RunAsync(cancel);
        _poisonMessages.TryRemove(person.Id, out _);
    }
}
