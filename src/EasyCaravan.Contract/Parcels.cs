using System.Text.Json.Serialization;

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
/// <param name="SealedBy">The print of the key that sealed it; null: it is not sealed.</param>
public sealed record ParcelChecked(
    string Name,
    string? Account,
    int Parts,
    long Items,
    long Octets,
    IReadOnlyList<ParcelKindView> Kinds,
    IReadOnlyList<ParcelFindingView> Findings,
    string? SealedBy
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
/// <param name="BeganAt">When that run began.</param>
/// <param name="PackedAt">When it was closed.</param>
/// <param name="Octets">Of the file.</param>
/// <param name="By">Who asked for it; null: it is not told.</param>
public sealed record ParcelPartView(
    string File,
    int Number,
    int Packing,
    bool IsComplete,
    DateTimeOffset BeganAt,
    DateTimeOffset PackedAt,
    long Octets,
    string? By
);

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
/// <param name="Subject">Of a message; a contact's name, or what an event is called.</param>
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

/// <summary>A parcel that lies in a place of the service.</summary>
/// <param name="Place">The folder, below the service's folder of files.</param>
/// <param name="Name">Of its files, without part and ending.</param>
/// <param name="Path">Of its first file on the service's machine.</param>
/// <param name="Account">Whose it is; null: it is encrypted, and nobody here packed it.</param>
/// <param name="Service">Where it was packed from; null: it is encrypted.</param>
/// <param name="Parts">Files that are complete.</param>
/// <param name="Octets">Of all of them.</param>
/// <param name="PackedAt">When the last one was closed; null: none is.</param>
/// <param name="IsEncrypted">It needs a password.</param>
/// <param name="IsUnderWay">It is being packed, or its packing was interrupted.</param>
/// <param name="Errand">By which errand it was packed, or is; null: by a batch of the plan, or elsewhere.</param>
/// <param name="KeepUntil">When it is deleted; null: when somebody does it.</param>
/// <param name="Trouble">Why it cannot be read; null: it can.</param>
public sealed record ParcelView(
    string Place,
    string Name,
    string Path,
    string? Account,
    string? Service,
    int Parts,
    long Octets,
    DateTimeOffset? PackedAt,
    bool IsEncrypted,
    bool IsUnderWay,
    string? Errand,
    DateTimeOffset? KeepUntil,
    string? Trouble
);

/// <summary>Who is packed, what of them, and how.</summary>
/// <param name="Key">A word of the caller's: asked again with the same, the errand that was made before is answered.</param>
/// <param name="Accounts">As the rosters know them, on either side; null: a batch is named.</param>
/// <param name="Batch">Everybody of this batch; null: accounts are named.</param>
/// <param name="Side">Of the batch: which of its two sides. Default: from.</param>
/// <param name="Service">Where the accounts are; needed where a roster has one at two services, or none has it.</param>
/// <param name="Kinds">What is packed; null: all that the service has.</param>
/// <param name="Folders">Only mail folders that fit one of these, such as <c>Projects/**</c>; null: all.</param>
/// <param name="Leave">Mail folders that fit one of these are left out.</param>
/// <param name="Since">Only messages received on this day or later.</param>
/// <param name="Before">Only messages received before this day.</param>
/// <param name="Largest">Messages of more octets are left out.</param>
/// <param name="Password">With which the parcels are encrypted; null: they are not.</param>
/// <param name="PartSize">Octets after which another file is begun; null: one for each run.</param>
/// <param name="Place">The folder, below the service's folder of files. Default: parcels.</param>
/// <param name="KeepUntil">When the parcels are deleted; null: when somebody does it.</param>
public sealed record PackRequest(
    string? Key,
    IReadOnlyList<string>? Accounts,
    string? Batch,
    SideWord? Side,
    string? Service,
    IReadOnlyList<MoveKind>? Kinds,
    IReadOnlyList<string>? Folders,
    IReadOnlyList<string>? Leave,
    DateOnly? Since,
    DateOnly? Before,
    long? Largest,
    string? Password,
    long? PartSize,
    string? Place,
    DateTimeOffset? KeepUntil
)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(PackRequest)} {Key}";
}

/// <summary>Which parcel goes into which account, and what of it.</summary>
/// <param name="Key">A word of the caller's: asked again with the same, the errand that was made before is answered.</param>
/// <param name="Place">The folder in which it lies, below the service's folder of files. Default: parcels.</param>
/// <param name="Name">The parcel's name, or one of its files.</param>
/// <param name="Into">The account, as the rosters know it, on either side.</param>
/// <param name="Service">Where the account is; needed where a roster has it at two services, or none has it.</param>
/// <param name="ConfirmAccount">Whose parcel it is, said once more: needed where it goes into another person's account.</param>
/// <param name="Password">The parcel's; null: it is not encrypted.</param>
/// <param name="Kinds">What is put there; null: all that both have.</param>
/// <param name="Folders">Only mail folders that fit one of these, such as <c>Projects/**</c>; null: all.</param>
/// <param name="Leave">Mail folders that fit one of these are left out.</param>
/// <param name="Since">Only messages received on this day or later.</param>
/// <param name="Before">Only messages received before this day.</param>
/// <param name="Under">A folder below which all mail goes; null: where it was.</param>
/// <param name="Root">Another root of the account, such as that of its archive; null: its own folders.</param>
/// <param name="AsOf">The parcel as it was then; null: as it is.</param>
/// <param name="DryRun">Nobody starts: look at the survey first.</param>
public sealed record OpenRequest(
    string? Key,
    string? Place,
    string Name,
    string Into,
    string? Service,
    string? ConfirmAccount,
    string? Password,
    IReadOnlyList<MoveKind>? Kinds,
    IReadOnlyList<string>? Folders,
    IReadOnlyList<string>? Leave,
    DateOnly? Since,
    DateOnly? Before,
    string? Under,
    string? Root,
    DateTimeOffset? AsOf,
    bool DryRun
)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(OpenRequest)} {Name} into {Into}";
}

/// <summary>What an errand does.</summary>
[JsonConverter(typeof(KebabWord<ErrandWord>))]
public enum ErrandWord
{
    /// <summary>Accounts are packed.</summary>
    Pack,

    /// <summary>A parcel is put into an account.</summary>
    Open,
}

/// <summary>A batch that a command made, with a route of its own.</summary>
/// <param name="Name">Of the errand, which is its batch's too: all that is done with a batch is done with it.</param>
/// <param name="Kind">What it does.</param>
/// <param name="From">The service that it reads.</param>
/// <param name="To">The service that it writes to.</param>
/// <param name="People">How many are in it.</param>
/// <param name="CreatedAt">When somebody asked for it.</param>
/// <param name="CreatedBy">Who did.</param>
/// <param name="KeepUntil">When its parcels are deleted; null: when somebody does it.</param>
/// <param name="DeletedAt">When they were; null: they were not.</param>
public sealed record ErrandView(
    string Name,
    ErrandWord Kind,
    string From,
    string To,
    int People,
    DateTimeOffset CreatedAt,
    string CreatedBy,
    DateTimeOffset? KeepUntil,
    DateTimeOffset? DeletedAt
);

/// <summary>How long a parcel is kept. It outweighs what was said when it was packed.</summary>
/// <param name="Until">When it is deleted, a time to come; null: when somebody does it.</param>
public sealed record ParcelKeepRequest(DateTimeOffset? Until);

/// <summary>Which parcel is looked into.</summary>
/// <param name="Place">The folder, below the service's folder of files.</param>
/// <param name="Name">Of its files, without part and ending.</param>
/// <param name="Password">Null: it is not encrypted.</param>
/// <param name="AsOf">The parcel as it was then; null: as it is.</param>
public sealed record ParcelLookRequest(string Place, string Name, string? Password, DateTimeOffset? AsOf = null)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(ParcelLookRequest)} {Place}/{Name}";
}

/// <summary>What is looked for in a parcel. Null: it does not matter.</summary>
/// <param name="Place">The folder, below the service's folder of files.</param>
/// <param name="Name">Of the parcel's files, without part and ending.</param>
/// <param name="Password">Null: it is not encrypted.</param>
/// <param name="AsOf">The parcel as it was then; null: as it is.</param>
/// <param name="Kind">Only messages, contacts or events.</param>
/// <param name="Folder">The whole name of a folder, address book or calendar.</param>
/// <param name="From">Part of the sender, in any case.</param>
/// <param name="Subject">Part of the subject, of a contact's name or of what an event is called, in any case.</param>
/// <param name="Since">Messages received at this time or later.</param>
/// <param name="Before">Messages received before this time.</param>
/// <param name="Cursor">'next' of the page before; null: the first page.</param>
/// <param name="Limit">Rows of a page, 1 to 1,000; null: 200.</param>
public sealed record ParcelSearchRequest(
    string Place,
    string Name,
    string? Password,
    DateTimeOffset? AsOf,
    MoveKind? Kind,
    string? Folder,
    string? From,
    string? Subject,
    DateTimeOffset? Since,
    DateTimeOffset? Before,
    string? Cursor,
    int? Limit
)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(ParcelSearchRequest)} {Place}/{Name}";
}

/// <summary>Which message, contact or event of a parcel is read.</summary>
/// <param name="Place">The folder, below the service's folder of files.</param>
/// <param name="Name">Of the parcel's files, without part and ending.</param>
/// <param name="Password">Null: it is not encrypted.</param>
/// <param name="File">In which of its files it lies.</param>
/// <param name="Path">Under which name there.</param>
public sealed record ParcelItemRequest(string Place, string Name, string? Password, string File, string Path)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(ParcelItemRequest)} {Place}/{Name} {Path}";
}

/// <summary>A line of a message's header.</summary>
/// <param name="Field">Its name.</param>
/// <param name="Value">Decoded.</param>
public sealed record ParcelHeaderView(string Field, string Value);

/// <summary>A part of a message.</summary>
/// <param name="Type">Its media type, such as image/png.</param>
/// <param name="Name">Of its file; empty: it has none.</param>
/// <param name="Octets">As it is encoded in the message.</param>
public sealed record ParcelPartOfMessage(string Type, string Name, long Octets);

/// <summary>A message, contact or event to be read.</summary>
/// <param name="Headers">Of a message.</param>
/// <param name="Text">Its text, up to 200,000 characters.</param>
/// <param name="IsHtml">The text is HTML as it is written, to be shown as text.</param>
/// <param name="Parts">Of a message, up to 200.</param>
public sealed record ParcelItemText(
    IReadOnlyList<ParcelHeaderView> Headers,
    string Text,
    bool IsHtml,
    IReadOnlyList<ParcelPartOfMessage> Parts
);

/// <summary>A file of a parcel that is sent in.</summary>
/// <param name="File">Its name.</param>
/// <param name="Octets">How many have arrived.</param>
/// <param name="ChangedAt">When the last of them did.</param>
public sealed record ParcelArrivalView(string File, long Octets, DateTimeOffset ChangedAt);

/// <summary>A parcel all of whose files have arrived.</summary>
/// <param name="Place">The folder, below the service's folder of files.</param>
/// <param name="Name">Of its files, without part and ending.</param>
/// <param name="Password">Null: it is not encrypted.</param>
public sealed record ParcelArrivedRequest(string Place, string Name, string? Password)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{nameof(ParcelArrivedRequest)} {Place}/{Name}";
}
