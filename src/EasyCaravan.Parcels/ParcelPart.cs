using System.Security.Cryptography;
using EasyCaravan.Parcels.Manifest;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Parcels;

/// <summary>One closed file of a parcel, open for reading.</summary>
public sealed class ParcelPart : IDisposable
{
    public const string ManifestName = "manifest.jsonl";

    public const string SealName = "seal.json";

    public const string Comment = "Easy Caravan parcel. What is in it stands in manifest.jsonl.";

    /// <summary>Octets of an item that is shown whole.</summary>
    private const int LargestShown = 50_000_000;

    private readonly ZipArchiveFile _archive;
    private readonly ZipEntry _manifest;
    private ZipPlaces? _places;

    private ParcelPart(string path, ZipArchiveFile archive, ZipEntry manifest, ManifestHeader header)
    {
        (Path, _archive, _manifest, Header) = (path, archive, manifest, header);
    }

    public string Path { get; }

    public string FileName => System.IO.Path.GetFileName(Path);

    public ManifestHeader Header { get; }

    public ZipArchiveFile Archive => _archive;

    public ZipEntry ManifestEntry => _manifest;

    public bool IsEncrypted => _manifest.IsEncrypted;

    /// <exception cref="ParcelException">It is no parcel, or cannot be read.</exception>
    public static ParcelPart Open(string path, string? password)
    {
        var archive = ZipArchiveFile.Open(path);
        try
        {
            var manifest = FindManifest(archive, System.IO.Path.GetFileName(path));
            using var octets = archive.OpenEntry(manifest, password);
            return ManifestReader.Read(octets, System.IO.Path.GetFileName(path)).FirstOrDefault() is ManifestHeader header
                ? new ParcelPart(path, archive, manifest, header)
                : throw new ParcelException(ParcelCause.NoParcel, $"{System.IO.Path.GetFileName(path)} is an archive, but no parcel");
        }
        catch
        {
            archive.Dispose();
            throw;
        }
    }

    /// <summary>All lines of the manifest. Damage of its octets is told at its end.</summary>
    public IEnumerable<ManifestRecord> ReadManifest(string? password)
    {
        using var octets = _archive.OpenEntry(_manifest, password);
        foreach (var record in ManifestReader.Read(octets, FileName))
            yield return record;
    }

    /// <summary>SHA-256 of the manifest, in hexadecimal: what a seal is over, and what the next part names.</summary>
    public string DigestOfManifest(string? password)
    {
        using var octets = _archive.OpenEntry(_manifest, password);
        return Convert.ToHexStringLower(SHA256.HashData(octets));
    }

    /// <summary>The print of the key that sealed the part; null: it is not sealed.</summary>
    /// <exception cref="ParcelException">Its seal is not that of its manifest.</exception>
    public string? SealedBy(string? password)
    {
        foreach (var entry in _archive.ReadDirectory())
            if (entry.Name == SealName)
            {
                using var seal = _archive.OpenEntry(entry, password);
                return ParcelSeal.Check(seal, Convert.FromHexString(DigestOfManifest(password)), FileName);
            }
        return null;
    }

    /// <summary>The octets of an item by its path in the archive.</summary>
    /// <exception cref="ParcelException">It is not there.</exception>
    public Stream OpenItem(ulong pathHash, string? password)
    {
        _places ??= ZipPlaces.Of(_archive);
        return _places.Open(_archive, pathHash, password, FileName);
    }

    /// <summary>The octets of an item by its path; null: there is none, or one that is larger than is shown.</summary>
    public byte[]? FindItem(string path, string? password)
    {
        foreach (var entry in _archive.ReadDirectory())
            if (entry.Name == path && entry.Size <= LargestShown)
            {
                using var stream = _archive.OpenEntry(entry, password);
                var octets = new byte[entry.Size];
                stream.ReadExactly(octets);
                return octets;
            }
        return null;
    }

    public void Dispose() => _archive.Dispose();

    /// <summary>It is among the last entries where it was packed here; else it is found without holding the others.</summary>
    private static ZipEntry FindManifest(ZipArchiveFile archive, string name)
    {
        if (archive.ReadLast(ManifestName, SealName).Where(e => e.Name == ManifestName).ToList() is [var last])
            return last;
        ZipEntry? found = null;
        foreach (var entry in archive.ReadDirectory())
            if (entry.Name == ManifestName)
                found = found is null ? entry : throw new ParcelException(ParcelCause.Damaged, $"{name}: it has two manifests");
        return found ?? throw new ParcelException(ParcelCause.NoParcel, $"{name} is an archive, but no parcel");
    }
}
