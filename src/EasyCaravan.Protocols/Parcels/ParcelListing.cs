using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>A parcel as it lies in a folder.</summary>
/// <param name="Account">Null: it is encrypted, or cannot be read.</param>
/// <param name="Trouble">Why it cannot be read; null: it can.</param>
public sealed record ParcelListing(
    string Name,
    int Parts,
    long Octets,
    DateTimeOffset ChangedAt,
    bool IsEncrypted,
    bool IsUnderWay,
    string? Account,
    string? Service,
    string? Trouble
);

/// <summary>Lists the parcels of a folder. What a file says of itself is read once, and again when it changes.</summary>
public sealed class ParcelListings
{
    private const int MostKnown = 100_000;

    private readonly System.Collections.Concurrent.ConcurrentDictionary<(string Path, DateTime Changed, long Length), First> _known = new();

    private sealed record First(string? Account, string? Service, bool IsEncrypted, string? Trouble);

    public IReadOnlyList<ParcelListing> In(string folder) =>
        [
            .. new DirectoryInfo(folder)
                .EnumerateFiles()
                .Where(f => f.LinkTarget is null)
                .Select(f => (File: f, Name: NameOf(f.Name)))
                .Where(f => f.Name is not null)
                .GroupBy(f => f.Name!.Value.Name)
                .OrderBy(g => g.Key, StringComparer.Ordinal)
                .Select(g =>
                    ListingOf(g.Key, [.. g.Where(f => f.Name!.Value.IsPart).Select(f => f.File)], g.Any(f => !f.Name!.Value.IsPart))
                ),
        ];

    /// <summary>Of which parcel a file is, and whether it is a complete part of it; null: of none.</summary>
    private static (string Name, bool IsPart)? NameOf(string file) =>
        file.EndsWith(ParcelPacker.LogEnding, StringComparison.Ordinal)
            ? ParcelName.Parse(file[..^ParcelPacker.LogEnding.Length]) is { } underWay
                ? (underWay.Name, false)
                : null
            : ParcelName.Parse(file) is { } part
                ? (part.Name, true)
                : null;

    private ParcelListing ListingOf(string name, IReadOnlyList<FileInfo> parts, bool isUnderWay)
    {
        var first = parts.FirstOrDefault(p => ParcelName.Parse(p.Name)!.Value.Part == 1);
        var said = first is null ? new First(null, null, false, parts.Count > 0 ? "its first part is missing" : null) : Look(first);
        return new ParcelListing(
            name,
            parts.Count,
            parts.Sum(p => p.Length),
            parts.Count == 0 ? DateTimeOffset.UnixEpoch : parts.Max(p => p.LastWriteTimeUtc),
            said.IsEncrypted,
            isUnderWay,
            said.Account,
            said.Service,
            said.Trouble
        );
    }

    private First Look(FileInfo file)
    {
        if (_known.Count > MostKnown)
            _known.Clear();
        return _known.GetOrAdd((file.FullName, file.LastWriteTimeUtc, file.Length), key =>
        {
            try
            {
                using var part = ParcelPart.Open(key.Path, null);
                return new First(part.Header.Account, part.Header.Service, false, null);
            }
            catch (ParcelException e) when (e.Cause is ParcelCause.WrongPassword)
            {
                return new First(null, null, true, null);
            }
            catch (ParcelException e)
            {
                return new First(null, null, false, e.Message);
            }
        });
    }
}
