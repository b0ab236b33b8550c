using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Surveying;

/// <summary>What a survey can find. Stable words: scripts and decisions name them.</summary>
public enum FindingCode
{
    AccountNotFound,
    CannotGetIn,
    MissingRight,
    NoRoom,
    MessageTooLarge,
    KeywordsLost,
    UnreadableFolder,
    InboxOnly,
    NoForwarding,
    ReservedName,
    IllegalName,
    TooDeep,
    LongName,
    NameClash,
    MergedFolders,
    LabelsAsFolders,
    ToNotEmpty,
    AlreadyForwards,
    SamePerson,
    WeakTls,
    FutureMail,
    Unused,
    NothingThere,

    // What leaving out before the move would save. Never told as findings: nothing is wrong with them.
    TidyTrash,
    TidyJunk,
    TidyOld,
    TidyLarge,

    /// <summary>Messages whose size, date or flags the old side does not tell.</summary>
    UnreadableMessages,

    /// <summary>Found by reading back, not by the survey.</summary>
    AltersMessages,

    /// <summary>Contacts and events that the old side lists and does not give out, or that cannot be read.</summary>
    UnreadableItems,

    /// <summary>Address books and calendars of others, which the route does not carry.</summary>
    SharedStay,

    /// <summary>Contacts and events that may be the same as some on the new side, or say something else than these.</summary>
    UnclearDoubles,

    /// <summary>Found when an address book or calendar was made, not by the survey.</summary>
    PropertiesLost,

    /// <summary>Mail rules beside forwarding, which stay on the old side.</summary>
    OwnRules,

    /// <summary>Where a message ends in a file, or what its writer changed in it, cannot be told for certain.</summary>
    UnclearFile,

    /// <summary>Messages whose file does not tell when they were received.</summary>
    DatesFromHeader,

    /// <summary>Files that tell of none of their messages whether it was read.</summary>
    NothingMarked,
}

/// <summary>How much a finding weighs.</summary>
public enum Weight
{
    /// <summary>The move cannot be completed before it is mended.</summary>
    Blocks,

    /// <summary>Something will not arrive.</summary>
    Loses,

    /// <summary>Everything arrives, but something looks different.</summary>
    Changes,

    /// <summary>Good to know.</summary>
    Note,
}

/// <summary>What a person can choose about a finding. Kept by number: new ones come last.</summary>
public enum Resolution
{
    /// <summary>It may be as it is told.</summary>
    Accept,
    LeaveBehind,
    Suffix,
    Substitute,
    Flatten,
    Number,
    Merge,
    LeaveTrash,
    LeaveJunk,
    LeaveAll,
    Since,
    Largest,
    DropKeywords,
    Pair,
    KeepBoth,
    Under,

    /// <summary>The person is taken off the batch; nothing is done on either side.</summary>
    Withdraw,
    OnceWithKeyword,
}

/// <summary>One thing that was found about one person.</summary>
/// <param name="What">What it is, in one sentence without a full stop.</param>
/// <param name="Messages">Messages concerned; 0 where it is not about messages.</param>
/// <param name="Octets">Their octets.</param>
/// <param name="Remedy">What mends it outside of the plan, where something does; or null.</param>
public sealed record Finding(FindingCode Code, string What, long Messages = 0, ByteCount Octets = default, string? Remedy = null)
{
    public Weight Weight => FindingRules.Of(Code).Weight;
}

/// <summary>One way out as offered.</summary>
/// <param name="Text">What choosing it means.</param>
/// <param name="Value">What its value is, in words; null when it takes none.</param>
/// <param name="Default">A value that suits most; or null.</param>
public sealed record ResolutionOffer(Resolution Way, string Text, string? Value = null, string? Default = null);

/// <summary>What is always true of a kind of finding.</summary>
/// <param name="Title">For a heading.</param>
/// <param name="Otherwise">What will happen if nobody decides anything.</param>
public sealed record FindingRule(Weight Weight, string Title, string Otherwise, params ResolutionOffer[] Ways);
