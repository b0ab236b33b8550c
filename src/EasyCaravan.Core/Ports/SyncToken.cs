namespace EasyCaravan.Core.Ports;

/// <summary>The state of a collection from which a service can tell what changed since (RFC 6578 §4).</summary>
public readonly record struct SyncToken(string Value)
{
    public override string ToString() => Value;
}
