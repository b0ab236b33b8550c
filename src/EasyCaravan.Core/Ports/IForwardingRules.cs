using EasyCaravan.Core.Pacing;

namespace EasyCaravan.Core.Ports;

/// <summary>One script of an account's mail rules.</summary>
/// <param name="IsActive">It is the one that runs when mail comes.</param>
public sealed record RuleScript(string Name, bool IsActive);

/// <summary>
/// The mail rules of one signed-in account, as the scripts in which its service keeps them. Not for use by two at a time.
/// </summary>
public interface IForwardingRules : IAsyncDisposable
{
    /// <summary>What scripts may ask for there, such as <c>copy</c> and <c>include</c>.</summary>
    IReadOnlySet<string> Extensions { get; }

    /// <exception cref="FaultException">They could not be read.</exception>
    Task<IReadOnlyList<RuleScript>> ListAsync(CancellationToken cancel);

    /// <summary>The script octet for octet.</summary>
    /// <exception cref="FaultException">It could not be read.</exception>
    Task<ReadOnlyMemory<byte>> ReadAsync(string name, CancellationToken cancel);

    /// <summary>Asks whether the service would take a script, where it can be asked; changes nothing.</summary>
    /// <exception cref="FaultException">It would not.</exception>
    Task CheckAsync(ReadOnlyMemory<byte> script, CancellationToken cancel);

    /// <summary>Puts a script there, in place of one of the same name; which one is active does not change.</summary>
    /// <exception cref="FaultException">The service does not take it; nothing was changed.</exception>
    Task WriteAsync(string name, ReadOnlyMemory<byte> script, CancellationToken cancel);

    /// <summary>Makes it the one that runs; null: none runs.</summary>
    /// <exception cref="FaultException">Another one still runs, or it is not known which.</exception>
    Task ActivateAsync(string? name, CancellationToken cancel);

    /// <summary>Removes a script that is not active.</summary>
    /// <exception cref="FaultException">It is still there, or it is not known whether.</exception>
    Task RemoveAsync(string name, CancellationToken cancel);
}
