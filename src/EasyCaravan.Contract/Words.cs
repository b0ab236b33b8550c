using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>How far a move is.</summary>
[JsonConverter(typeof(KebabWord<MoveStage>))]
public enum MoveStage
{
    Listed,
    Surveyed,
    Copying,
    InStep,
    Crossing,
    Settling,
    Done,
    Withdrawn,
}

/// <summary>What is happening to a move now.</summary>
[JsonConverter(typeof(KebabWord<MoveCondition>))]
public enum MoveCondition
{
    Idle,
    Queued,
    Running,
    Waiting,
    Held,
    NeedsYou,
}

/// <summary>What is carried.</summary>
[JsonConverter(typeof(KebabWord<MoveKind>))]
public enum MoveKind
{
    Mail,
    Contacts,

    /// <summary>With tasks and journals.</summary>
    Calendars,
}

/// <summary>What people can ask of moves.</summary>
[JsonConverter(typeof(KebabWord<MoveAction>))]
public enum MoveAction
{
    Survey,
    Start,
    CatchUp,
    Hold,
    Resume,
    Retry,
    Withdraw,
}
