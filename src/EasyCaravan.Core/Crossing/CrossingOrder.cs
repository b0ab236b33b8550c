using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>One way to send a probe.</summary>
/// <param name="Sender">The address from which it comes.</param>
public sealed record ProbeSender(ProbeWay Way, string Sender, Func<CancellationToken, Task<IMessageSender>> OpenAsync);

/// <summary>One side of a crossing. Its credentials are asked for only where it is signed in to: at the end they are forgotten.</summary>
public sealed record CrossingSide(Service Service, string Account, Func<CancellationToken, Task<Credentials>> SignInAsync)
{
    public async Task<IMailAccount> OpenAsync(IMailAccounts accounts, CancellationToken cancel) =>
        await accounts.OpenAsync(Service, await SignInAsync(cancel), cancel);
}

/// <summary>What a crossing needs to be done.</summary>
/// <param name="ForwardTo">The address to which the old one forwards.</param>
/// <param name="HasMail">Mail is among what is carried; without it there is nothing to forward.</param>
/// <param name="FromRules">Opens the mail rules of the old account; null where the service has none that can be set.</param>
/// <param name="ToRules">Those of the new account; null where nobody can look.</param>
/// <param name="Confirmation">How the old service wants the address confirmed; null: it does not.</param>
/// <param name="HandBackAsync">Gives a code back to the old service; null: a person has to.</param>
/// <param name="Answer">What the old side shall answer by itself; null: nothing.</param>
/// <param name="Change">Tells correspondents of the new address, where somebody asked for it.</param>
/// <param name="CompareAsync">Compares both sides, going on where it was.</param>
/// <param name="ForwardingUntil">Until when the old address forwards after the crossing; null: for good.</param>
/// <param name="RevokeAsync">Gives up tokens and consents where the services allow it; tells what was done.</param>
public sealed record CrossingOrder(
    CrossingSide From,
    CrossingSide To,
    string ForwardTo,
    bool HasMail,
    Func<CancellationToken, Task<IForwardingRules>>? FromRules,
    Func<CancellationToken, Task<IForwardingRules>>? ToRules,
    IReadOnlyList<ProbeSender> Senders,
    ForwardingConfirmation? Confirmation,
    Func<string, CancellationToken, Task>? HandBackAsync,
    AddressMessage? Answer,
    CrossingPlan Plan,
    GateRecord Record,
    Instant? ForwardingUntil,
    AddressChange? Change,
    Func<CancellationToken, Task> CompareAsync,
    Func<CancellationToken, Task<string>> RevokeAsync
);
