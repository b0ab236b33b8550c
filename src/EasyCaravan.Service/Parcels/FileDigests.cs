using System.Collections.Concurrent;
using System.Security.Cryptography;

namespace EasyCaravan.Service.Parcels;

/// <summary>SHA-256 of files, worked out once for each length and time.</summary>
internal sealed class FileDigests
{
    private const int MostKnown = 10_000;

    private readonly ConcurrentDictionary<(string Path, long Length, DateTime Changed), string> _known = new();

    /// <summary>In hexadecimal.</summary>
    public async Task<string> OfAsync(string path, CancellationToken cancel)
    {
        var file = new FileInfo(path);
        var key = (path, file.Length, file.LastWriteTimeUtc);
        if (_known.TryGetValue(key, out var known))
            return known;
        await using var octets = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 1024 * 1024, useAsync: true);
        var digest = Convert.ToHexStringLower(await SHA256.HashDataAsync(octets, cancel));
        if (_known.Count > MostKnown)
            _known.Clear();
        return _known[key] = digest;
    }
}
