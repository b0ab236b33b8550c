namespace EasyCaravan.Contract;

/// <summary>How far a move is.</summary>
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
public enum MoveCondition
{
    Idle,
    Queued,
    Running,
    Waiting,
    Held,
    NeedsYou,
}

/// <summary>What people can ask of moves.</summary>
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
