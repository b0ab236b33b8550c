namespace EasyCaravan.Core.Planning;

/// <summary>A folder in which accounts lie packed, and how they are packed there.</summary>
/// <param name="Folder">Below the folder of files that the service was started with, or the whole path of one below it.</param>
/// <param name="Name">
/// Of a parcel's files: <c>{account}</c> stands for whose it is, <c>{date}</c> for the day on which it was begun.
/// </param>
public sealed record ParcelPlace(string Folder, string Name)
{
    public const string UsualName = "{account} {date}";

    /// <summary>With which parcels are encrypted whose person has none of their own; null: those are not encrypted.</summary>
    public SecretReference? Password { get; init; }

    /// <summary>Parcels are read as they were then; null: as they are.</summary>
    public DateTimeOffset? AsOf { get; init; }

    /// <summary>Octets after which another file is begun; null: one for each run.</summary>
    public ByteCount? PartSize { get; init; }
}
