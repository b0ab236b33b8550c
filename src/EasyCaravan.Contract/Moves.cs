namespace EasyCaravan.Contract;

/// <summary>What happened, to whom, and what to do next.</summary>
/// <param name="Cause">A stable word for programs.</param>
/// <param name="Code">The mail server's own response code, where it gave one.</param>
/// <param name="Whom">The account, folder or service concerned.</param>
/// <param name="What">What happened, in one sentence without a full stop.</param>
/// <param name="Remedy">What to do, in one sentence without a full stop.</param>
public sealed record Problem(string Cause, string Whom, string What, string Remedy, string? Code);

/// <summary>
/// Items of one kind, or of all kinds together, by what became of them. Found = carried + paired + excluded + left behind, once every
/// folder was settled.
/// </summary>
/// <param name="Found">Items on the old side.</param>
/// <param name="Carried">Items carried.</param>
/// <param name="Paired">Items that were there already.</param>
/// <param name="Excluded">Items that a rule leaves out.</param>
/// <param name="LeftBehind">Items that could not be carried.</param>
public sealed record Counts(long Found, long Carried, long Paired, long Excluded, long LeftBehind);

/// <summary>Where one kind of a move stands.</summary>
/// <param name="Stage">listed, copying or in-step.</param>
/// <param name="Problem">Why it waits for another try, or needs somebody; null when all is well.</param>
/// <param name="NeedsYou">It goes on only after somebody has seen to it. The other kinds go on meanwhile.</param>
/// <param name="Due">From when on it runs next by itself; null: not by itself.</param>
/// <param name="Attempts">Failures in a row.</param>
/// <param name="EndedAt">When it last ended well; null: never.</param>
/// <param name="Octets">Carried so far, in all passes, a running one included.</param>
/// <param name="Kind">The kind.</param>
/// <param name="Counts">What was found, and what became of it.</param>
/// <param name="OpenLeftBehind">Items left behind about which nobody has decided.</param>
/// <param name="Undecided">Differences between the sides about which nobody has decided.</param>
public sealed record LegView(
    MoveKind Kind,
    MoveStage Stage,
    Problem? Problem,
    bool NeedsYou,
    DateTimeOffset? Due,
    int Attempts,
    DateTimeOffset? EndedAt,
    Counts Counts,
    long OpenLeftBehind,
    long Undecided,
    long Octets
);

/// <summary>The sums of one kind.</summary>
/// <param name="OpenLeftBehind">Items left behind about which nobody has decided.</param>
/// <param name="Undecided">Differences between the sides about which nobody has decided.</param>
/// <param name="Octets">Of the carried items.</param>
/// <param name="Kind">The kind.</param>
/// <param name="Counts">What was found, and what became of it.</param>
public sealed record KindSums(MoveKind Kind, Counts Counts, long OpenLeftBehind, long Undecided, long Octets);

/// <summary>A pass that runs now.</summary>
/// <param name="Expected">Items that it has to settle, as far as known.</param>
/// <param name="PerSecond">Items settled a second, over the whole pass so far.</param>
/// <param name="SecondsLeft">Null while nobody can know.</param>
/// <param name="Kind">What it does.</param>
/// <param name="StartedAt">When it began.</param>
/// <param name="Settled">Items settled so far.</param>
/// <param name="Octets">Octets carried so far.</param>
/// <param name="Folder">What is being worked on; null between two.</param>
public sealed record PassProgress(
    PassWord Kind,
    DateTimeOffset StartedAt,
    long Expected,
    long Settled,
    long Octets,
    string? Folder,
    double PerSecond,
    double? SecondsLeft
);

/// <summary>Where one move stands.</summary>
/// <param name="Account">The from account, by which the move is known within its batch.</param>
/// <param name="ConditionText">The condition in words, with what for and until when.</param>
/// <param name="Until">When a waiting move goes on, or an idle one catches up next.</param>
/// <param name="OpenLeftBehind">Messages left behind about which nobody has decided.</param>
/// <param name="LeftBehindTolerated">There are such, and not more than the route tolerates: nobody has to look at them.</param>
/// <param name="AsOf">
/// The new side has everything that the old side had at this time: when the kind that was looked at the longest ago last ended well. Null:
/// a kind has not been copied yet.
/// </param>
/// <param name="Undecided">Differences between the sides about which nobody has decided.</param>
/// <param name="Octets">Carried so far, in all passes, a running one included.</param>
/// <param name="Legs">Where each kind stands, in the order in which they run. The counts above are those of all kinds together.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="ToAccount">The to account.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Note">The roster's note; null: none.</param>
/// <param name="Stage">How far it is.</param>
/// <param name="Condition">What is happening to it now.</param>
/// <param name="Problem">What is wrong and what to do; null when all is well.</param>
/// <param name="Counts">What was found, and what became of it.</param>
/// <param name="Pass">The pass that runs now; null: none.</param>
/// <param name="Actions">What can be asked of it now; anything else would change nothing.</param>
/// <param name="ChangedAt">When its state changed last.</param>
public sealed record MoveView(
    string Batch,
    string Account,
    string ToAccount,
    string Name,
    string? Note,
    MoveStage Stage,
    MoveCondition Condition,
    string ConditionText,
    DateTimeOffset? Until,
    Problem? Problem,
    Counts Counts,
    long OpenLeftBehind,
    bool LeftBehindTolerated,
    long Undecided,
    DateTimeOffset? AsOf,
    long Octets,
    IReadOnlyList<LegView> Legs,
    PassProgress? Pass,
    IReadOnlyList<MoveAction> Actions,
    DateTimeOffset ChangedAt
);

/// <summary>One folder or collection of a move.</summary>
/// <param name="To">Null when a rule leaves the folder behind.</param>
/// <param name="Gone">Settled earlier, since deleted on the old side by its owner.</param>
/// <param name="Missing">Landed earlier, no longer on the new side.</param>
/// <param name="Twice">Second copies, octet for octet, on the new side.</param>
/// <param name="Altered">On the new side, but not as they are on the old.</param>
/// <param name="Undecided">Of the missing, double and altered ones, those about which nobody has decided.</param>
/// <param name="Octets">Of the carried messages.</param>
/// <param name="Closes">The folder was settled to its end, its sums close, and nothing is undecided.</param>
/// <param name="Kind">The kind.</param>
/// <param name="From">Its path on the old side, with / between names.</param>
/// <param name="Counts">What was found, and what became of it.</param>
public sealed record FolderView(
    MoveKind Kind,
    string From,
    string? To,
    Counts Counts,
    long Gone,
    long Missing,
    long Twice,
    long Altered,
    long Undecided,
    long Octets,
    bool Closes
);

/// <summary>What one kind did in one pass.</summary>
/// <param name="Stopped">It was told to stop, or its worker was lost; the next pass goes on from there.</param>
/// <param name="Fault">Why it could not be completed.</param>
/// <param name="Moved">Messages that moved on the old side and were moved on the new.</param>
/// <param name="Removed">Messages deleted because a rule of the route says so.</param>
/// <param name="Updated">Contacts and events that were edited on the old side and brought up to date on the new side.</param>
/// <param name="Differences">Messages that were found missing, double or altered on the new side.</param>
/// <param name="Kind">The kind.</param>
/// <param name="Carried">Items carried.</param>
/// <param name="Paired">Items that were there already.</param>
/// <param name="Excluded">Items that a rule leaves out.</param>
/// <param name="LeftBehind">Items that could not be carried.</param>
/// <param name="FlagsChanged">Messages whose flags were brought up to date.</param>
/// <param name="Octets">Their size in octets.</param>
public sealed record PassLegView(
    MoveKind Kind,
    bool Stopped,
    string? Fault,
    long Carried,
    long Paired,
    long Excluded,
    long LeftBehind,
    long FlagsChanged,
    long Moved,
    long Removed,
    long Updated,
    long Differences,
    long Octets
);

/// <summary>One run of a move, a survey or a comparison.</summary>
/// <param name="Ended">Null while it runs.</param>
/// <param name="Stopped">It was told to stop, or its worker was lost; the next one goes on from there.</param>
/// <param name="Fault">Of a survey or comparison: why it could not be completed. Those of a pass stand with its legs.</param>
/// <param name="Id">Its number, stable.</param>
/// <param name="Kind">What it does.</param>
/// <param name="Started">When it began.</param>
/// <param name="Legs">What each kind did in it.</param>
public sealed record PassView(
    long Id,
    PassWord Kind,
    DateTimeOffset Started,
    DateTimeOffset? Ended,
    bool Stopped,
    string? Fault,
    IReadOnlyList<PassLegView> Legs
);

/// <summary>A move with all that is known of it.</summary>
/// <param name="Closes">Its waybill closes.</param>
/// <param name="Sentence">In words: that the waybill closes, or why it does not yet and what is to be done.</param>
/// <param name="Comparison">When both sides were last read anew, and what came of it; null: never.</param>
/// <param name="Move">Where it stands.</param>
/// <param name="Shaped">What was changed about items, as the route allows, so that the new side took them.</param>
/// <param name="Folders">Every folder with its sums.</param>
/// <param name="Passes">The last hundred passes, the newest first.</param>
/// <param name="LeftBehind">Items that could not be carried.</param>
/// <param name="Differences">Differences between the sides.</param>
public sealed record MoveDetail(
    MoveView Move,
    bool Closes,
    string Sentence,
    IReadOnlyList<ShapedCount> Shaped,
    IReadOnlyList<FolderView> Folders,
    IReadOnlyList<PassView> Passes,
    IReadOnlyList<LeftBehindView> LeftBehind,
    IReadOnlyList<DifferenceView> Differences,
    ComparisonView? Comparison
);

/// <summary>An item that could not be carried.</summary>
/// <param name="State">What was decided about it.</param>
/// <param name="Size">In octets.</param>
/// <param name="Messages">1, or, where the whole folder was refused, all that stayed behind with it.</param>
/// <param name="Id">Its number, stable.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Folder">The folder on the old side.</param>
/// <param name="Subject">Of the message, for people to recognise it by.</param>
/// <param name="Sender">Of the message, for people to recognise it by.</param>
/// <param name="Received">When the old side received the message, or the event begins; null: contacts have no such time.</param>
/// <param name="Problem">What is wrong and what to do; null when all is well.</param>
/// <param name="AcceptedBy">Who accepted that it stays; null: nobody.</param>
/// <param name="AcceptedBecause">Why, as they said; null: they did not say.</param>
/// <param name="Kind">contacts, calendars or mail.</param>
/// <param name="HasForms">A contact or event whose forms can be looked at.</param>
/// <param name="Choices">Which version may be chosen; empty: there are not two.</param>
public sealed record LeftBehindView(
    long Id,
    string Batch,
    string Account,
    string Folder,
    string Subject,
    string Sender,
    DateTimeOffset? Received,
    long Size,
    long Messages,
    Problem Problem,
    LeftBehindWord State,
    string? AcceptedBy,
    string? AcceptedBecause,
    MoveKind Kind,
    bool HasForms,
    IReadOnlyList<VersionWord> Choices
);

/// <summary>What is to be done with moves.</summary>
/// <param name="Moves">From accounts, to accounts or names; null: everybody in the batch.</param>
/// <param name="Action">What.</param>
/// <param name="Where">Of those, only moves that fit this; null: all.</param>
public sealed record MoveActionRequest(MoveAction Action, IReadOnlyList<string>? Moves, MoveFilter? Where = null);

/// <summary>On which moves an action changed something.</summary>
/// <param name="Changed">From accounts on which the action changed something.</param>
/// <param name="Unchanged">How many were as asked already, or cannot be changed so now.</param>
public sealed record MoveActionResult(IReadOnlyList<string> Changed, int Unchanged);

/// <summary>A decision about items left behind.</summary>
/// <param name="Accept">True: they may stay behind. False: try them again.</param>
/// <param name="Moves">From accounts, to accounts or names; null: everybody in the batch.</param>
/// <param name="Items">Ids of items; null: all that are open.</param>
/// <param name="Because">With <paramref name="Accept"/>: why they may stay, 1 to 500 characters; null: nobody says.</param>
/// <param name="Keep">
/// Of two versions, the one that the new side is to have: only items of which there are two are meant then. Null: none is chosen.
/// </param>
public sealed record LeftBehindDecision(
    bool Accept,
    IReadOnlyList<string>? Moves,
    IReadOnlyList<long>? Items,
    VersionWord? Keep = null,
    string? Because = null
);

/// <summary>Which of two versions the new side is to have.</summary>
[System.Text.Json.Serialization.JsonConverter(typeof(KebabWord<VersionWord>))]
public enum VersionWord
{
    /// <summary>The old side's, over the new side's.</summary>
    Old,

    /// <summary>The new side's, as it is.</summary>
    New,

    /// <summary>Both: the old side's beside the new side's.</summary>
    Both,
}

/// <summary>One line of what a contact or event says, on both sides.</summary>
/// <param name="Label">Such as <c>Phone (mobile)</c> or <c>Begins</c>.</param>
/// <param name="Old">On the old side; null: it says nothing of it.</param>
/// <param name="New">On the new side; null: it says nothing of it.</param>
public sealed record FormLine(string Label, string? Old, string? New);

/// <summary>Both forms of a contact or event that was left behind.</summary>
/// <param name="LeftBehind">What was left behind.</param>
/// <param name="HasNew">The new side has a form of it.</param>
/// <param name="Lines">What they say, side by side.</param>
/// <param name="Old">As the old side stores it, up to 64 kB of it.</param>
/// <param name="New">As the new side stores it; null: it has none.</param>
public sealed record ItemFormsView(LeftBehindView LeftBehind, bool HasNew, IReadOnlyList<FormLine> Lines, string Old, string? New);

/// <summary>What was decided about.</summary>
/// <param name="Items">How many items.</param>
/// <param name="Moves">How many moves.</param>
public sealed record LeftBehindDecided(int Items, int Moves);
