namespace EasyCaravan.Contract;

/// <summary>How much of a kind a parcel holds.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Items">How many.</param>
/// <param name="Octets">Of all together.</param>
/// <param name="Contents">One number for all of them: two packings of the same account have the same. In hexadecimal.</param>
public sealed record ParcelKindView(MoveKind Kind, long Items, long Octets, string Contents);

/// <summary>What is wrong with a parcel.</summary>
/// <param name="File">Which of its files.</param>
/// <param name="Path">Of the entry in it; null: the file itself.</param>
/// <param name="What">One sentence without a full stop.</param>
public sealed record ParcelFindingView(string File, string? Path, string What);

/// <summary>What a check of a parcel found.</summary>
/// <param name="Name">Of the parcel.</param>
/// <param name="Account">Whose it is; null: no part can be read.</param>
/// <param name="Parts">Files that belong to it.</param>
/// <param name="Items">Whose octets were read.</param>
/// <param name="Octets">That were read.</param>
/// <param name="Kinds">What is there with the last part.</param>
/// <param name="Findings">The first thousand; none: the parcel is as it was packed.</param>
public sealed record ParcelChecked(
    string Name,
    string? Account,
    int Parts,
    long Items,
    long Octets,
    IReadOnlyList<ParcelKindView> Kinds,
    IReadOnlyList<ParcelFindingView> Findings
);

/// <summary>A folder, address book or calendar of a parcel.</summary>
/// <param name="Kind">What it holds.</param>
/// <param name="Name">Of a folder with <c>/</c> between names.</param>
/// <param name="Use">Of a folder its special use; null: none.</param>
/// <param name="Items">How many.</param>
/// <param name="Octets">Of all together.</param>
/// <param name="Oldest">Of messages, when the first was received; null: it holds none.</param>
/// <param name="Newest">Of messages, when the last was received; null: it holds none.</param>
public sealed record ParcelFolderView(
    MoveKind Kind,
    string Name,
    string? Use,
    long Items,
    long Octets,
    DateTimeOffset? Oldest,
    DateTimeOffset? Newest
);

/// <summary>A part of a parcel: one file.</summary>
/// <param name="File">Its name.</param>
/// <param name="Number">From 1.</param>
/// <param name="Packing">Which run of packing made it, from 1.</param>
/// <param name="IsComplete">The account as it was then is in the parts up to this one.</param>
/// <param name="PackedAt">When it was closed.</param>
/// <param name="Octets">Of the file.</param>
public sealed record ParcelPartView(string File, int Number, int Packing, bool IsComplete, DateTimeOffset PackedAt, long Octets);

/// <summary>What a parcel holds.</summary>
/// <param name="Name">Of its files, without part and ending.</param>
/// <param name="Account">Whose it is.</param>
/// <param name="Service">Where it was packed from.</param>
/// <param name="IsEncrypted">It needs a password.</param>
/// <param name="AsOf">When the last of these parts was closed.</param>
/// <param name="Rules">What was left out by which rule, in words.</param>
/// <param name="Parts">Its files in order.</param>
/// <param name="Folders">Folders, address books and calendars.</param>
public sealed record ParcelContents(
    string Name,
    string Account,
    string Service,
    bool IsEncrypted,
    DateTimeOffset AsOf,
    IReadOnlyList<string> Rules,
    IReadOnlyList<ParcelPartView> Parts,
    IReadOnlyList<ParcelFolderView> Folders
);

/// <summary>A message, contact or event of a parcel.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Folder">In which folder, address book or calendar it is now.</param>
/// <param name="File">In which part it lies.</param>
/// <param name="Path">Under which name there.</param>
/// <param name="Octets">Its size.</param>
/// <param name="Sha256">Of its octets, in hexadecimal.</param>
/// <param name="Received">Of a message; null: it is none.</param>
/// <param name="From">Of a message, its sender; empty: not told.</param>
/// <param name="Subject">Of a message, or the name of a contact's or event's object.</param>
/// <param name="Flags">Of a message, with its keywords.</param>
public sealed record ParcelItemView(
    MoveKind Kind,
    string Folder,
    string File,
    string Path,
    long Octets,
    string Sha256,
    DateTimeOffset? Received,
    string From,
    string Subject,
    IReadOnlyList<string> Flags
);
