using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Core.Tests;

/// <summary>The twin in memory keeps the ledger's contract.</summary>
public sealed class MemoryLedgerTests : LedgerContract
{
    private readonly MemoryLedger _ledger = new();

    protected override Task<ILedger> OpenAsync() => Task.FromResult<ILedger>(_ledger);

    protected override Task LoseLeaseAsync()
    {
        _ledger.IsLeaseLost = true;
        return Task.CompletedTask;
    }

    protected override Task<IReadOnlyList<(long Folder, uint Number)>> LeftBehindAsync() =>
        Task.FromResult<IReadOnlyList<(long, uint)>>([
            .. _ledger.LeftBehind.Keys.Concat(_ledger.FoldersLeft.Keys.Select(f => (f, 0u))).Order(),
        ]);
}
