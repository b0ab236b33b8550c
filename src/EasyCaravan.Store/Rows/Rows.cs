using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;

namespace EasyCaravan.Store.Rows;

/// <summary>A plan as applied. The newest is the one in force; the others are history.</summary>
public sealed class PlanRow
{
    public long Id { get; set; }
    public required string File { get; set; }
    public required string Text { get; set; }
    /// <summary>Files that the plan names, rosters left out, as a JSON object of texts.</summary>
    public required string FilesJson { get; set; }
    public long AppliedAt { get; set; }
    public required string AppliedBy { get; set; }
}

/// <summary>One person's move. Times are Unix milliseconds: the one form that every provider compares alike.</summary>
public sealed class MoveRow
{
    public long Id { get; set; }
    public required string Batch { get; set; }
    public required string Name { get; set; }
    public required string FromAccount { get; set; }
    public required string ToAccount { get; set; }
    public required string FromLogin { get; set; }
    public required string ToLogin { get; set; }
    public string? FromSecret { get; set; }
    public string? ToSecret { get; set; }
    /// <summary>Where the secret is kept outside of the store, as env:NAME or file:NAME.</summary>
    public string? FromSecretReference { get; set; }
    public string? ToSecretReference { get; set; }
    public string? ToUnder { get; set; }
    public string? ToRoot { get; set; }
    public string? Note { get; set; }

    public Stage Stage { get; set; }
    public ConditionKind Condition { get; set; }
    public Wait? WaitsFor { get; set; }
    public long? Until { get; set; }
    public Cause? FaultCause { get; set; }
    public string? FaultWhom { get; set; }
    public string? FaultWhat { get; set; }
    public string? FaultCode { get; set; }
    public string? FaultHelp { get; set; }
    public string? FaultService { get; set; }
    public PassKind? Wanted { get; set; }
    public int Attempts { get; set; }

    /// <summary>When a worker may take it up; null: not now. Follows from the state.</summary>
    public long? DueAt { get; set; }

    /// <summary>Among those that are due the lowest goes first: octets where small mailboxes do, else 0.</summary>
    public long Rank { get; set; }
    public string? LeaseOwner { get; set; }
    public long? LeaseUntil { get; set; }
    public long Fence { get; set; }

    public long Found { get; set; }
    public long Carried { get; set; }
    public long Paired { get; set; }
    public long Excluded { get; set; }
    public long LeftBehind { get; set; }

    /// <summary>Of those left behind, the ones about which nobody has decided.</summary>
    public long OpenLeftBehind { get; set; }

    /// <summary>Differences between the sides about which nobody has decided.</summary>
    public long Undecided { get; set; }
    public long Octets { get; set; }
    public long ChangedAt { get; set; }
}

/// <summary>One run of a move.</summary>
public sealed class PassRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public PassKind Kind { get; set; }
    public long StartedAt { get; set; }
    public long? EndedAt { get; set; }
    public bool Stopped { get; set; }
    public string? Fault { get; set; }
    public long Expected { get; set; }
    public long Carried { get; set; }
    public long Paired { get; set; }
    public long Excluded { get; set; }
    public long LeftBehind { get; set; }
    public long Octets { get; set; }
    public long FlagsChanged { get; set; }
    public long Moved { get; set; }
    public long Removed { get; set; }
    public long Looked { get; set; }
    public long Differences { get; set; }
    public string? Folder { get; set; }
}

public sealed class LedgerFolderRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public required string From { get; set; }
    /// <summary>Empty when the folder stays behind, so that the unique index holds for it too.</summary>
    public required string To { get; set; }
    public long? FromEpoch { get; set; }
    public long? ToEpoch { get; set; }
    public long ToBaseNext { get; set; }
    public long? CursorNext { get; set; }
    public long? CursorMark { get; set; }
    public long? CursorCount { get; set; }
    public bool Reopened { get; set; }
    public long Found { get; set; }
    public long Carried { get; set; }
    public long Paired { get; set; }
    public long Excluded { get; set; }
    public long LeftBehind { get; set; }
    public long Gone { get; set; }
    public long Missing { get; set; }
    public long Twice { get; set; }
    public long Altered { get; set; }

    /// <summary>Differences about which nobody has decided.</summary>
    public long Undecided { get; set; }

    /// <summary>Of the carried messages.</summary>
    public long Octets { get; set; }

    /// <summary>Of those that were carried before the ledger kept sizes.</summary>
    public long OctetsBefore { get; set; }

    /// <summary>The to side's folder when it was last compared; in its epoch.</summary>
    public long? SeenNext { get; set; }
    public long? SeenCount { get; set; }

    /// <summary>One of the sides refused the folder as a whole.</summary>
    public bool LeftWhole { get; set; }

    /// <summary>Where rules send it, if its owner renamed that place on the to side since.</summary>
    public string? RenamedFrom { get; set; }
}

/// <summary>One message. Millions of them: a few small numbers each.</summary>
public sealed class LedgerItemRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public long? Landed { get; set; }
    public Outcome Outcome { get; set; }
    public bool Gone { get; set; }
    public int Flags { get; set; }
    public long Size { get; set; }
}

/// <summary>A message that is not on the to side as it is on the from side.</summary>
public sealed class DifferenceRow
{
    public long Id { get; set; }
    public long FolderId { get; set; }
    public DifferenceKind Kind { get; set; }
    public long Number { get; set; }
    public long Landed { get; set; }
    public required string What { get; set; }
    public long Size { get; set; }
    public string? Received { get; set; }
    public required string Subject { get; set; }
    public required string Sender { get; set; }
    public DifferenceState State { get; set; }
    public string? DecidedBy { get; set; }
    public long SeenAt { get; set; }
}

/// <summary>Which message stands at a number, for moves in which one may stand in several folders.</summary>
public sealed class ItemKeyRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public long MoveId { get; set; }
    public long Low { get; set; }
    public long High { get; set; }
}

/// <summary>A message of the to side that no page claims, as it was when first seen.</summary>
public sealed class StrangerRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public long Size { get; set; }
    public long Low { get; set; }
    public long High { get; set; }
    public bool Certain { get; set; }
}

/// <summary>The last comparison of both sides that somebody asked for.</summary>
public sealed class ComparisonRow
{
    public long MoveId { get; set; }
    public long AskedAt { get; set; }
    public required string AskedBy { get; set; }
    public long? EndedAt { get; set; }
    public double Share { get; set; }
    public long Page { get; set; }
    public long Number { get; set; }
    public long Compared { get; set; }
    public long Octets { get; set; }
    public long Differing { get; set; }
    public long FlagsChanged { get; set; }
    public long Arrived { get; set; }
}

/// <summary>What the last survey of a move found. Sums stand beside the whole, so that lists and totals need not open it.</summary>
public sealed class SurveyRow
{
    public long MoveId { get; set; }
    public long TakenAt { get; set; }
    public long Messages { get; set; }
    public long Octets { get; set; }
    public int Folders { get; set; }
    public long ToMessages { get; set; }
    /// <summary>Both accounts could be entered.</summary>
    public bool Whole { get; set; }
    public required string InventoryJson { get; set; }
}

/// <summary>What somebody decided about a finding; the newest for its place stands.</summary>
public sealed class ChoiceRow
{
    public long Id { get; set; }
    public ChoiceScope Scope { get; set; }
    /// <summary>The route's name, the batch's name, or the move's id.</summary>
    public required string Place { get; set; }
    public FindingCode Code { get; set; }
    public WayOut Way { get; set; }
    public string? Value { get; set; }
    public required string Who { get; set; }
    public long At { get; set; }
}

/// <summary>A refresh token that a person's consent gave, or that took the place of the roster's.</summary>
public sealed class ConsentRow
{
    public long Id { get; set; }
    public required string Service { get; set; }
    public required string Account { get; set; }
    /// <summary>A digest of the roster's token that it took the place of; empty where a person consented here.</summary>
    public required string Origin { get; set; }
    public required string Token { get; set; }
    public string? Scope { get; set; }
    public required string Who { get; set; }
    public long At { get; set; }
}

/// <summary>The number of an item that its service names by text only.</summary>
public sealed class ItemNameRow
{
    public long Id { get; set; }
    public required string Service { get; set; }
    public required string Account { get; set; }
    public required string Name { get; set; }
    public long Number { get; set; }
}

public sealed class FlagSetRow
{
    public int Id { get; set; }
    public required string Written { get; set; }
}

public enum LeftBehindState
{
    Open,
    Accepted,
    Retry,
}

public sealed class LeftBehindRow
{
    public long Id { get; set; }
    public long FolderId { get; set; }
    public long Number { get; set; }
    public Cause Cause { get; set; }
    public required string Whom { get; set; }
    public required string What { get; set; }
    public string? Code { get; set; }
    public long Size { get; set; }
    public required string Received { get; set; }
    public required string Subject { get; set; }
    public required string Sender { get; set; }
    public LeftBehindState State { get; set; }

    /// <summary>One; of a folder that was refused as a whole (number 0), all that stayed behind with it.</summary>
    public long Messages { get; set; } = 1;

    /// <summary>A remedy for just this case; null: the one for the cause.</summary>
    public string? Help { get; set; }
    public string? AcceptedBy { get; set; }
}

/// <summary>What happened and who asked for it. Never changed, never deleted.</summary>
public sealed class JournalRow
{
    public long Id { get; set; }
    public long At { get; set; }
    public string? Batch { get; set; }
    public long? MoveId { get; set; }
    public string? Person { get; set; }
    public required string Who { get; set; }
    public required string Text { get; set; }
}

public sealed class TokenRow
{
    public long Id { get; set; }
    public required string Name { get; set; }
    /// <summary>SHA-256 of the token, in hexadecimal: the token itself is nowhere.</summary>
    public required string Hash { get; set; }
    public long CreatedAt { get; set; }
    public long? RevokedAt { get; set; }
}
