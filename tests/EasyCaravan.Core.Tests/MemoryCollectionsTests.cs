using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Core.Tests;

/// <summary>The twin in memory keeps the same contract as real servers.</summary>
public sealed class MemoryCollectionsTests : CollectionAccountContract
{
    protected override Kind Kind => Kind.Contacts;

    protected override Task<ICollectionAccount> OpenAsync() =>
        Task.FromResult<ICollectionAccount>(
            new MemoryCollectionAccount(
                new MemoryCollections("/home/")
                {
                    Refuses = octets =>
                        octets.AsSpan().StartsWith("BEGIN"u8) ? null : new Fault(Cause.ItemRefused, "a", "this is no object"),
                },
                Kind.Contacts
            )
        );
}

/// <summary>What the twin keeps of collections, it keeps as the store does.</summary>
public sealed class MemoryCollectionLedgerTests : CollectionLedgerContract
{
    private readonly MemoryCollectionLedger _ledger = new();

    protected override Task<(ICollectionLedger Ledger, long Page)> OpenAsync() => Task.FromResult<(ICollectionLedger, long)>((_ledger, 1));

    protected override Task<int> FormsAsync() => Task.FromResult(_ledger.Forms.Count);
}
