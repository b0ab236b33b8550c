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

/// <summary>Whose entries of the journal.</summary>
[JsonConverter(typeof(KebabWord<JournalBy>))]
public enum JournalBy
{
    /// <summary>What people asked for.</summary>
    People,

    /// <summary>What the service did by itself.</summary>
    Service,
}

/// <summary>What a run of a move does.</summary>
[JsonConverter(typeof(KebabWord<PassWord>))]
public enum PassWord
{
    First,
    CatchUp,

    /// <summary>Looks without touching.</summary>
    Survey,

    /// <summary>Reads both sides anew.</summary>
    Compare,

    /// <summary>Removes from the new side what the move carried there.</summary>
    TakeBack,

    /// <summary>Looks what taking back would do.</summary>
    TakeBackCheck,

    /// <summary>Does the next steps of a crossing.</summary>
    Crossing,

    /// <summary>Carries what came to the old side before forwarding was on.</summary>
    Closing,

    /// <summary>Carries what came to the old side after the crossing all the same.</summary>
    Straggler,
}

/// <summary>What became of an item that was left behind.</summary>
[JsonConverter(typeof(KebabWord<LeftBehindWord>))]
public enum LeftBehindWord
{
    Open,

    /// <summary>Somebody accepts that it stays.</summary>
    Accepted,

    /// <summary>The next pass tries it again.</summary>
    Retry,
}

/// <summary>How much a finding matters.</summary>
[JsonConverter(typeof(KebabWord<FindingWeight>))]
public enum FindingWeight
{
    /// <summary>The move cannot begin, or not end.</summary>
    Blocks,

    /// <summary>Something would not arrive.</summary>
    Loses,

    /// <summary>Something would arrive in another form.</summary>
    Changes,
    Note,
}

/// <summary>For whom a decision holds. The nearest to a person counts.</summary>
[JsonConverter(typeof(KebabWord<DecisionReach>))]
public enum DecisionReach
{
    Route,
    Batch,
    Move,
}

/// <summary>What a folder is for (RFC 6154).</summary>
[JsonConverter(typeof(KebabWord<FolderUse>))]
public enum FolderUse
{
    All,
    Archive,
    Drafts,
    Flagged,
    Junk,
    Sent,
    Trash,
}

/// <summary>What keeps a batch from being faster.</summary>
[JsonConverter(typeof(KebabWord<Bottleneck>))]
public enum Bottleneck
{
    Nothing,

    /// <summary>One account takes longer than all others side by side.</summary>
    OneMailbox,

    /// <summary>What a service lets one account carry in a day.</summary>
    BytesPerDay,

    /// <summary>The connections that a service bears.</summary>
    Connections,

    /// <summary>The moves that the installation runs side by side.</summary>
    Workers,
}

/// <summary>How a consent that was begun stands.</summary>
[JsonConverter(typeof(KebabWord<ConsentWord>))]
public enum ConsentWord
{
    Pending,
    Given,
    Refused,
}
