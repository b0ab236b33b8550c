using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Files.Mail;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Protocols.Pop3;
using EasyCaravan.Protocols.SignIn;

namespace EasyCaravan.Service.Workers;

/// <summary>Opens sessions in the slots of their service.</summary>
internal sealed class MailAccounts(
    ServiceSlots slots,
    ServiceThrottle throttle,
    AccessTokens tokens,
    IItemNumbers numbers,
    ParcelPlaces parcels,
    MailFilePlaces files
) : IMailAccounts
{
    public async Task<IMailAccount> OpenAsync(Core.Planning.Service service, Credentials credentials, CancellationToken cancel) =>
        service.Parcels is not null ? parcels.OpenMail(service, credentials)
        : service.MailFiles is not null ? await files.OpenAsync(service, credentials, cancel)
        : await OpenInAsync(service, credentials, await slots.AcquireAsync(service, credentials.Account, cancel), cancel);

    public async Task<IMailAccount?> TryOpenAsync(Core.Planning.Service service, Credentials credentials, CancellationToken cancel) =>
        // A POP3 mailbox is open once at a time (RFC 1939 §8), and so is a parcel; of files one reader is fast enough.
        service is { Parcels: null, MailFiles: null }
        && service.Mail?.Speaks is not MailProtocol.Pop3
        && slots.TryAcquire(service, credentials.Account) is { } slot
            ? await OpenInAsync(service, credentials, slot, cancel)
            : null;

    private async Task<IMailAccount> OpenInAsync(
        Core.Planning.Service service,
        Credentials credentials,
        IDisposable slot,
        CancellationToken cancel
    )
    {
        try
        {
            IMailAccount account =
                service.Mail?.Speaks is MailProtocol.Pop3
                    ? await Pop3MailAccount.OpenAsync(service, credentials, tokens, numbers, null, slot, cancel)
                    : await ImapMailAccount.OpenAsync(service, credentials, tokens, null, slot, cancel);
            await throttle.RecoveredAsync(service.Name);
            return account;
        }
        catch (FaultException e)
        {
            // Before anybody has signed in the fault names the service, afterwards the account.
            var fault = e.Fault.Advised(service.Help) with { Service = service.Name, BeforeSignIn = e.Fault.Whom == service.Name };
            throttle.Report(fault);
            throw new FaultException(fault, e.Verdict, e);
        }
    }
}
