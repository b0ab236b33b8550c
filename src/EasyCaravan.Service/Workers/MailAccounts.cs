using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;

namespace EasyCaravan.Service.Workers;

/// <summary>Opens sessions in the slots of their service.</summary>
internal sealed class MailAccounts(ServiceSlots slots) : IMailAccounts
{
    public async Task<IMailAccount> OpenAsync(Core.Planning.Service service, Credentials credentials, CancellationToken cancel) =>
        await ImapMailAccount.OpenAsync(service, credentials, null, await slots.AcquireAsync(service, cancel), cancel);

    public async Task<IMailAccount?> TryOpenAsync(Core.Planning.Service service, Credentials credentials, CancellationToken cancel) =>
        slots.TryAcquire(service) is { } slot ? await ImapMailAccount.OpenAsync(service, credentials, null, slot, cancel) : null;
}
