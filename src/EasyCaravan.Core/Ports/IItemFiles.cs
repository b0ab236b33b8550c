using EasyCaravan.Core.Formats.Csv;
using EasyCaravan.Core.Planning;

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
)
{
    /// <summary>What was found when it was read as it is now; null: nobody has looked yet.</summary>
    public ItemFileOutline? Outline { get; init; }
}

/// <summary>What a file holds, as far as it decides which files are one collection and what that is called.</summary>
/// <param name="Format">As which it was read.</param>
/// <param name="Title">What the file calls itself; null: nothing.</param>
/// <param name="Items">How many contacts or events it holds.</param>
public sealed record ItemFileOutline(ItemFileFormat Format, string? Title, int Items);

/// <summary>Files with contacts or events that were handed over.</summary>
public interface IItemFiles
{
    /// <param name="pattern"><c>*</c> stands for any part of a name between two slashes.</param>
    Task<IReadOnlyList<ItemFileState>> FindAsync(string pattern, CancellationToken cancel);

    /// <returns>Null: it is not there.</returns>
    Task<ReadOnlyMemory<byte>?> ReadAsync(string name, CancellationToken cancel);

    /// <summary>Keeps what was found in files, so that nobody has to look again while they stay the same.</summary>
    Task KeepOutlinesAsync(IReadOnlyCollection<ItemFileState> read, CancellationToken cancel);
}
