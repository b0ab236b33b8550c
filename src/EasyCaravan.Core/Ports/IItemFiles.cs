using EasyCaravan.Core.Formats.Csv;

namespace EasyCaravan.Core.Ports;

/// <summary>A file with contacts or events that was handed over.</summary>
/// <param name="Name">Its path below the plan's folder.</param>
/// <param name="Digest">SHA-256 of its octets, in hexadecimal.</param>
/// <param name="Columns">What a person chose for columns of a spreadsheet, by header; it outweighs the plan.</param>
public sealed record ItemFileState(
    string Name,
    long Length,
    string Digest,
    DateTimeOffset ReceivedAt,
    IReadOnlyDictionary<string, ColumnUse> Columns
);

/// <summary>Files with contacts or events that were handed over.</summary>
public interface IItemFiles
{
    /// <param name="pattern"><c>*</c> stands for any part of a name between two slashes.</param>
    Task<IReadOnlyList<ItemFileState>> FindAsync(string pattern, CancellationToken cancel);

    /// <returns>Null: it is not there.</returns>
    Task<ReadOnlyMemory<byte>?> ReadAsync(string name, CancellationToken cancel);
}
