namespace EasyCaravan.Contract;

/// <summary>A batch with its sums.</summary>
/// <param name="Stages">How many people are at each stage; stages with nobody are left out.</param>
/// <param name="Conditions">The same for conditions.</param>
/// <param name="Doing">What the whole batch is doing and why, in one line.</param>
/// <param name="OpenLeftBehind">Messages left behind about which nobody has decided.</param>
/// <param name="Undecided">Differences between the sides about which nobody has decided.</param>
/// <param name="Kinds">The sums of each kind that the route carries, in its order.</param>
/// <param name="Windows">The timetable in words; null: at all hours.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Route">The route's name in the plan.</param>
/// <param name="From">The service that people move from.</param>
/// <param name="To">The service that people move to.</param>
/// <param name="People">How many people.</param>
/// <param name="Counts">What was found, and what became of it.</param>
/// <param name="Octets">Their size in octets.</param>
public sealed record BatchView(
    string Name,
    string Route,
    string From,
    string To,
    int People,
    IReadOnlyDictionary<string, int> Stages,
    IReadOnlyDictionary<string, int> Conditions,
    string Doing,
    Counts Counts,
    long Octets,
    long OpenLeftBehind,
    long Undecided,
    IReadOnlyList<KindSums> Kinds,
    string? Windows
);

/// <summary>One page of a longer list.</summary>
/// <param name="Next">To be handed back as <c>cursor</c> for the next page; null on the last.</param>
/// <param name="Items">What is on this page.</param>
/// <param name="Total">How many there are on all pages together; null where nobody counts them.</param>
public sealed record Page<T>(IReadOnlyList<T> Items, string? Next, long? Total);

/// <summary>One thing that happened.</summary>
/// <param name="Id">Its number, stable.</param>
/// <param name="At">When.</param>
/// <param name="Who">Who did it.</param>
/// <param name="Batch">Of which batch; null: of none.</param>
/// <param name="Account">Of whose move; null: of none.</param>
/// <param name="Text">What happened.</param>
public sealed record JournalEntry(long Id, DateTimeOffset At, string Who, string? Batch, string? Account, string Text);

/// <summary>What needs a person, grouped by cause, with the remedy beside it.</summary>
/// <param name="Moves">Moves that cannot go on, or whose items were left behind.</param>
/// <param name="Cause">A stable word for programs.</param>
/// <param name="What">What happened, in one sentence without a full stop.</param>
/// <param name="Remedy">What to do, in one sentence without a full stop.</param>
/// <param name="Count">How many people.</param>
/// <param name="Mend">How it can be mended here; null: elsewhere, and then tried again.</param>
/// <param name="Service">The service that it is about; null: none, or several.</param>
public sealed record NeedsYou(
    string Cause,
    string What,
    string Remedy,
    int Count,
    IReadOnlyList<MoveRef> Moves,
    MendWord? Mend,
    string? Service
);

/// <summary>How something that needs a person can be mended here.</summary>
[System.Text.Json.Serialization.JsonConverter(typeof(KebabWord<MendWord>))]
public enum MendWord
{
    /// <summary>With another password or login.</summary>
    Secret,

    /// <summary>With a person's consent.</summary>
    Consent,

    /// <summary>By mending it where the remedy says, and another try.</summary>
    Retry,

    /// <summary>By deciding about items left behind.</summary>
    LeftBehind,

    /// <summary>By deciding about differences between the sides.</summary>
    Differences,
}

/// <summary>Which move.</summary>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
public sealed record MoveRef(string Batch, string Account, string Name);

/// <summary>Something that will happen by itself.</summary>
/// <param name="What">A window that opens, or a catch-up.</param>
/// <param name="At">When.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Moves">How many moves.</param>
public sealed record Upcoming(DateTimeOffset At, string Batch, string What, int Moves);

/// <summary>What happened since somebody last looked.</summary>
/// <param name="Last">When they last looked; null: never, and the last seven days are told.</param>
/// <param name="Passes">Passes that ended.</param>
/// <param name="Failed">Of them, those that met a problem.</param>
/// <param name="Carried">Items carried.</param>
/// <param name="Octets">Their size in octets.</param>
/// <param name="CameInStep">Kinds of moves that came in step for the first time.</param>
/// <param name="LeftBehind">Items newly left behind.</param>
/// <param name="ByPeople">What people asked for, the newest first, twenty at most.</param>
public sealed record SinceView(
    DateTimeOffset? Last,
    long Passes,
    long Failed,
    long Carried,
    long Octets,
    long CameInStep,
    long LeftBehind,
    IReadOnlyList<AskedByPeople> ByPeople
);

/// <summary>Something that a person asked for, of one move or of many at once.</summary>
/// <param name="At">When.</param>
/// <param name="Who">Who asked.</param>
/// <param name="Batch">Of which batch; null: of none.</param>
/// <param name="Account">Of whose move; null: of none, or of several.</param>
/// <param name="Text">What, as the journal has it.</param>
/// <param name="Moves">Of how many moves; 0: of none.</param>
public sealed record AskedByPeople(DateTimeOffset At, string Who, string? Batch, string? Account, string Text, int Moves);

/// <summary>That somebody looked.</summary>
/// <param name="At">When.</param>
public sealed record TodayLooked(DateTimeOffset At);

/// <summary>What somebody who looks in twice a day has to know.</summary>
/// <param name="Since">What happened since they last looked.</param>
/// <param name="NeedsYou">What needs a person, the largest group first.</param>
/// <param name="Running">Moves that run now.</param>
/// <param name="Next">What comes next, the earliest first.</param>
/// <param name="Services">The services.</param>
/// <param name="Batches">The batches.</param>
public sealed record Today(
    SinceView Since,
    IReadOnlyList<NeedsYou> NeedsYou,
    IReadOnlyList<MoveView> Running,
    IReadOnlyList<Upcoming> Next,
    IReadOnlyList<ServiceView> Services,
    IReadOnlyList<BatchView> Batches
);
