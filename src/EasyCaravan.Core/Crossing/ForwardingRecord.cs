namespace EasyCaravan.Core.Crossing;

/// <summary>
/// What is to be set on the old side, and what was there before. It is kept before anything is changed: whatever happens then, the change
/// can be gone on with, and undone.
/// </summary>
/// <param name="To">The address to which it forwards.</param>
/// <param name="ActiveBefore">The script of the account's owner that was active; null: none was.</param>
/// <param name="Before">Its octets; empty where there was none.</param>
/// <param name="Ours">The octets of our script.</param>
public sealed record ForwardingRecord(string To, string? ActiveBefore, ReadOnlyMemory<byte> Before, ReadOnlyMemory<byte> Ours);

/// <param name="AboutAnswer">Whether something is answered by itself, in words; null: nobody wants that.</param>
public sealed record PreparedForwarding(ForwardingRecord Rules, string? AboutAnswer);

/// <summary>How forwarding stands on the old side, as its server tells it now.</summary>
public enum ForwardingState
{
    /// <summary>As it was before: our script is not active.</summary>
    Off,

    /// <summary>Our script is active, octet for octet.</summary>
    On,

    /// <summary>Our script is active, and somebody changed it.</summary>
    Altered,

    /// <summary>The owner activated another script since, or none.</summary>
    Replaced,
}
