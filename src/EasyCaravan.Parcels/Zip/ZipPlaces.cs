using System.IO.Hashing;
using System.Text;

namespace EasyCaravan.Parcels.Zip;

/// <summary>
/// Where each entry of an archive begins, in sixteen octets each: hashes of names in order, with places. A name is compared when its entry
/// is opened.
/// </summary>
public sealed class ZipPlaces
{
    private readonly ulong[] _hashes;
    private readonly long[] _places;

    private ZipPlaces(ulong[] hashes, long[] places) => (_hashes, _places) = (hashes, places);

    public static ulong HashOf(string name) => XxHash64.HashToUInt64(Encoding.UTF8.GetBytes(name));

    public static ZipPlaces Of(ZipArchiveFile archive)
    {
        var (hashes, places) = (new ulong[archive.Entries], new long[archive.Entries]);
        var i = 0;
        foreach (var entry in archive.ReadDirectory())
            (hashes[i], places[i++]) = (HashOf(entry.Name), entry.At);
        Array.Sort(hashes, places);
        return new ZipPlaces(hashes, places);
    }

    public Stream Open(ZipArchiveFile archive, ulong hash, string? password, string file)
    {
        var i = Array.BinarySearch(_hashes, hash);
        if (i < 0)
            throw new ParcelException(ParcelCause.Damaged, $"{file}: an item that its manifest tells is not in it");
        var (entry, octets) = archive.OpenAt(_places[i], password);
        if (HashOf(entry.Name) == hash)
            return octets;
        octets.Dispose();
        throw new ParcelException(ParcelCause.Damaged, $"{file}: an entry calls itself otherwise than the directory");
    }
}
