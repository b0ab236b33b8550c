namespace EasyCaravan.Parcels.Zip;

/// <summary>How the octets of an entry are kept (APPNOTE 6.3 §4.4.5).</summary>
public enum ZipMethod : ushort
{
    Stored = 0,
    Deflated = 8,
}

/// <summary>One file within an archive, as the archive's directory tells it.</summary>
/// <param name="At">Where its local header begins, in octets from the archive's begin.</param>
/// <param name="Stored">Octets that it takes in the archive, those of its encryption included.</param>
/// <param name="Size">Octets that it has when it is unpacked.</param>
/// <param name="Crc">CRC-32 of its octets; 0 where it is encrypted, as its authentication code says more (AE-2).</param>
/// <param name="Time">Its date in the form of MS-DOS: the date in the upper half, the time in the lower.</param>
public sealed record ZipEntry(string Name, long At, long Stored, long Size, ZipMethod Method, uint Crc, uint Time)
{
    /// <summary>Encrypted with AES-256, as AE-2 defines it.</summary>
    public bool IsEncrypted { get; init; }

    /// <summary>Its local header has sizes of 64 bits, because they were not known or are that large (APPNOTE 6.3 §4.5.3).</summary>
    public bool HasWideHeader { get; init; }

    /// <summary>It names another file instead of holding one.</summary>
    public bool IsLink { get; init; }

    public bool IsFolder => Name.EndsWith('/');
}
