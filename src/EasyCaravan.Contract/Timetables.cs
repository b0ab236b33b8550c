using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>A stretch of time.</summary>
/// <param name="From">When it begins.</param>
/// <param name="Until">When it ends.</param>
public sealed record Stretch(DateTimeOffset From, DateTimeOffset Until);

/// <summary>Time in which nothing runs, whatever the windows say.</summary>
/// <param name="From">When it begins.</param>
/// <param name="Until">When it ends.</param>
/// <param name="Why">As the plan says; null: it does not say.</param>
public sealed record PauseStretch(DateTimeOffset From, DateTimeOffset Until, string? Why);

/// <summary>Moves of a batch that become due by themselves within one hour.</summary>
/// <param name="At">The beginning of the hour.</param>
/// <param name="Moves">How many moves.</param>
public sealed record DueMoves(DateTimeOffset At, int Moves);

/// <summary>A day in a batch's zone; it has 23 or 25 hours where the clock is put forward or back.</summary>
/// <param name="Day">The day.</param>
/// <param name="From">Its midnight.</param>
/// <param name="Until">The next midnight.</param>
public sealed record CalendarDay(DateOnly Day, DateTimeOffset From, DateTimeOffset Until);

/// <summary>When a batch may run, ran, and will run, over some weeks.</summary>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Words">The timetable in words; null: the plan sets none, and the batch runs at all hours.</param>
/// <param name="Zone">The time zone in which the plan's times are meant, such as <c>Europe/Dublin</c>.</param>
/// <param name="Priority">1 (first) to 9, among batches that wait for the same services or workers.</param>
/// <param name="Now">When this was worked out.</param>
/// <param name="From">Where the stretches below begin.</param>
/// <param name="Until">Where they end.</param>
/// <param name="Days">The days between, in the batch's zone.</param>
/// <param name="Open">When passes may run: windows without pauses.</param>
/// <param name="Pauses">When nothing runs, whatever the windows say.</param>
/// <param name="Ran">When passes ran.</param>
/// <param name="WillRun">When first passes are foreseen to run, by the slower forecast.</param>
/// <param name="Due">Moves that become due by themselves.</param>
/// <param name="Start">When the batch starts by itself; null: when somebody starts it.</param>
/// <param name="Cutover">When it is to cut over; null: the plan does not say.</param>
/// <param name="ForwardingUntil">The last day on which the old address forwards; null: the plan does not say.</param>
/// <param name="OpensNext">When it next opens; null: it is open, or never opens again.</param>
/// <param name="ClosesNext">When it closes; null: it is shut, or does not close within weeks.</param>
/// <param name="PausedBecause">Why nothing runs now although a window is open; null: it is not paused.</param>
public sealed record TimetableView(
    string Batch,
    string? Words,
    string Zone,
    int Priority,
    DateTimeOffset Now,
    DateTimeOffset From,
    DateTimeOffset Until,
    IReadOnlyList<CalendarDay> Days,
    IReadOnlyList<Stretch> Open,
    IReadOnlyList<PauseStretch> Pauses,
    IReadOnlyList<Stretch> Ran,
    IReadOnlyList<Stretch> WillRun,
    IReadOnlyList<DueMoves> Due,
    DateTimeOffset? Start,
    DateTimeOffset? Cutover,
    DateOnly? ForwardingUntil,
    DateTimeOffset? OpensNext,
    DateTimeOffset? ClosesNext,
    string? PausedBecause
);

/// <summary>What keeps a batch from being in step earlier.</summary>
[JsonConverter(typeof(KebabWord<ObstacleWord>))]
public enum ObstacleWord
{
    /// <summary>Its windows are shut, or it is paused, or has not started yet.</summary>
    Shut,

    /// <summary>All moves that this installation runs at a time are running.</summary>
    Workers,

    /// <summary>All connections of a service are in use.</summary>
    Service,

    /// <summary>What a service lets an account do in a day is used up.</summary>
    DayLimit,

    /// <summary>Everybody left is running: it takes as long as their mailboxes take.</summary>
    Work,
}

/// <summary>How much of the time until a batch is in step goes where.</summary>
/// <param name="On">What for.</param>
/// <param name="Service">Which service, where it is one.</param>
/// <param name="Share">Of the time, 0 to 1.</param>
public sealed record ObstacleShare(ObstacleWord On, string? Service, double Share);

/// <summary>What a change would do to a forecast.</summary>
/// <param name="Change">As it is written in <c>whatIf</c>.</param>
/// <param name="InStepEarliest">When everybody would be in step at the earliest; null: not within half a year.</param>
/// <param name="InStepLatest">When everybody would be in step at the latest; null: not within half a year.</param>
/// <param name="Earlier">
/// Seconds by which the latest moment comes earlier; below 0: later; null: one of both is not within half a year.
/// </param>
public sealed record WhatIfView(string Change, DateTimeOffset? InStepEarliest, DateTimeOffset? InStepLatest, double? Earlier);

/// <summary>How many people are foreseen to be in step at the end of a day.</summary>
/// <param name="Day">The day, in the batch's zone.</param>
/// <param name="Fewest">If it goes slowly.</param>
/// <param name="Most">If it goes fast.</param>
public sealed record ForecastDay(DateOnly Day, int Fewest, int Most);

/// <summary>What was foreseen at some time, against what came true.</summary>
/// <param name="At">When it was foreseen.</param>
/// <param name="InStepEarliest">What it said then; null: not within half a year.</param>
/// <param name="InStepLatest">What it said then; null: not within half a year.</param>
public sealed record EarlierForecast(DateTimeOffset At, DateTimeOffset? InStepEarliest, DateTimeOffset? InStepLatest);

/// <summary>What is foreseen of one move.</summary>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Begins">When its first pass begins at the earliest; null: not within half a year.</param>
/// <param name="InStepEarliest">When it is in step at the earliest; null: not within half a year.</param>
/// <param name="InStepLatest">When it is in step at the latest; null: not within half a year.</param>
public sealed record MoveForecastView(
    string Account,
    string Name,
    DateTimeOffset? Begins,
    DateTimeOffset? InStepEarliest,
    DateTimeOffset? InStepLatest
);

/// <summary>When a batch will be in step, found by running the schedule on simulated time; all batches of the plan are in it.</summary>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Zone">The time zone of the batch.</param>
/// <param name="MadeAt">When it was made.</param>
/// <param name="People">People of the batch who are not withdrawn.</param>
/// <param name="InStep">Of them, those who are in step or further.</param>
/// <param name="Begins">When the next first pass begins; null: nobody is left to copy, or not within half a year.</param>
/// <param name="InStepEarliest">When everybody in it is in step at the earliest; null: not within half a year.</param>
/// <param name="InStepLatest">When everybody in it is in step at the latest; null: not within half a year.</param>
/// <param name="Cutover">When it is to cut over; null: the plan does not say.</param>
/// <param name="Spare">
/// Seconds from the latest moment to the cutover; below 0: too late; null: there is no cutover, or no such moment.
/// </param>
/// <param name="Sentence">All that in words, with what holds it back.</param>
/// <param name="Obstacles">What keeps it from being in step earlier, the most first.</param>
/// <param name="Measured">First passes on which the rates were measured; 0: they are assumed.</param>
/// <param name="Assumed">People whose account nobody has seen whole: they are taken to be like the others.</param>
/// <param name="NotStarted">People who have not begun: they are foreseen to start with the timetable, or now.</param>
/// <param name="Apart">People who are not in it, because they are held or need somebody.</param>
/// <param name="Days">How many people are in step, day by day.</param>
/// <param name="WhatIf">What was asked for, and what the two worst obstacles suggest.</param>
/// <param name="Earlier">What was foreseen before, the oldest first.</param>
/// <param name="Moves">A page of the moves, those that are in step last first.</param>
public sealed record ForecastView(
    string Batch,
    string Zone,
    DateTimeOffset MadeAt,
    int People,
    int InStep,
    DateTimeOffset? Begins,
    DateTimeOffset? InStepEarliest,
    DateTimeOffset? InStepLatest,
    DateTimeOffset? Cutover,
    double? Spare,
    string Sentence,
    IReadOnlyList<ObstacleShare> Obstacles,
    int Measured,
    int Assumed,
    int NotStarted,
    int Apart,
    IReadOnlyList<ForecastDay> Days,
    IReadOnlyList<WhatIfView> WhatIf,
    IReadOnlyList<EarlierForecast> Earlier,
    Page<MoveForecastView> Moves
);

/// <summary>How a batch stood at the end of an hour.</summary>
/// <param name="At">The hour's beginning.</param>
/// <param name="Stages">How many people were at each stage; stages with nobody are left out.</param>
/// <param name="NeedsYou">How many needed a person.</param>
/// <param name="Found">Items found so far.</param>
/// <param name="Settled">Of them, those carried, paired, excluded or left behind.</param>
/// <param name="Octets">Carried so far.</param>
public sealed record HistoryPoint(
    DateTimeOffset At,
    IReadOnlyDictionary<string, int> Stages,
    int NeedsYou,
    long Found,
    long Settled,
    long Octets
);

/// <summary>What a new plan would change about when a batch runs.</summary>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Before">When everybody is in step at the latest as it is; null: not within half a year, or the batch is new.</param>
/// <param name="After">The same under the new plan; null: not within half a year.</param>
/// <param name="Stops">Moves that run now and would stop, because no window is open.</param>
/// <param name="Begins">Moves that wait for a window now and could begin at once.</param>
/// <param name="Sentence">All that in words.</param>
public sealed record TimetableChange(string Batch, DateTimeOffset? Before, DateTimeOffset? After, int Stops, int Begins, string Sentence);

/// <summary>Makes moves go before or after others.</summary>
/// <param name="Priority">1 (first) to 9; null: the batch's own again.</param>
/// <param name="Moves">From accounts, to accounts or names; null: everybody in the batch.</param>
public sealed record PriorityRequest(int? Priority, IReadOnlyList<string>? Moves);

/// <summary>An action on the moves of several batches.</summary>
/// <param name="Action">What: hold, resume, retry or catch-up.</param>
/// <param name="Service">Only batches whose route uses this service; null: every batch.</param>
public sealed record WideActionRequest(MoveAction Action, string? Service);

/// <summary>What an action on several batches changed.</summary>
/// <param name="Batches">For each batch, on how many moves it changed something; batches without any are left out.</param>
public sealed record WideActionResult(IReadOnlyDictionary<string, int> Batches);

/// <summary>Services on which no pass begins, and what is still running there.</summary>
/// <param name="Services">Which; empty: none.</param>
/// <param name="Everything">Every service is drained.</param>
/// <param name="Running">Moves that are still running there.</param>
public sealed record DrainView(IReadOnlyList<string> Services, bool Everything, IReadOnlyList<MoveView> Running);

/// <summary>Begins or ends a drain.</summary>
/// <param name="Service">Which service; null: every one.</param>
/// <param name="Drain">True: no pass begins on it any more. False: they may again.</param>
/// <param name="StopRunning">With <paramref name="Drain"/>: passes that run end the item in hand and wait, too.</param>
public sealed record DrainRequest(string? Service, bool Drain, bool StopRunning = false);
