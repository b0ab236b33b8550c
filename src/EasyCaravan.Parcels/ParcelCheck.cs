using System.Collections.Immutable;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Parcels.Manifest;
using EasyCaravan.Parcels.Zip;

namespace EasyCaravan.Parcels;

/// <summary>What is wrong with a parcel.</summary>
/// <param name="File">Which part.</param>
/// <param name="Path">Of the entry in it; null: the part itself.</param>
/// <param name="What">One sentence without a full stop.</param>
public sealed record ParcelFinding(string File, string? Path, string What)
{
    /// <summary>Nothing is damaged; a part is not here.</summary>
    public bool IsGap { get; init; }
}

/// <summary>What a check found.</summary>
/// <param name="Account">Whose it is; null: no part can be read.</param>
/// <param name="Parts">That were looked at.</param>
/// <param name="Items">Whose octets were read.</param>
/// <param name="Octets">That were read.</param>
/// <param name="Sums">Of what is there with the last part, by kind, as they were worked out from what was read.</param>
/// <param name="Findings">The first thousand; none: the parcel is as it was packed.</param>
/// <param name="SealedBy">The print of the key that sealed the last part, and with it all of them; null: it is not sealed.</param>
public sealed record ParcelReport(
    string? Account,
    int Parts,
    long Items,
    long Octets,
    ImmutableSortedDictionary<MoveKind, KindSum> Sums,
    ImmutableArray<ParcelFinding> Findings,
    string? SealedBy
);

/// <summary>
/// Reads a parcel from its first octet to its last and compares all that it says of itself: digests, sizes, counts, sums, the chain of its
/// parts, and the archive's own structure octet by octet.
/// </summary>
public sealed class ParcelCheck
{
    private const int MostFindings = 1000;

    private readonly List<ParcelFinding> _findings = [];
    private readonly ParcelState _state = new();
    private readonly byte[] _buffer = new byte[256 * 1024];
    private (long Items, long Octets) _read;
    private string? _before;
    private string? _sealedBy;

    private ParcelCheck() { }

    /// <param name="path">Of one part; the others lie beside it.</param>
    /// <exception cref="ParcelException">There is no such file.</exception>
    public static ParcelReport Run(string path, string? password, CancellationToken cancel = default)
    {
        var folder = Path.GetDirectoryName(Path.GetFullPath(path))!;
        var name = ParcelName.Parse(Path.GetFileName(path))?.Name
            ?? throw new ParcelException(ParcelCause.NoParcel, $"{Path.GetFileName(path)} does not end in .zip, as parcels do");
        if (!File.Exists(path))
            throw new ParcelException(ParcelCause.Missing, $"there is no file {Path.GetFileName(path)}");
        return new ParcelCheck().Run(folder, name, password, cancel);
    }

    private ParcelReport Run(string folder, string name, string? password, CancellationToken cancel)
    {
        ManifestHeader? first = null;
        ManifestHeader? last = null;
        var highest = HighestPart(folder, name);
        for (var number = 1; number <= highest; number++)
        {
            var file = ParcelName.OfPart(name, number);
            if (!File.Exists(Path.Combine(folder, file)))
            {
                Add(file, null, "this part is missing", isGap: true);
                _before = null;
                continue;
            }
            try
            {
                using var part = ParcelPart.Open(Path.Combine(folder, file), password);
                CheckChain(part, number, first, last);
                CheckPart(part, password, cancel);
                first ??= part.Header;
                last = part.Header;
            }
            catch (ParcelException e) when (e.Cause is not ParcelCause.WrongPassword)
            {
                Add(file, null, e.Message);
                _before = null;
            }
        }
        if (last is { IsComplete: false })
            Add(
                ParcelName.OfPart(name, last.Part),
                null,
                "the run that packed it is not complete: a part behind it is missing",
                isGap: true
            );
        return new ParcelReport(first?.Account, highest, _read.Items, _read.Octets, _state.Sums(), [.. _findings], _sealedBy);
    }

    /// <summary>A gap is a part that is missing, not the parcel's end.</summary>
    private static int HighestPart(string folder, string name) =>
        Directory
            .EnumerateFiles(folder)
            .Select(f => ParcelName.Parse(Path.GetFileName(f)))
            .Where(p => p?.Name == name)
            .Max(p => p!.Value.Part);

    private void CheckChain(ParcelPart part, int number, ManifestHeader? first, ManifestHeader? last)
    {
        var header = part.Header;
        if (header.Part != number)
            Add(part.FileName, null, $"it is part {header.Part}, and its name says {number}");
        if (first is not null && header.Parcel != first.Parcel)
            Add(part.FileName, null, "it is part of another parcel");
        if (number > 1 && _before is not null && header.Before != _before)
            Add(part.FileName, null, "the part before it is not the one on which it was packed");
        if (
            number == 1
                ? header is not { Before: null, Packing: 1 }
                : last is not null && header.Packing != last.Packing + (last.IsComplete ? 1 : 0)
        )
            Add(part.FileName, null, "it does not follow the part before it");
    }

    private void CheckPart(ParcelPart part, string? password, CancellationToken cancel)
    {
        var expected = ReadManifest(part, password);
        var (at, manifests) = (0L, 0);
        var central = part.Archive.DirectoryAt;
        long entries = 0;
        _sealedBy = null;
        foreach (var entry in part.Archive.ReadDirectory())
        {
            cancel.ThrowIfCancellationRequested();
            entries++;
            // What is written here can be written again: whatever differs was changed, or packed by another program.
            var (local, directory) = (ZipHeaders.Local(entry), ZipHeaders.Central(entry));
            if (entry.At != at || !IsThere(part, at, local) || !IsThere(part, central, directory))
                Add(part.FileName, entry.Name, "the archive's structure is not as it was packed");
            at = entry.At + local.Length + entry.Stored;
            central += directory.Length;
            if (entry.Name == ParcelPart.ManifestName)
            {
                manifests++;
                continue;
            }
            if (entry.Name == ParcelPart.SealName)
            {
                using var seal = part.Archive.OpenEntry(entry, password);
                _sealedBy = ParcelSeal.Check(seal, Convert.FromHexString(_before!), part.FileName);
                continue;
            }
            CheckEntry(part, entry, expected, password, cancel);
        }
        var end = ZipHeaders.End(entries, part.Archive.DirectoryAt, central - part.Archive.DirectoryAt, ParcelPart.Comment);
        if (at != part.Archive.DirectoryAt || part.Archive.Length != central + end.Length || !IsThere(part, central, end))
            Add(part.FileName, null, "the archive's structure is not as it was packed");
        if (expected.Values.Any(e => !e.IsSeen))
            foreach (var path in PathsOf(part, password).Where(p => !expected[ZipPlaces.HashOf(p)].IsSeen).Take(MostFindings))
                Add(part.FileName, path, "it is not there");
    }

    private static IEnumerable<string> PathsOf(ParcelPart part, string? password) =>
        part.ReadManifest(password).Select(r => r is MessageRecord m ? m.Path : (r as ItemRecord)?.Path).OfType<string>();

    /// <summary>What the manifest says of each file, by the hash of its path.</summary>
    private Dictionary<ulong, Expected> ReadManifest(ParcelPart part, string? password)
    {
        var expected = new Dictionary<ulong, Expected>();
        var (count, end) = (0L, (EndRecord?)null);
        var digest = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        using (var octets = part.Archive.OpenEntry(part.ManifestEntry, password))
        {
            int read;
            while ((read = octets.Read(_buffer)) > 0)
                digest.AppendData(_buffer.AsSpan(0, read));
        }
        IEnumerable<ManifestRecord> Counted()
        {
            foreach (var record in part.ReadManifest(password))
            {
                if (end is not null)
                    Add(part.FileName, ParcelPart.ManifestName, "something stands behind its last line");
                if (record is EndRecord last)
                    end = last;
                else
                    count++;
                if (record is MessageRecord m)
                    Expect(part, expected, m.Path, m.Size, m.Sha256);
                else if (record is ItemRecord i)
                    Expect(part, expected, i.Path, i.Size, i.Sha256);
                yield return record;
            }
        }
        _state.TakePart(part.Header, Counted(), withItems: true);
        _before = Convert.ToHexStringLower(digest.GetHashAndReset());
        if (end is null || end.Records != count)
            Add(part.FileName, ParcelPart.ManifestName, "it has not the number of lines that its last one tells");
        else if (part.Header.IsComplete)
            foreach (var (kind, sum) in _state.Sums().Where(s => end.Sums.GetValueOrDefault(s.Key) != s.Value))
                Add(
                    part.FileName,
                    ParcelPart.ManifestName,
                    $"the sums of {ManifestLine.WordOf(kind)} are not those of its lines ({sum.Items} items)"
                );
        return expected;
    }

    private void Expect(ParcelPart part, Dictionary<ulong, Expected> expected, string path, long size, string sha256)
    {
        if (!expected.TryAdd(ZipPlaces.HashOf(path), new Expected(size, PackedDigest.Of(sha256), IsSeen: false)))
            Add(part.FileName, path, "the manifest names it twice");
        if (expected.Count > part.Archive.Entries)
            throw new ParcelException(ParcelCause.Damaged, $"the manifest of {part.FileName} names more files than it holds");
    }

    private void CheckEntry(
        ParcelPart part,
        ZipEntry entry,
        Dictionary<ulong, Expected> expected,
        string? password,
        CancellationToken cancel
    )
    {
        var hash = ZipPlaces.HashOf(entry.Name);
        if (!expected.TryGetValue(hash, out var told))
        {
            Add(part.FileName, entry.Name, "the manifest does not know it");
            return;
        }
        if (told.IsSeen)
            Add(part.FileName, entry.Name, "it is there twice");
        expected[hash] = told with { IsSeen = true };
        if (entry.IsLink || entry.IsFolder || !SafeName.IsSafePath(entry.Name))
            Add(part.FileName, entry.Name, "its name is not safe");
        try
        {
            using var octets = part.Archive.OpenEntry(entry, password);
            var (digest, size) = (IncrementalHash.CreateHash(HashAlgorithmName.SHA256), 0L);
            int read;
            while ((read = octets.Read(_buffer)) > 0)
            {
                cancel.ThrowIfCancellationRequested();
                digest.AppendData(_buffer.AsSpan(0, read));
                size += read;
            }
            _read = (_read.Items + 1, _read.Octets + size);
            if (size != told.Size || PackedDigest.Of(digest.GetHashAndReset()) != told.Digest)
                Add(part.FileName, entry.Name, "it is not what was packed");
        }
        catch (ParcelException e) when (e.Cause is not ParcelCause.WrongPassword)
        {
            Add(part.FileName, entry.Name, "it is damaged");
        }
    }

    private static bool IsThere(ParcelPart part, long at, ReadOnlySpan<byte> octets)
    {
        if (at + octets.Length > part.Archive.Length)
            return false;
        Span<byte> there = octets.Length <= 4096 ? stackalloc byte[octets.Length] : new byte[octets.Length];
        part.Archive.Read(at, there, "its structure");
        return there.SequenceEqual(octets);
    }

    private void Add(string file, string? path, string what, bool isGap = false)
    {
        if (_findings.Count < MostFindings)
            _findings.Add(new ParcelFinding(file, path, what) { IsGap = isGap });
    }

    private readonly record struct Expected(long Size, PackedDigest Digest, bool IsSeen);
}
