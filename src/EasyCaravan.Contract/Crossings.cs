using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>What can be asked of a crossing, or said of it.</summary>
[JsonConverter(typeof(KebabWord<CrossingAsk>))]
public enum CrossingAsk
{
    /// <summary>To look at the gates. Nothing is changed.</summary>
    Check,

    /// <summary>To cross. Without names the whole batch does, in waves.</summary>
    Go,

    /// <summary>That no further wave begins. Who crosses now goes on.</summary>
    Stop,

    /// <summary>To be as before the crossing.</summary>
    Undo,

    /// <summary>To be done with: forwarding as the timetable says, credentials forgotten.</summary>
    Finish,

    /// <summary>That a gate which is amber is well all the same.</summary>
    Accept,

    /// <summary>That forwarding was set by hand.</summary>
    ForwardingOn,

    /// <summary>That forwarding was switched off by hand.</summary>
    ForwardingOff,

    /// <summary>That the new address was confirmed at the old service.</summary>
    Confirmed,

    /// <summary>To switch forwarding on again, although somebody changed it.</summary>
    ForwardAgain,
}

/// <summary>What a person asked of a crossing last.</summary>
[JsonConverter(typeof(KebabWord<CrossingGoalWord>))]
public enum CrossingGoalWord
{
    /// <summary>To look at the gates.</summary>
    Check,

    /// <summary>To cross.</summary>
    Cross,

    /// <summary>To be as before the crossing.</summary>
    Undo,

    /// <summary>To be done with.</summary>
    End,
}

/// <summary>The steps of a crossing, in their order.</summary>
[JsonConverter(typeof(KebabWord<CrossingStepWord>))]
public enum CrossingStepWord
{
    /// <summary>Both sides are looked at, and what speaks against crossing is found.</summary>
    Gates,

    /// <summary>Forwarding is switched on at the old side.</summary>
    Forward,

    /// <summary>The old side wants the new address confirmed.</summary>
    Confirm,

    /// <summary>A message to the old address is awaited at the new one.</summary>
    Probe,

    /// <summary>What came to the old side before forwarding was on is carried.</summary>
    Close,

    /// <summary>Both sides are compared, item by item.</summary>
    Compare,

    /// <summary>It has crossed: stragglers are carried, and forwarding is tried every day.</summary>
    Settle,

    /// <summary>What was changed on the old side is put back.</summary>
    Undo,

    /// <summary>The move is closed: credentials are forgotten.</summary>
    End,
}

/// <summary>What is looked at before somebody crosses.</summary>
[JsonConverter(typeof(KebabWord<GateWord>))]
public enum GateWord
{
    /// <summary>The last pass ended well, and not long ago.</summary>
    InStep,

    /// <summary>What stayed behind, and the differences, were decided on.</summary>
    LeftBehind,

    /// <summary>Both sides can be signed in to.</summary>
    SignIn,

    /// <summary>The account on the new side has room.</summary>
    Room,

    /// <summary>How forwarding can be set.</summary>
    Forwarding,

    /// <summary>Rules of the account's owner that the new side does not have.</summary>
    OwnRules,

    /// <summary>Whether messages can be sent that show whether forwarding works.</summary>
    Probe,

    /// <summary>The person was told.</summary>
    Informed,
}

/// <summary>Whether somebody may cross as far as one gate is concerned.</summary>
[JsonConverter(typeof(KebabWord<GateColourWord>))]
public enum GateColourWord
{
    /// <summary>They may.</summary>
    Green,

    /// <summary>They may, once a person has said that it is well.</summary>
    Amber,

    /// <summary>They may not: it has to be mended first.</summary>
    Red,
}

/// <summary>By which way a probe comes to the old address.</summary>
[JsonConverter(typeof(KebabWord<ProbeWayWord>))]
public enum ProbeWayWord
{
    /// <summary>From a sender outside of the old service.</summary>
    Outside,

    /// <summary>From another account of the old service.</summary>
    Colleague,
}

/// <summary>What became of a probe.</summary>
[JsonConverter(typeof(KebabWord<ProbeWord>))]
public enum ProbeWord
{
    /// <summary>About to be sent.</summary>
    Planned,

    /// <summary>Its server has taken it.</summary>
    Sent,

    /// <summary>It takes longer than usual, and may still come.</summary>
    Late,

    /// <summary>It came as it was sent, into the inbox.</summary>
    Arrived,

    /// <summary>It came, and into a folder for junk.</summary>
    InJunk,

    /// <summary>It came, and its text is not what was sent.</summary>
    Altered,

    /// <summary>It came more than once.</summary>
    Twice,

    /// <summary>It did not come in the time that the plan gives it.</summary>
    Missing,

    /// <summary>Its server did not take it.</summary>
    Refused,
}

/// <summary>How forwarding is set at the old side.</summary>
[JsonConverter(typeof(KebabWord<ForwardingWayWord>))]
public enum ForwardingWayWord
{
    /// <summary>By a mail rule of ours.</summary>
    Rules,

    /// <summary>By a person, in whatever way the service has.</summary>
    ByHand,
}

/// <summary>Where the confirmation of a forwarding address stands.</summary>
[JsonConverter(typeof(KebabWord<ConfirmationWord>))]
public enum ConfirmationWord
{
    /// <summary>The old side's message is awaited at the new address.</summary>
    Asked,

    /// <summary>The message came; somebody has to give its code back, or follow its link.</summary>
    CodeSeen,

    /// <summary>A person says that it is done.</summary>
    Confirmed,

    /// <summary>Nobody confirmed it in time.</summary>
    Expired,
}

/// <summary>How the crossing of a whole batch stands.</summary>
[JsonConverter(typeof(KebabWord<WavesWord>))]
public enum WavesWord
{
    /// <summary>Nobody has asked for it.</summary>
    NotAsked,

    /// <summary>A wave crosses, or the next one begins.</summary>
    Running,

    /// <summary>No further wave begins until a person says so.</summary>
    Stopped,

    /// <summary>Nobody is left who could cross in a wave.</summary>
    Ended,
}

/// <summary>Asks something of the crossings of a batch, or says something of them.</summary>
/// <param name="Ask">What.</param>
/// <param name="Moves">Whose: from accounts, to accounts or names. Null: everybody of the batch.</param>
/// <param name="Gate">With accept: which gate.</param>
/// <param name="Because">With accept: why it is well; with stop: why it is stopped, for the journal.</param>
public sealed record CrossingRequest(CrossingAsk Ask, IReadOnlyList<string>? Moves, GateWord? Gate = null, string? Because = null);

/// <summary>A gate as it was last seen.</summary>
/// <param name="Gate">Which.</param>
/// <param name="Colour">Whether somebody may cross as far as it is concerned.</param>
/// <param name="Facts">What is so.</param>
/// <param name="Remedy">What to do about it; null where nothing is to be done.</param>
/// <param name="AcceptedBy">Who said that it is well all the same; null: nobody.</param>
/// <param name="AcceptedBecause">Why.</param>
/// <param name="AcceptedAt">When.</param>
public sealed record GateView(
    GateWord Gate,
    GateColourWord Colour,
    string Facts,
    string? Remedy,
    string? AcceptedBy,
    string? AcceptedBecause,
    DateTimeOffset? AcceptedAt
);

/// <summary>A message of ours to the old address, and what became of it.</summary>
/// <param name="Way">By which way it came.</param>
/// <param name="Sender">Whose address it comes from.</param>
/// <param name="State">What became of it.</param>
/// <param name="PlannedAt">When it was written down that it will be sent.</param>
/// <param name="SentAt">When it was sent.</param>
/// <param name="ArrivedAt">When it was first seen at the new address.</param>
/// <param name="Folder">Where it was seen there.</param>
/// <param name="KeptAt">When it was seen in the old mailbox, where a copy stays.</param>
/// <param name="RemovedAt">Since when it is gone from both sides.</param>
/// <param name="Said">What a server said of it.</param>
public sealed record ProbeView(
    ProbeWayWord Way,
    string Sender,
    ProbeWord State,
    DateTimeOffset PlannedAt,
    DateTimeOffset? SentAt,
    DateTimeOffset? ArrivedAt,
    string? Folder,
    DateTimeOffset? KeptAt,
    DateTimeOffset? RemovedAt,
    string? Said
);

/// <summary>The forwarding of a move.</summary>
/// <param name="Way">How it is set.</param>
/// <param name="OnAt">Since when it is on; null: it is not.</param>
/// <param name="Script">The mail rule of ours, in full; null where it is set by hand.</param>
/// <param name="OwnScript">The name of the owner's script that was active before; null: none was.</param>
/// <param name="Before">The text of that script.</param>
/// <param name="Confirmation">Where the confirmation stands that the old side wants; null: it wants none.</param>
/// <param name="Code">The code or link of its message; null: it did not come yet.</param>
public sealed record ForwardingView(
    ForwardingWayWord Way,
    DateTimeOffset? OnAt,
    string? Script,
    string? OwnScript,
    string? Before,
    ConfirmationWord? Confirmation,
    string? Code
);

/// <summary>One thing done to cross.</summary>
/// <param name="What">Written down before it was done.</param>
/// <param name="BegunAt">When that was.</param>
/// <param name="EndedAt">Null: it is being done, or was broken off.</param>
/// <param name="Outcome">What came of it.</param>
public sealed record CrossingActView(string What, DateTimeOffset BegunAt, DateTimeOffset? EndedAt, string? Outcome);

/// <summary>How the crossing of one person stands.</summary>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="ToAccount">The account on the new side.</param>
/// <param name="ForwardTo">The address to which the old one forwards, or would.</param>
/// <param name="Stage">How far the move is.</param>
/// <param name="Condition">What is happening to it now.</param>
/// <param name="Goal">What was asked of the crossing last; null: nothing yet.</param>
/// <param name="Step">Which step it is at; null: nothing was asked yet.</param>
/// <param name="Wave">The wave in which it crosses; null: by itself.</param>
/// <param name="NextAt">When it goes on by itself; null: not by itself.</param>
/// <param name="What">What is wrong; null: nothing is.</param>
/// <param name="Remedy">What to do about it.</param>
/// <param name="LookedAt">When the gates were last looked at.</param>
/// <param name="BegunAt">When the first change was made.</param>
/// <param name="SettledAt">When it had crossed.</param>
/// <param name="Gates">In the order in which they are looked at.</param>
/// <param name="Probes">The newest of each way.</param>
/// <param name="Confirmation">Where the confirmation stands that the old side wants; null: it wants none.</param>
/// <param name="MayGo">It can be asked to cross.</param>
/// <param name="MayUndo">It can be asked to be as before.</param>
/// <param name="MayFinish">It can be asked to be done with.</param>
public sealed record CrossingView(
    string Account,
    string Name,
    string ToAccount,
    string ForwardTo,
    MoveStage Stage,
    MoveCondition Condition,
    CrossingGoalWord? Goal,
    CrossingStepWord? Step,
    int? Wave,
    DateTimeOffset? NextAt,
    string? What,
    string? Remedy,
    DateTimeOffset? LookedAt,
    DateTimeOffset? BegunAt,
    DateTimeOffset? SettledAt,
    IReadOnlyList<GateView> Gates,
    IReadOnlyList<ProbeView> Probes,
    ConfirmationWord? Confirmation,
    bool MayGo,
    bool MayUndo,
    bool MayFinish
);

/// <summary>All that is known of the crossing of one person.</summary>
/// <param name="Crossing">How it stands.</param>
/// <param name="Forwarding">What is, or would be, set on the old side; null: nothing was looked at yet, or it is undone.</param>
/// <param name="WouldDo">What would be done, step by step, if it crossed now.</param>
/// <param name="Probes">Every probe, the newest first, 200 at most.</param>
/// <param name="Acts">What was done, the newest first, 500 at most.</param>
public sealed record CrossingDetail(
    CrossingView Crossing,
    ForwardingView? Forwarding,
    IReadOnlyList<string> WouldDo,
    IReadOnlyList<ProbeView> Probes,
    IReadOnlyList<CrossingActView> Acts
);

/// <summary>How many people's gate is of which colour.</summary>
/// <param name="Gate">Which.</param>
/// <param name="Green">People.</param>
/// <param name="Amber">Without those who were accepted.</param>
/// <param name="Accepted">Amber, and a person said that it is well.</param>
/// <param name="Red">People.</param>
public sealed record GateSum(GateWord Gate, int Green, int Amber, int Accepted, int Red);

/// <summary>One wave of a batch.</summary>
/// <param name="Wave">From 1.</param>
/// <param name="People">Who began in it.</param>
/// <param name="Crossed">Settling or done.</param>
/// <param name="Stopped">They need somebody.</param>
public sealed record WaveView(int Wave, int People, int Crossed, int Stopped);

/// <summary>How the crossing of a batch stands.</summary>
/// <param name="Batch">Its name in the plan.</param>
/// <param name="State">How its waves stand.</param>
/// <param name="Because">Why no further wave begins.</param>
/// <param name="CutoverAt">When the timetable has it cross; null: when a person asks.</param>
/// <param name="WaveSize">How many people cross at a time; null: all.</param>
/// <param name="StopAt">The share of a wave that may go wrong, 0 to 1.</param>
/// <param name="People">All but those who were withdrawn.</param>
/// <param name="NotLooked">Whose gates nobody has looked at.</param>
/// <param name="Steps">How many people are at which step.</param>
/// <param name="Gates">In the order in which they are looked at.</param>
/// <param name="Waves">Those that began.</param>
public sealed record BatchCrossingView(
    string Batch,
    WavesWord State,
    string? Because,
    DateTimeOffset? CutoverAt,
    int? WaveSize,
    double StopAt,
    int People,
    int NotLooked,
    IReadOnlyDictionary<string, int> Steps,
    IReadOnlyList<GateSum> Gates,
    IReadOnlyList<WaveView> Waves
);

/// <summary>How one person stands after the crossing.</summary>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="ToAccount">The account on the new side.</param>
/// <param name="SettledAt">When it had crossed.</param>
/// <param name="ForwardingUntil">When forwarding ends by itself; null: it stays on for good.</param>
/// <param name="LastProbe">The newest probe; null: none was sent.</param>
/// <param name="NextPassAt">When the old mailbox is next looked at for stragglers.</param>
/// <param name="Messages">That came to the old address in the days asked for, as far as passes have seen them.</param>
/// <param name="Senders">From how many addresses.</param>
/// <param name="LastAt">When the last of them came.</param>
/// <param name="CountedAt">When it was counted with whom mail is exchanged; null: it was not, or is not yet.</param>
/// <param name="OpenNotes">Notes that tell of the new address and are to be written still.</param>
/// <param name="IfEnded">What it would mean to end forwarding now, as a sentence without a full stop.</param>
/// <param name="What">What is wrong; null: nothing is.</param>
/// <param name="Remedy">What to do about it.</param>
public sealed record AftercareView(
    string Account,
    string Name,
    string ToAccount,
    DateTimeOffset? SettledAt,
    DateTimeOffset? ForwardingUntil,
    ProbeView? LastProbe,
    DateTimeOffset? NextPassAt,
    long Messages,
    long Senders,
    DateTimeOffset? LastAt,
    DateTimeOffset? CountedAt,
    long OpenNotes,
    string IfEnded,
    string? What,
    string? Remedy
);

/// <summary>Somebody who still writes to the old address of a person.</summary>
/// <param name="Account">The old address.</param>
/// <param name="Name">The person's name, as in the roster.</param>
/// <param name="Sender">Who writes.</param>
/// <param name="Messages">In the days asked for.</param>
/// <param name="FirstAt">When the first of them came.</param>
/// <param name="LastAt">When the last of them came.</param>
public sealed record LateWriterView(
    string Account,
    string Name,
    string Sender,
    long Messages,
    DateTimeOffset FirstAt,
    DateTimeOffset LastAt
);
