using System.Collections.Immutable;

namespace EasyCaravan.Parcels;

/// <summary>What a parcel is made by.</summary>
/// <param name="Account">Whose it is.</param>
/// <param name="Service">Where it is packed from.</param>
/// <param name="Rules">What is left out by which rule, in words.</param>
/// <param name="Password">Null: not encrypted.</param>
/// <param name="PartSize">Octets after which another part is begun; null: one part for each run.</param>
public sealed record PackingTerms(string Account, string Service, ImmutableArray<string> Rules, string? Password, long? PartSize)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{Account} at {Service}";

    /// <summary>Who asked for it; null: nobody by name.</summary>
    public string? By { get; init; }

    /// <summary>Makes the seal of a part from SHA-256 of its manifest; null: parts are not sealed.</summary>
    public Func<byte[], byte[]>? Seal { get; init; }
}
