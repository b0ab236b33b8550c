namespace EasyCaravan.Contract;

/// <summary>What the accounts of a batch hold, as their surveys found it.</summary>
/// <param name="Surveyed">People whose two accounts were both looked at.</param>
/// <param name="Closed">People one of whose accounts could not be entered.</param>
/// <param name="Oldest">When the oldest of the surveys was taken.</param>
/// <param name="Messages">On the from side.</param>
/// <param name="Octets">On the from side.</param>
/// <param name="CarryMessages">Of those, what the rules let through.</param>
/// <param name="CarryOctets">Of those, what the rules let through.</param>
/// <param name="Sizes">How many accounts are how large, smallest class first.</param>
/// <param name="Heaviest">The ten largest accounts.</param>
/// <param name="Kinds">What is carried, and how much of each: mail only, for now.</param>
public sealed record BatchSurvey(
    string Batch,
    int People,
    int Surveyed,
    int Closed,
    DateTimeOffset? Oldest,
    long Messages,
    long Octets,
    long CarryMessages,
    long CarryOctets,
    long ToMessages,
    IReadOnlyList<SizeClass> Sizes,
    IReadOnlyList<AccountInventory> Heaviest,
    IReadOnlyList<KindTotal> Kinds
);

/// <param name="UpTo">In octets; null for the largest class.</param>
public sealed record SizeClass(string Name, long? UpTo, int Accounts, long Octets);

/// <param name="Kind">mail.</param>
public sealed record KindTotal(string Kind, long Items, long Octets, int Containers);

/// <summary>One person's accounts.</summary>
/// <param name="TakenAt">Null when nobody looked yet.</param>
/// <param name="FreeOctets">Room on the new side; null where it has no limit, or tells none.</param>
/// <param name="Findings">How many findings nobody has decided about, notes left out.</param>
/// <param name="Problem">Why an account could not be entered.</param>
public sealed record AccountInventory(
    string Account,
    string ToAccount,
    string Name,
    DateTimeOffset? TakenAt,
    int Folders,
    long Messages,
    long Octets,
    long CarryMessages,
    long CarryOctets,
    DateTimeOffset? OldestMessage,
    DateTimeOffset? NewestMessage,
    long LargestMessage,
    long ToMessages,
    long? FreeOctets,
    int Findings,
    Problem? Problem
);

/// <summary>All that is known of one person's accounts.</summary>
public sealed record MoveInventory(
    AccountInventory Summary,
    IReadOnlyList<FolderInventoryView> Folders,
    IReadOnlyList<LargeMessageView> Largest,
    RoomView? FromRoom,
    RoomView? ToRoom,
    IReadOnlyList<string>? Forwards,
    IReadOnlyList<string> Keywords,
    IReadOnlyList<FindingRow> Findings
);

public sealed record FolderInventoryView(
    string Folder,
    string? Use,
    long Messages,
    long Octets,
    DateTimeOffset? Oldest,
    DateTimeOffset? Newest
);

public sealed record LargeMessageView(string Folder, long Octets, DateTimeOffset Received, string Subject, string Sender);

/// <param name="Octets">The limit; null: none.</param>
/// <param name="Messages">The limit; null: none.</param>
public sealed record RoomView(long? Octets, long UsedOctets, long? Messages, long UsedMessages);

/// <summary>Findings of one kind over a batch, with what can be chosen about them.</summary>
/// <param name="Code">A stable word for programs and for decisions.</param>
/// <param name="Weight">blocks, loses, changes or note.</param>
/// <param name="Otherwise">What will happen if nobody decides anything.</param>
/// <param name="People">How many it touches.</param>
/// <param name="Open">How many of those nobody has decided about.</param>
/// <param name="Rows">The first hundred of them; all are at findings/rows.</param>
public sealed record FindingGroup(
    string Code,
    string Weight,
    string Title,
    string Otherwise,
    int People,
    int Open,
    long Messages,
    long Octets,
    IReadOnlyList<WayView> Ways,
    IReadOnlyList<DecisionView> Decisions,
    IReadOnlyList<FindingRow> Rows
);

/// <param name="Remedy">What mends it outside of the plan; or null.</param>
/// <param name="Decision">What was decided about it; or null.</param>
public sealed record FindingRow(
    string Code,
    string Weight,
    string Account,
    string Name,
    string What,
    long Messages,
    long Octets,
    string? Remedy,
    string? Decision
);

/// <param name="Way">A stable word.</param>
/// <param name="Value">What its value is, in words; null when it takes none.</param>
/// <param name="Default">A value that suits most; or null.</param>
public sealed record WayView(string Way, string Text, string? Value, string? Default);

/// <param name="Scope">route, batch or move.</param>
/// <param name="Place">The route, the batch or the from account.</param>
public sealed record DecisionView(string Scope, string Place, string Code, string Way, string? Value, string Who, DateTimeOffset At);

/// <param name="Way">Null takes back what was decided at this scope.</param>
/// <param name="Scope">route, batch or move.</param>
/// <param name="Moves">For the scope move: from accounts, to accounts or names.</param>
public sealed record DecisionRequest(string Code, string? Way, string? Value, string Scope, IReadOnlyList<string>? Moves);

/// <param name="People">How many it holds for.</param>
public sealed record DecisionResult(int People);

/// <summary>What leaving something out before the move would save.</summary>
/// <param name="ShortestSaved">Seconds of the batch's first pass.</param>
/// <param name="LongestSaved">Seconds of the batch's first pass.</param>
public sealed record SavingView(
    string Code,
    string Title,
    string Way,
    string Text,
    string? Value,
    long Messages,
    long Octets,
    int People,
    double ShortestSaved,
    double LongestSaved
);

/// <summary>Where folders land.</summary>
/// <param name="Summary">In one sentence.</param>
/// <param name="Rules">How many folders each rule decided, most first.</param>
/// <param name="People">Everybody, each with their own count; left out where one person was asked for.</param>
/// <param name="Landings">Folder by folder; only where one person was asked for.</param>
public sealed record FolderPreview(
    string Batch,
    string? Account,
    string Summary,
    int Surveyed,
    int Folders,
    int Landing,
    int LeftBehind,
    IReadOnlyList<RuleUse> Rules,
    IReadOnlyList<PersonPreview> People,
    IReadOnlyList<LandingView> Landings
);

public sealed record RuleUse(string Rule, bool Leaves, int Folders, long Messages);

/// <param name="Changed">Folders whose name had to change.</param>
/// <param name="Merged">Folders that share a place with another.</param>
public sealed record PersonPreview(string Account, string Name, int Folders, int Landing, int LeftBehind, int Changed, int Merged);

/// <param name="CarryMessages">What the mail rules let through.</param>
public sealed record LandingView(
    string From,
    string? Use,
    long Messages,
    long CarryMessages,
    long CarryOctets,
    string? To,
    string Rule,
    string? Note
);

/// <param name="Rules">Folder rules as in a plan: a YAML list.</param>
/// <param name="Before">
/// The rules as whoever changes them saw them last: where others are in force by now, nothing is changed. Null: whatever is in force.
/// </param>
public sealed record FolderRulesRequest(string Rules, string? Before = null);

/// <summary>The folder rules of a route, as the plan in force has them.</summary>
public sealed record FolderRulesView(string Route, string Rules, IReadOnlyList<string> Batches);

/// <summary>How long the first passes of a batch take when run without pause.</summary>
/// <param name="Shortest">Seconds.</param>
/// <param name="Longest">Seconds.</param>
/// <param name="Unknown">People of whom nothing is known, as nobody looked.</param>
/// <param name="HeldBackBy">nothing, one-mailbox, connections or workers.</param>
/// <param name="Detail">The same in words.</param>
/// <param name="Measured">First passes on which the rates were measured; 0: they are assumed.</param>
public sealed record EstimateView(
    string Batch,
    double Shortest,
    double Longest,
    int Unknown,
    long Messages,
    long Octets,
    int AtOnce,
    string HeldBackBy,
    string Detail,
    int Measured,
    double MessagesPerSecondLow,
    double MessagesPerSecondHigh,
    double OctetsPerSecondLow,
    double OctetsPerSecondHigh,
    IReadOnlyList<MoveEstimateView> Moves
);

/// <param name="Shortest">Seconds, by itself.</param>
/// <param name="Longest">Seconds, by itself.</param>
public sealed record MoveEstimateView(string Account, string Name, long Messages, long Octets, double Shortest, double Longest);
