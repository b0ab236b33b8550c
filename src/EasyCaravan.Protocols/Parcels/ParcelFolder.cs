using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Parcels;
using EasyCaravan.Protocols.Files;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>A folder of a parcel.</summary>
internal sealed class ParcelFolder(PackedFolder packed, IParcelView parcel) : LocalFolder
{
    public PackedFolder Packed => packed;

    public override FolderPath Path { get; } = FolderPath.Of(packed.Names);

    public override SpecialUse Use =>
        packed.Use is { } word && Enum.TryParse<SpecialUse>(word, ignoreCase: true, out var use) ? use : SpecialUse.None;

    public override bool IsSubscribed => packed.IsSubscribed;

    public override FolderCursor Cursor => new(packed.Epoch, packed.Next, packed.Mark, packed.Count);

    public override IEnumerable<ItemInfo> Items()
    {
        for (var i = 0; i < packed.Messages.Length; i++)
            yield return InfoOf(packed.Messages[i]);
    }

    public override ItemInfo? Find(uint number) => packed.Find(number) is { } message ? InfoOf(message) : null;

    public override LocalMessage Open(uint number)
    {
        var message = packed.Find(number)!.Value;
        var octets = parcel.OpenItem(message.Part, message.PathHash);
        if (octets.Length != message.Size)
            throw new ParcelException(ParcelCause.Damaged, "it has not the size that the manifest tells");
        return new LocalMessage(octets, digest => PackedDigest.Of(digest) == message.Digest);
    }

    private ItemInfo InfoOf(in PackedMessage message) =>
        new(message.Number, new ByteCount(message.Size), message.Received, FlagSet.Of(parcel.State.FlagsOf(message)));
}
