namespace EasyCaravan.Parcels.Zip;

/// <summary>What is taken for an archive that somebody packed in good faith.</summary>
/// <param name="Entries">The most that it may hold.</param>
/// <param name="Ratio">How many times larger than in the archive an entry above <see cref="SmallEntry"/> may be.</param>
/// <param name="Octets">The most that all entries together may have when they are unpacked.</param>
public sealed record ZipBounds(long Entries, int Ratio, long Octets)
{
    public const long SmallEntry = 1024 * 1024;

    public static ZipBounds Usual { get; } = new(2_000_000, 200, 1L << 44);
}
