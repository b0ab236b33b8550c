namespace EasyCaravan.Contract;

/// <param name="Stages">How many people are at each stage; stages with nobody are left out.</param>
/// <param name="Conditions">The same for conditions.</param>
/// <param name="Doing">What the whole batch is doing and why, in one line.</param>
/// <param name="OpenLeftBehind">Messages left behind about which nobody has decided.</param>
/// <param name="Undecided">Differences between the sides about which nobody has decided.</param>
/// <param name="Kinds">The sums of each kind that the route carries, in its order.</param>
/// <param name="Windows">The timetable in words; null: at all hours.</param>
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
public sealed record Page<T>(IReadOnlyList<T> Items, string? Next);

public sealed record JournalEntry(long Id, DateTimeOffset At, string Who, string? Batch, string? Account, string Text);

/// <summary>What needs a person, grouped by cause, with the remedy beside it.</summary>
/// <param name="Moves">Moves that cannot go on, or whose items were left behind.</param>
public sealed record NeedsYou(string Cause, string What, string Remedy, int Count, IReadOnlyList<MoveRef> Moves);

public sealed record MoveRef(string Batch, string Account, string Name);

/// <param name="What">A window that opens, or a catch-up.</param>
public sealed record Upcoming(DateTimeOffset At, string Batch, string What, int Moves);

/// <summary>What somebody who looks in twice a day has to know.</summary>
public sealed record Today(
    IReadOnlyList<NeedsYou> NeedsYou,
    IReadOnlyList<MoveView> Running,
    IReadOnlyList<Upcoming> Next,
    IReadOnlyList<ServiceView> Services,
    IReadOnlyList<BatchView> Batches
);
