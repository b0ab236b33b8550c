namespace EasyCaravan.Core.Ports;

/// <summary>
/// Numbers for items of services that name them by text only (POP3's unique ids, RFC 1939 §7). A name keeps its number for good.
/// </summary>
public interface IItemNumbers
{
    /// <summary>The number of each name, in their order; names not seen before get the next ones.</summary>
    Task<IReadOnlyList<uint>> NumberAsync(string service, string account, IReadOnlyList<string> names, CancellationToken cancel);
}
