using System.IO.Hashing;
using System.Text;

namespace EasyCaravan.Core.Ports;

/// <summary>The state of an item as its service names it (RFC 9110 §8.8.3), quotation marks included.</summary>
public readonly record struct ETag(string Value)
{
    /// <summary>By which two states are told apart where the tag itself is not needed any more.</summary>
    public ulong Digest => XxHash64.HashToUInt64(Encoding.UTF8.GetBytes(Value));

    public override string ToString() => Value;
}
