using System.Collections.Immutable;
using System.Runtime.InteropServices;
using EasyCaravan.Parcels.Manifest;

namespace EasyCaravan.Parcels;

/// <summary>A folder of a parcel. Its messages are there once the parcel's items were loaded.</summary>
public sealed class PackedFolder
{
    private readonly List<PackedMessage> _messages = [];

    public PackedFolder(FolderRecord record)
    {
        (Id, Names, Place, Epoch) = (record.Id, record.Names, record.Place, record.Epoch);
        Become(record);
    }

    public int Id { get; }

    public ImmutableArray<string> Names { get; }

    public string Place { get; }

    public string? Use { get; private set; }

    public bool IsSubscribed { get; set; }

    public uint Epoch { get; }

    public uint Next { get; private set; }

    public ulong Mark { get; private set; }

    public uint Count { get; private set; }

    /// <summary>In the order of their numbers. Valid until the folder changes.</summary>
    public ReadOnlySpan<PackedMessage> Messages => CollectionsMarshal.AsSpan(_messages);

    /// <summary>As a table of the parcel tells it.</summary>
    public void Become(FolderRecord record)
    {
        (Use, IsSubscribed, Next, Mark, Count) = (record.Use, record.IsSubscribed, record.Next, record.Mark, record.Count);
    }

    public FolderRecord ToRecord() => new(Id, Names, Place, Use, IsSubscribed, Epoch, Next, Mark, Count);

    public PackedMessage? Find(uint number) => IndexOf(number) is >= 0 and var i ? _messages[i] : null;

    public void Put(in PackedMessage message)
    {
        Mark++;
        Next = Math.Max(Next, message.Number + 1);
        // Nearly always behind the last one.
        if (_messages.Count == 0 || _messages[^1].Number < message.Number)
        {
            _messages.Add(message);
        }
        else if (IndexOf(message.Number) is var i && i >= 0)
        {
            _messages[i] = message;
            return;
        }
        else
        {
            _messages.Insert(~i, message);
        }
        Count++;
    }

    public bool Remove(uint number)
    {
        if (IndexOf(number) is not (>= 0 and var i))
            return false;
        _messages.RemoveAt(i);
        Mark++;
        Count--;
        return true;
    }

    private int IndexOf(uint number)
    {
        var (low, high) = (0, _messages.Count - 1);
        while (low <= high)
        {
            var middle = (low + high) / 2;
            var there = _messages[middle].Number;
            if (there == number)
                return middle;
            if (there < number)
                low = middle + 1;
            else
                high = middle - 1;
        }
        return ~low;
    }
}

/// <summary>A message of a parcel: where its octets are, and what they have to be.</summary>
/// <param name="PathHash">Of its path in the archive, see <see cref="Zip.ZipPlaces"/>.</param>
public readonly record struct PackedMessage(
    uint Number,
    int FlagSet,
    long Size,
    DateTimeOffset Received,
    int Part,
    ulong PathHash,
    PackedDigest Digest
);

/// <summary>SHA-256 without an object of its own.</summary>
public readonly record struct PackedDigest(ulong A, ulong B, ulong C, ulong D)
{
    public const int Length = 32;

    public static PackedDigest Of(string hex) => Of(Convert.FromHexString(hex));

    public static PackedDigest Of(ReadOnlySpan<byte> octets) => MemoryMarshal.Read<PackedDigest>(octets);

    public void CopyTo(Span<byte> octets) => MemoryMarshal.Write(octets, this);

    public string Hex
    {
        get
        {
            Span<byte> octets = stackalloc byte[Length];
            CopyTo(octets);
            return Convert.ToHexStringLower(octets);
        }
    }
}
