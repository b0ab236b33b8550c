using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Ports;

/// <summary>How a message differs between the sides. Kept by number: new ones come last.</summary>
public enum DifferenceKind
{
    /// <summary>It landed once and is no longer on the to side.</summary>
    Missing,

    /// <summary>A second copy of it, octet for octet, is on the to side.</summary>
    Twice,

    /// <summary>It is on the to side, but not as it is on the from side.</summary>
    Altered,

    /// <summary>Its owner moved it to another folder of the to side.</summary>
    Moved,

    /// <summary>Its owner changed its flags or keywords on the to side.</summary>
    Flags,

    /// <summary>It was on the to side, and its owner, who works there already, deleted or moved it since.</summary>
    Removed,
}

/// <summary>What a person decided about a difference.</summary>
public enum DifferenceState
{
    Open,

    /// <summary>It may stay so.</summary>
    Accepted,

    /// <summary>The second copy is to be removed by the next pass.</summary>
    Remove,
}

/// <summary>What a person can decide about differences.</summary>
public enum DifferenceDecision
{
    Accept,
    CarryAgain,
    RemoveSecond,
}

public static class DifferenceDecisions
{
    /// <summary>What is lost can be carried again, what stands twice can be removed, and everything can be accepted.</summary>
    public static bool AppliesTo(this DifferenceDecision decision, DifferenceKind kind) =>
        decision switch
        {
            DifferenceDecision.Accept => Difference.NeedsDecision(kind),
            DifferenceDecision.CarryAgain => kind is DifferenceKind.Missing,
            DifferenceDecision.RemoveSecond => kind is DifferenceKind.Twice,
        };

    /// <summary>For the journal.</summary>
    public static string Words(this DifferenceDecision decision) =>
        decision switch
        {
            DifferenceDecision.Accept => "accepted",
            DifferenceDecision.CarryAgain => "asked to carry again",
            DifferenceDecision.RemoveSecond => "asked to remove the second copy of",
        };
}

/// <summary>A message that is not on the to side as it is on the from side, described so that its owner knows which one it is.</summary>
/// <param name="Folder">The ledger's page.</param>
/// <param name="Number">Its number on the from side.</param>
/// <param name="Landed">The number of the message on the to side that this is about.</param>
/// <param name="What">In words, one sentence without a full stop.</param>
/// <param name="Size">In octets.</param>
/// <param name="Received">Null where nobody tells it any more.</param>
public sealed record Difference(
    long Folder,
    uint Number,
    uint Landed,
    DifferenceKind Kind,
    string What,
    ByteCount Size,
    DateTimeOffset? Received,
    string Subject,
    string Sender
)
{
    /// <summary>
    /// A waybill does not close before a person has decided: something may be lost, double or damaged. The others are told only.
    /// </summary>
    public static bool NeedsDecision(DifferenceKind kind) =>
        kind is DifferenceKind.Missing or DifferenceKind.Twice or DifferenceKind.Altered;
}

/// <summary>A difference as it is kept.</summary>
public sealed record KnownDifference(long Id, Difference Difference, DifferenceState State);
