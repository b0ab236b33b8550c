using EasyCaravan.Contract;

namespace EasyCaravan.Service.Parcels;

/// <summary>A file on the cover sheet of a parcel.</summary>
/// <param name="Sha256">Of the whole file.</param>
/// <param name="ManifestSha256">Of its manifest, over which the seal is.</param>
/// <param name="SealedBy">The print of the key; null: it is not sealed.</param>
public sealed record CoverPart(ParcelPartView Part, string Sha256, string ManifestSha256, string? SealedBy);
