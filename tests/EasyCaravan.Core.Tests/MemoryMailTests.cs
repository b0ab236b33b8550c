using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Core.Tests;

/// <summary>
/// The twin in memory keeps the contract of the adapters: the tests of the core that use it would prove nothing otherwise.
/// </summary>
public sealed class MemoryMailTests : RefusalContract
{
    private readonly MemoryMail _mail = new();

    protected override Task<IMailAccount> OpenAsync() => Task.FromResult<IMailAccount>(new MemoryAccount(_mail));

    protected override Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        _mail.Folder(Folder.ToString()).Add(octets, FlagSet.Parse(flags), received);
        return Task.CompletedTask;
    }

    protected override Task RefuseAsync(Refusal refusal)
    {
        switch (refusal)
        {
            case Refusal.TooLarge:
                _mail.Refuses = o => o.Length > 1000 ? new Fault(Cause.MessageTooLarge, "a", "too large", "TOOBIG") : null;
                break;
            case Refusal.NoRoom:
                _mail.Refuses = o => o.Length > 1000 ? new Fault(Cause.NoRoom, "a", "full", "OVERQUOTA") : null;
                break;
            case Refusal.FolderName:
                _mail.RefusesFolder = f => f.Names[0] == "refused" ? new Fault(Cause.FolderRefused, "a", "no such name") : null;
                break;
            case Refusal.Cut:
                _mail.BreakAfter = 1;
                break;
        }
        return Task.CompletedTask;
    }
}
