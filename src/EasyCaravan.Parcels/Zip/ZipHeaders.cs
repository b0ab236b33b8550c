using System.Buffers.Binary;
using System.Text;

namespace EasyCaravan.Parcels.Zip;

/// <summary>
/// The headers of an archive, exactly as they are written here (APPNOTE 6.3 §4.3). A check writes them anew from what it read and compares:
/// so no octet of an archive can change unseen.
/// </summary>
internal static class ZipHeaders
{
    public const uint LocalMark = 0x04034b50;
    public const uint CentralMark = 0x02014b50;
    public const uint EndMark = 0x06054b50;
    public const uint WideEndMark = 0x06064b50;
    public const uint WideLocatorMark = 0x07064b50;

    public const int LocalLength = 30;
    public const int CentralLength = 46;
    public const int EndLength = 22;
    public const int WideEndLength = 56;
    public const int WideLocatorLength = 20;

    public const ushort WideField = 0x0001;
    public const ushort AesField = 0x9901;

    /// <summary>The method that stands in the headers of entries encrypted with AES; the true one is in their extra field.</summary>
    public const ushort AesMethod = 99;

    public const ushort EncryptedFlag = 0x0001;
    public const ushort DescriptorFlag = 0x0008;
    public const ushort StrongEncryptionFlag = 0x0040;
    public const ushort Utf8Flag = 0x0800;
    public const ushort MaskedFlag = 0x2000;

    /// <summary>Version 4.5 for 64 bits, 5.1 for AES; made on Unix, so that names are read as such.</summary>
    private const ushort PlainVersion = 20;
    private const ushort WideVersion = 45;
    private const ushort AesVersion = 51;
    private const ushort MadeBy = (3 << 8) | AesVersion;

    /// <summary>A plain file, to be read and written by its owner alone.</summary>
    private const uint OwnersFile = 0x8180u << 16;

    /// <summary>Salt of 16, verifier of 2 and authentication code of 10 octets.</summary>
    public const int AesOverhead = 28;

    /// <summary>The length of the local header with name and extra fields.</summary>
    public static int LocalLengthOf(ZipEntry entry) =>
        LocalLength + Encoding.UTF8.GetByteCount(entry.Name) + (entry.HasWideHeader ? 20 : 0) + (entry.IsEncrypted ? 11 : 0);

    public static byte[] Local(ZipEntry entry)
    {
        var name = Encoding.UTF8.GetBytes(entry.Name);
        var octets = new byte[LocalLengthOf(entry)];
        var at = new FieldWriter(octets);
        at.U32(LocalMark);
        at.U16(VersionOf(entry, entry.HasWideHeader));
        at.U16(FlagsOf(entry));
        at.U16(MethodOf(entry));
        at.U32(entry.Time);
        at.U32(entry.Crc);
        at.U32(entry.HasWideHeader ? uint.MaxValue : (uint)entry.Stored);
        at.U32(entry.HasWideHeader ? uint.MaxValue : (uint)entry.Size);
        at.U16((ushort)name.Length);
        at.U16((ushort)((entry.HasWideHeader ? 20 : 0) + (entry.IsEncrypted ? 11 : 0)));
        at.Octets(name);
        if (entry.HasWideHeader)
        {
            at.U16(WideField);
            at.U16(16);
            at.U64((ulong)entry.Size);
            at.U64((ulong)entry.Stored);
        }
        if (entry.IsEncrypted)
            Aes(ref at, entry);
        return octets;
    }

    public static byte[] Central(ZipEntry entry)
    {
        var name = Encoding.UTF8.GetBytes(entry.Name);
        var (wideSize, wideStored, wideAt) = (IsWide(entry.Size), IsWide(entry.Stored), IsWide(entry.At));
        var wide = (wideSize ? 8 : 0) + (wideStored ? 8 : 0) + (wideAt ? 8 : 0);
        var extra = (wide > 0 ? 4 + wide : 0) + (entry.IsEncrypted ? 11 : 0);
        var octets = new byte[CentralLength + name.Length + extra];
        var at = new FieldWriter(octets);
        at.U32(CentralMark);
        at.U16(MadeBy);
        at.U16(VersionOf(entry, entry.HasWideHeader || wide > 0));
        at.U16(FlagsOf(entry));
        at.U16(MethodOf(entry));
        at.U32(entry.Time);
        at.U32(entry.Crc);
        at.U32(wideStored ? uint.MaxValue : (uint)entry.Stored);
        at.U32(wideSize ? uint.MaxValue : (uint)entry.Size);
        at.U16((ushort)name.Length);
        at.U16((ushort)extra);
        at.U16(0);
        at.U16(0);
        at.U16(0);
        at.U32(OwnersFile);
        at.U32(wideAt ? uint.MaxValue : (uint)entry.At);
        at.Octets(name);
        if (wide > 0)
        {
            at.U16(WideField);
            at.U16((ushort)wide);
            if (wideSize)
                at.U64((ulong)entry.Size);
            if (wideStored)
                at.U64((ulong)entry.Stored);
            if (wideAt)
                at.U64((ulong)entry.At);
        }
        if (entry.IsEncrypted)
            Aes(ref at, entry);
        return octets;
    }

    /// <summary>What stands behind the directory. The 64-bit form is always there, so that archives of all sizes look alike.</summary>
    public static byte[] End(long entries, long directoryAt, long directoryLength, string comment)
    {
        var text = Encoding.ASCII.GetBytes(comment);
        var octets = new byte[WideEndLength + WideLocatorLength + EndLength + text.Length];
        var at = new FieldWriter(octets);
        at.U32(WideEndMark);
        at.U64(WideEndLength - 12);
        at.U16(MadeBy);
        at.U16(WideVersion);
        at.U32(0);
        at.U32(0);
        at.U64((ulong)entries);
        at.U64((ulong)entries);
        at.U64((ulong)directoryLength);
        at.U64((ulong)directoryAt);
        at.U32(WideLocatorMark);
        at.U32(0);
        at.U64((ulong)(directoryAt + directoryLength));
        at.U32(1);
        at.U32(EndMark);
        at.U16(0);
        at.U16(0);
        at.U16((ushort)Math.Min(entries, ushort.MaxValue));
        at.U16((ushort)Math.Min(entries, ushort.MaxValue));
        at.U32((uint)Math.Min(directoryLength, uint.MaxValue));
        at.U32((uint)Math.Min(directoryAt, uint.MaxValue));
        at.U16((ushort)text.Length);
        at.Octets(text);
        return octets;
    }

    private static bool IsWide(long value) => value >= uint.MaxValue;

    private static ushort VersionOf(ZipEntry entry, bool isWide) =>
        entry.IsEncrypted ? AesVersion
        : isWide ? WideVersion
        : PlainVersion;

    private static ushort FlagsOf(ZipEntry entry) => (ushort)(Utf8Flag | (entry.IsEncrypted ? EncryptedFlag : 0));

    private static ushort MethodOf(ZipEntry entry) => entry.IsEncrypted ? AesMethod : (ushort)entry.Method;

    /// <summary>AE-2 with 256 bits.</summary>
    private static void Aes(ref FieldWriter at, ZipEntry entry)
    {
        at.U16(AesField);
        at.U16(7);
        at.U16(2);
        at.U16('A' | ('E' << 8));
        at.Octets([3]);
        at.U16((ushort)entry.Method);
    }

    private ref struct FieldWriter(Span<byte> rest)
    {
        private Span<byte> _rest = rest;

        public void U16(int value)
        {
            BinaryPrimitives.WriteUInt16LittleEndian(_rest, (ushort)value);
            _rest = _rest[2..];
        }

        public void U32(uint value)
        {
            BinaryPrimitives.WriteUInt32LittleEndian(_rest, value);
            _rest = _rest[4..];
        }

        public void U64(ulong value)
        {
            BinaryPrimitives.WriteUInt64LittleEndian(_rest, value);
            _rest = _rest[8..];
        }

        public void Octets(ReadOnlySpan<byte> octets)
        {
            octets.CopyTo(_rest);
            _rest = _rest[octets.Length..];
        }
    }
}
