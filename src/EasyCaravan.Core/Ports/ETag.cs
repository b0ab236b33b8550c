namespace EasyCaravan.Core.Ports;

/// <summary>The state of an item as its service names it (RFC 9110 §8.8.3), quotation marks included.</summary>
public readonly record struct ETag(string Value)
{
    /// <summary>Only a strong one may stand in a condition of a write (RFC 9110 §13.1.1).</summary>
    public bool IsStrong => Value is ['"', .., '"'];

    public override string ToString() => Value;
}
