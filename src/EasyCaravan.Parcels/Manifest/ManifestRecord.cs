using System.Collections.Immutable;
using EasyCaravan.Contract;

namespace EasyCaravan.Parcels.Manifest;

/// <summary>A line of a manifest. See <c>docs/parcel.md</c>.</summary>
public abstract record ManifestRecord;

/// <summary>The first line.</summary>
/// <param name="Parcel">The same in all parts of a parcel, and in no other.</param>
/// <param name="Part">From 1, in the order in which parts were made.</param>
/// <param name="Packing">From 1: which run of packing it belongs to. A run may take several parts.</param>
/// <param name="IsComplete">With this part, the run is complete: what the parts up to it say is the account as it was then.</param>
/// <param name="Account">Whose it is.</param>
/// <param name="Service">Where it was packed from, by its name in the plan.</param>
/// <param name="Began">When the run began.</param>
/// <param name="Ended">When the part was closed.</param>
/// <param name="Rules">What was left out by which rule, and what else was agreed, in words.</param>
/// <param name="Before">SHA-256 of the manifest of the part before, in hexadecimal; null in the first.</param>
/// <param name="Tables">How many of the lines that follow tell the folders and collections that are there with this part.</param>
public sealed record ManifestHeader(
    Guid Parcel,
    int Part,
    int Packing,
    bool IsComplete,
    string Account,
    string Service,
    DateTimeOffset Began,
    DateTimeOffset Ended,
    ImmutableArray<string> Rules,
    string? Before,
    int Tables
) : ManifestRecord
{
    /// <summary>Who asked for it to be packed; null: it is not told.</summary>
    public string? By { get; init; }

    /// <summary>Named in the first line, so that a reader knows what it reads.</summary>
    public const string Form = "easy-caravan-parcel/1";
}

/// <summary>
/// A folder: among the first lines as it is when the part is closed, later as it was made. Those that the first lines of the newest part do
/// not name are gone.
/// </summary>
/// <param name="Id">By which messages refer to it; never given twice.</param>
/// <param name="Names">Exactly, from the root down.</param>
/// <param name="Place">Where its messages lie in the archive.</param>
/// <param name="Use">Its special use, such as <c>sent</c>; null: none.</param>
/// <param name="Epoch">Of its numbering, as UIDVALIDITY is in IMAP (RFC 9051 §2.3.1.1).</param>
/// <param name="Next">No message at or above this number is there.</param>
/// <param name="Mark">Rises with each change.</param>
/// <param name="Count">Messages that it holds.</param>
public sealed record FolderRecord(
    int Id,
    ImmutableArray<string> Names,
    string Place,
    string? Use,
    bool IsSubscribed,
    uint Epoch,
    uint Next,
    ulong Mark,
    uint Count
) : ManifestRecord;

/// <summary>An address book or a calendar, told like a folder.</summary>
/// <param name="Name">The last part of its address.</param>
/// <param name="Properties">What people set about it, by the word for it; see <see cref="CollectionWords"/>.</param>
public sealed record CollectionRecord(
    int Id,
    MoveKind Kind,
    string Name,
    string Place,
    ImmutableSortedDictionary<string, string> Properties,
    bool IsDefault,
    ulong Mark,
    uint Count
) : ManifestRecord;

/// <summary>The words for what is kept of a collection's properties.</summary>
public static class CollectionWords
{
    public const string Title = "title";
    public const string Description = "description";
    public const string Colour = "colour";
    public const string Order = "order";
    public const string TimeZone = "time-zone";
    public const string IsTransparent = "transparent";
    public const string Components = "components";

    public static ImmutableArray<string> All { get; } = [Title, Description, Colour, Order, TimeZone, IsTransparent, Components];
}

/// <summary>A message that the part holds.</summary>
/// <param name="Number">In its folder.</param>
/// <param name="Path">In the archive.</param>
/// <param name="Sha256">In hexadecimal.</param>
/// <param name="Received">Its internal date.</param>
/// <param name="Label">For people to find it by.</param>
public sealed record MessageRecord(
    int Folder,
    uint Number,
    string Path,
    long Size,
    string Sha256,
    DateTimeOffset Received,
    ImmutableArray<string> Flags,
    MessageWords Label
) : ManifestRecord;

/// <summary>What a message's header says, decoded; empty where it says nothing.</summary>
public readonly record struct MessageWords(string From, string Subject, string Date, string MessageId);

/// <summary>A message has other flags now.</summary>
public sealed record FlagsRecord(int Folder, uint Number, ImmutableArray<string> Flags) : ManifestRecord;

/// <summary>A message stands in another folder now, under another number. Its file stays where it is.</summary>
public sealed record MovedRecord(int Folder, uint Number, int ToFolder, uint ToNumber) : ManifestRecord;

/// <summary>A message is no longer there.</summary>
public sealed record GoneRecord(int Folder, uint Number) : ManifestRecord;

/// <summary>A contact or an event that the part holds; it takes the place of an earlier one of the same name.</summary>
/// <param name="Name">The last part of its address.</param>
/// <param name="Title">For people to find it by: a contact's name, or what an event is called; empty: it is not told.</param>
public sealed record ItemRecord(int Collection, string Name, string Path, long Size, string Sha256, string Title) : ManifestRecord;

/// <summary>A contact or an event is no longer there.</summary>
public sealed record ItemGoneRecord(int Collection, string Name) : ManifestRecord;

/// <summary>A folder or a collection is no longer there.</summary>
public sealed record RemovedRecord(int Id) : ManifestRecord;

/// <summary>The last line.</summary>
/// <param name="Records">Lines before it, the header included.</param>
/// <param name="Sums">Of what is there with this part, by kind.</param>
public sealed record EndRecord(long Records, ImmutableSortedDictionary<MoveKind, KindSum> Sums) : ManifestRecord;

/// <param name="Items">How many.</param>
/// <param name="Octets">All together.</param>
/// <param name="Contents">What they are; see <see cref="ContentsSum"/>.</param>
public sealed record KindSum(long Items, long Octets, string Contents);
