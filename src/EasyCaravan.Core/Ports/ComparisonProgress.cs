using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>
/// How far a comparison of both sides has come. It is kept after each step, so that one that was broken off goes on there.
/// </summary>
/// <param name="Share">Of the items, above 0 and at most 1: which part is read; 1 means all.</param>
/// <param name="Page">The ledger's page on which it is.</param>
/// <param name="Number">The last number of that page that is compared.</param>
public sealed record ComparisonProgress(double Share, long Page, uint Number)
{
    /// <summary>The kind on which it is; null: it has not begun yet.</summary>
    public Kind? Kind { get; init; }

    /// <summary>Items read on both sides.</summary>
    public long Compared { get; init; }

    /// <summary>Octets read from the old side.</summary>
    public ByteCount Octets { get; init; }

    /// <summary>Items that are not the same on both sides, or not on the new one.</summary>
    public long Differing { get; init; }

    /// <summary>Messages whose flags their owner changed on the new side.</summary>
    public long FlagsChanged { get; init; }

    /// <summary>Items that came to the old side, or were edited there, after the last pass.</summary>
    public long Arrived { get; init; }

    public bool IsDone { get; init; }
}
