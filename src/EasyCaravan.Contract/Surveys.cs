namespace EasyCaravan.Contract;

/// <summary>What the accounts of a batch hold, as their surveys found it.</summary>
/// <param name="Surveyed">People whose two accounts were both looked at.</param>
/// <param name="Closed">People with an account at which the sign-in failed.</param>
/// <param name="Oldest">When the oldest of the surveys was taken.</param>
/// <param name="Messages">On the from side.</param>
/// <param name="Octets">On the from side.</param>
/// <param name="CarryMessages">Of those, what the rules let through.</param>
/// <param name="CarryOctets">Of those, what the rules let through.</param>
/// <param name="Sizes">How many accounts are how large, smallest class first.</param>
/// <param name="Heaviest">The ten largest accounts.</param>
/// <param name="Kinds">What is carried, and how much of each: mail only, for now.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="People">How many people.</param>
/// <param name="ToMessages">Messages that the new side holds already.</param>
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

/// <summary>How many accounts are of one size.</summary>
/// <param name="UpTo">In octets; null for the largest class.</param>
/// <param name="Name">The class, such as small.</param>
/// <param name="Accounts">How many accounts.</param>
/// <param name="Octets">Their size in octets.</param>
public sealed record SizeClass(string Name, long? UpTo, int Accounts, long Octets);

/// <summary>How much of one kind there is.</summary>
/// <param name="Kind">The kind.</param>
/// <param name="Items">How many items.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="Containers">How many folders or collections they are in.</param>
/// <param name="CarryItems">Items to carry; those that the new side has already are not among them.</param>
/// <param name="CarryOctets">Their size in octets.</param>
public sealed record KindTotal(MoveKind Kind, long Items, long Octets, int Containers, long CarryItems, long CarryOctets);

/// <summary>One person's accounts.</summary>
/// <param name="TakenAt">Null when nobody looked yet.</param>
/// <param name="FreeOctets">Room on the new side; null where it has no limit, or tells none.</param>
/// <param name="Findings">How many findings nobody has decided about, notes left out.</param>
/// <param name="Kinds">Contacts and calendars, where the route carries them.</param>
/// <param name="Problem">Why the sign-in to an account failed; null: it did not.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="ToAccount">The to account.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Folders">How many folders.</param>
/// <param name="Messages">How many messages.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="CarryMessages">Messages that the rules carry.</param>
/// <param name="CarryOctets">Octets that the rules carry.</param>
/// <param name="OldestMessage">The day of the oldest message; null: there is none.</param>
/// <param name="NewestMessage">The day of the newest message; null: there is none.</param>
/// <param name="LargestMessage">The largest message in octets; null: there is none.</param>
/// <param name="ToMessages">Messages that the new side holds already.</param>
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
    IReadOnlyList<KindTotal> Kinds,
    Problem? Problem
);

/// <summary>All that is known of one person's accounts.</summary>
/// <param name="Summary">The sums.</param>
/// <param name="Folders">Folder by folder.</param>
/// <param name="Largest">The largest messages.</param>
/// <param name="FromRoom">Room on the old side; null: it does not say.</param>
/// <param name="ToRoom">Room on the new side; null: it does not say.</param>
/// <param name="Forwards">Addresses to which mail is forwarded already; null: nobody can look.</param>
/// <param name="Keywords">Keywords that messages have.</param>
/// <param name="Collections">Address books and calendars of the old side, where the route carries them.</param>
/// <param name="Findings">What was found about it.</param>
public sealed record MoveInventory(
    AccountInventory Summary,
    IReadOnlyList<FolderInventoryView> Folders,
    IReadOnlyList<LargeMessageView> Largest,
    RoomView? FromRoom,
    RoomView? ToRoom,
    IReadOnlyList<string>? Forwards,
    IReadOnlyList<string> Keywords,
    IReadOnlyList<CollectionInventoryView> Collections,
    IReadOnlyList<FindingRow> Findings
);

/// <summary>What one address book or calendar of the old side holds.</summary>
/// <param name="Kind">Contacts or calendars.</param>
/// <param name="Name">As people know it.</param>
/// <param name="Standing">own, shared, subscribed or read-only.</param>
/// <param name="Items">How many contacts, or events, tasks and journals.</param>
/// <param name="Octets">Of all of them together.</param>
/// <param name="Oldest">When the first event begins; null: contacts, or none.</param>
/// <param name="Newest">When the last event begins; null: contacts, or none.</param>
/// <param name="LargestOctets">Of the largest item.</param>
/// <param name="Recurring">Events and tasks that recur.</param>
/// <param name="WithPeople">Events and tasks with attendees.</param>
/// <param name="WithoutUid">Items without a UID, by which a second copy would be known.</param>
/// <param name="Unreadable">Items that the old side does not give out.</param>
/// <param name="Versions">Of contacts: how many there are of each version of vCard.</param>
public sealed record CollectionInventoryView(
    MoveKind Kind,
    string Name,
    string Standing,
    long Items,
    long Octets,
    DateTimeOffset? Oldest,
    DateTimeOffset? Newest,
    long LargestOctets,
    long Recurring,
    long WithPeople,
    long WithoutUid,
    long Unreadable,
    IReadOnlyDictionary<string, long> Versions
);

/// <summary>What one folder of the old side holds.</summary>
/// <param name="Folder">The folder's path on the old side, with / between names.</param>
/// <param name="Use">What the folder is for; null: nothing special.</param>
/// <param name="Messages">How many messages.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="Oldest">The day of its oldest message; null: it has none.</param>
/// <param name="Newest">The day of its newest message; null: it has none.</param>
public sealed record FolderInventoryView(
    string Folder,
    FolderUse? Use,
    long Messages,
    long Octets,
    DateTimeOffset? Oldest,
    DateTimeOffset? Newest
);

/// <summary>One of the largest messages of an account.</summary>
/// <param name="Folder">The folder's path on the old side, with / between names.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="Received">When the old side received it.</param>
/// <param name="Subject">Of the message, for people to recognise it by.</param>
/// <param name="Sender">Of the message, for people to recognise it by.</param>
public sealed record LargeMessageView(string Folder, long Octets, DateTimeOffset Received, string Subject, string Sender);

/// <summary>How much room an account has.</summary>
/// <param name="Octets">The limit; null: none.</param>
/// <param name="Messages">The limit; null: none.</param>
/// <param name="UsedOctets">Octets in use.</param>
/// <param name="UsedMessages">Messages there are.</param>
public sealed record RoomView(long? Octets, long UsedOctets, long? Messages, long UsedMessages);

/// <summary>Findings of one kind over a batch, with what can be chosen about them.</summary>
/// <param name="Code">A stable word for programs and for decisions.</param>
/// <param name="Weight">How much it matters.</param>
/// <param name="Otherwise">What will happen if nobody decides anything.</param>
/// <param name="People">How many it touches.</param>
/// <param name="Open">How many of those nobody has decided about.</param>
/// <param name="Rows">The first hundred of them; all are at findings/rows.</param>
/// <param name="Title">A heading for people.</param>
/// <param name="Messages">Messages concerned.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="Ways">What can be decided about it.</param>
/// <param name="Decisions">What was decided.</param>
public sealed record FindingGroup(
    string Code,
    FindingWeight Weight,
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

/// <summary>One thing that was found about one person.</summary>
/// <param name="Remedy">What mends it outside of the plan; or null.</param>
/// <param name="Decision">What was decided about it; or null.</param>
/// <param name="Code">The finding's word, stable for programs.</param>
/// <param name="Weight">How much it matters.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="What">What was found, in one sentence.</param>
/// <param name="Messages">How many messages.</param>
/// <param name="Octets">Their size in octets.</param>
public sealed record FindingRow(
    string Code,
    FindingWeight Weight,
    string Account,
    string Name,
    string What,
    long Messages,
    long Octets,
    string? Remedy,
    string? Decision
);

/// <summary>One way to decide about a finding.</summary>
/// <param name="Way">A stable word.</param>
/// <param name="Value">What its value is, in words; null when it takes none.</param>
/// <param name="Default">A value that suits most; or null.</param>
/// <param name="Text">What choosing it means.</param>
public sealed record WayView(string Way, string Text, string? Value, string? Default);

/// <summary>A decision about a finding, in force.</summary>
/// <param name="Scope">For whom it holds.</param>
/// <param name="Place">The route, the batch or the from account.</param>
/// <param name="Code">The finding's word, stable for programs.</param>
/// <param name="Way">What was chosen.</param>
/// <param name="Value">The value that goes with it; null where it takes none.</param>
/// <param name="Who">Who did it.</param>
/// <param name="At">When.</param>
public sealed record DecisionView(DecisionReach Scope, string Place, string Code, string Way, string? Value, string Who, DateTimeOffset At);

/// <summary>A decision about a finding.</summary>
/// <param name="Way">Null takes back what was decided at this scope.</param>
/// <param name="Scope">For whom it holds.</param>
/// <param name="Moves">For the scope move: from accounts, to accounts or names.</param>
/// <param name="Code">The finding's word, stable for programs.</param>
/// <param name="Value">The value that goes with it; null where it takes none.</param>
public sealed record DecisionRequest(string Code, string? Way, string? Value, DecisionReach Scope, IReadOnlyList<string>? Moves);

/// <summary>How many people a decision concerns.</summary>
/// <param name="People">How many it holds for.</param>
public sealed record DecisionResult(int People);

/// <summary>What leaving something out before the move would save.</summary>
/// <param name="ShortestSaved">Seconds of the batch's first pass.</param>
/// <param name="LongestSaved">Seconds of the batch's first pass.</param>
/// <param name="Code">The finding's word, stable for programs.</param>
/// <param name="Title">A heading for people.</param>
/// <param name="Way">The decision that saves it.</param>
/// <param name="Text">In words.</param>
/// <param name="Value">The value that goes with it; null where it takes none.</param>
/// <param name="Messages">How many messages.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="People">How many people.</param>
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
/// <param name="People">A page of everybody, each with their own count; empty where one person was asked for.</param>
/// <param name="Landings">Folder by folder; only where one person was asked for.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Surveyed">People who were surveyed.</param>
/// <param name="Folders">Where each folder lands.</param>
/// <param name="Landing">Folders that land somewhere.</param>
/// <param name="LeftBehind">Folders that stay behind.</param>
public sealed record FolderPreview(
    string Batch,
    string? Account,
    string Summary,
    int Surveyed,
    int Folders,
    int Landing,
    int LeftBehind,
    IReadOnlyList<RuleUse> Rules,
    Page<PersonPreview> People,
    IReadOnlyList<LandingView> Landings
);

/// <summary>How much a folder rule does.</summary>
/// <param name="Rule">The rule that decides, in words.</param>
/// <param name="Leaves">It leaves them behind.</param>
/// <param name="Folders">Folders that it decides about.</param>
/// <param name="Messages">Messages in them.</param>
public sealed record RuleUse(string Rule, bool Leaves, int Folders, long Messages);

/// <summary>Where one person's folders land.</summary>
/// <param name="Changed">Folders whose name had to change.</param>
/// <param name="Merged">Folders that share a place with another.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Folders">Folders on the old side.</param>
/// <param name="Landing">Folders that land somewhere.</param>
/// <param name="LeftBehind">Folders that stay behind.</param>
public sealed record PersonPreview(string Account, string Name, int Folders, int Landing, int LeftBehind, int Changed, int Merged);

/// <summary>Where a folder lands.</summary>
/// <param name="CarryMessages">What the mail rules let through.</param>
/// <param name="From">Its path on the old side.</param>
/// <param name="Use">What the folder is for; null: nothing special.</param>
/// <param name="Messages">Messages in it.</param>
/// <param name="CarryOctets">Octets of it that are carried.</param>
/// <param name="To">Its path on the new side; null: it stays behind.</param>
/// <param name="Rule">The rule that decides, in words.</param>
/// <param name="Note">How its name was made to fit; null: it fits.</param>
public sealed record LandingView(
    string From,
    FolderUse? Use,
    long Messages,
    long CarryMessages,
    long CarryOctets,
    string? To,
    string Rule,
    string? Note
);

/// <summary>Other folder rules.</summary>
/// <param name="Rules">Folder rules as in a plan: a YAML list.</param>
/// <param name="Before">
/// The rules as whoever changes them saw them last: where others are in force by now, nothing is changed. Null: whatever is in force.
/// </param>
public sealed record FolderRulesRequest(string Rules, string? Before = null);

/// <summary>The folder rules of a route, as the plan in force has them.</summary>
/// <param name="Route">The route's name in the plan.</param>
/// <param name="Rules">The folder rules.</param>
/// <param name="Batches">The batches that it concerns.</param>
public sealed record FolderRulesView(string Route, string Rules, IReadOnlyList<string> Batches);

/// <summary>How long the first passes of a batch take when run without pause.</summary>
/// <param name="Shortest">Seconds.</param>
/// <param name="Longest">Seconds.</param>
/// <param name="Unknown">People of whom nothing is known, as nobody looked.</param>
/// <param name="HeldBackBy">What keeps it from being faster.</param>
/// <param name="Detail">The same in words.</param>
/// <param name="Measured">First passes on which the rates were measured; 0: they are assumed.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Messages">Messages to carry.</param>
/// <param name="Octets">Octets to carry.</param>
/// <param name="AtOnce">Moves that can run side by side.</param>
/// <param name="MessagesPerSecondLow">The lower rate of one move.</param>
/// <param name="MessagesPerSecondHigh">The higher rate of one move.</param>
/// <param name="OctetsPerSecondLow">The lower rate of one move.</param>
/// <param name="OctetsPerSecondHigh">The higher rate of one move.</param>
/// <param name="Kinds">Contacts and calendars, where the route carries them; the sums and rates above are of mail.</param>
/// <param name="Moves">A page of the moves, each by itself; those that take the longest first.</param>
public sealed record EstimateView(
    string Batch,
    double Shortest,
    double Longest,
    int Unknown,
    long Messages,
    long Octets,
    int AtOnce,
    Bottleneck HeldBackBy,
    string Detail,
    int Measured,
    double MessagesPerSecondLow,
    double MessagesPerSecondHigh,
    double OctetsPerSecondLow,
    double OctetsPerSecondHigh,
    IReadOnlyList<KindEstimate> Kinds,
    Page<MoveEstimateView> Moves
);

/// <summary>What there is to carry of contacts or calendars, and how fast it travels.</summary>
/// <param name="Kind">The kind.</param>
/// <param name="Items">Items to carry.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="Measured">First passes on which the rates were measured; 0: they are assumed.</param>
/// <param name="ItemsPerSecondLow">The lower rate of one move.</param>
/// <param name="ItemsPerSecondHigh">The higher rate of one move.</param>
public sealed record KindEstimate(
    MoveKind Kind,
    long Items,
    long Octets,
    int Measured,
    double ItemsPerSecondLow,
    double ItemsPerSecondHigh
);

/// <summary>How long one move takes by itself.</summary>
/// <param name="Shortest">Seconds, by itself.</param>
/// <param name="Longest">Seconds, by itself.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Messages">How many messages.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="Items">Contacts and events.</param>
public sealed record MoveEstimateView(string Account, string Name, long Messages, long Octets, long Items, double Shortest, double Longest);
