using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Ports;

/// <summary>How forwarding is set at the old side. Kept by number.</summary>
public enum ForwardingWay
{
    /// <summary>By a mail rule of ours.</summary>
    Rules,

    /// <summary>By a person, in whatever way the service has.</summary>
    ByHand,
}

/// <summary>What is known of the forwarding of one move.</summary>
/// <param name="Rules">What is set by rules, and what was there before; null where it is set by hand.</param>
public sealed record ForwardingNote(ForwardingWay Way, ForwardingRecord? Rules)
{
    /// <summary>Since when it is on, as somebody saw, or a person said; null: it is not.</summary>
    public Instant? OnAt { get; init; }

    /// <summary>The next number of each folder of the from side, right before it was switched on.</summary>
    public IReadOnlyDictionary<FolderPath, ItemKey> Before { get; init; } = new Dictionary<FolderPath, ItemKey>();

    /// <summary>The same once it was seen to be on.</summary>
    public IReadOnlyDictionary<FolderPath, ItemKey> After { get; init; } = new Dictionary<FolderPath, ItemKey>();

    /// <summary>A person says that it was set by hand, or switched off by hand.</summary>
    public bool SaidOn { get; init; }

    public bool SaidOff { get; init; }

    /// <summary>A person wants it put back although somebody changed it.</summary>
    public bool PutBack { get; init; }

    /// <summary>How the confirmation stands that the old side wants of the new address; null: it wants none.</summary>
    public Confirmation? Confirmation { get; init; }
}

/// <summary>Where the confirmation of a forwarding address stands. Kept by number.</summary>
public enum ConfirmationState
{
    /// <summary>The old side has been asked to forward; its message is awaited at the new address.</summary>
    Asked,

    /// <summary>The message came; somebody has to give its code back, or follow its link.</summary>
    CodeSeen,

    /// <summary>A person says that it is done, or mail came through.</summary>
    Confirmed,

    /// <summary>Nobody confirmed it in time.</summary>
    Expired,
}

/// <param name="Code">What the message says to give back: a code, or the address of a page; null: it did not come yet.</param>
public sealed record Confirmation(ConfirmationState State, Instant AskedAt, string? Code = null);

/// <summary>One thing done to cross. It is written down before it is done, and again with what came of it.</summary>
public enum CrossingAct
{
    SwitchOn,
    SwitchOff,
    SendProbe,
    RemoveProbe,
    Compare,
    Forget,
    HandBack,
}

/// <summary>What is kept of the crossing of one claimed move. All writes prove the lease first.</summary>
public interface ICrossingRecord
{
    /// <summary>The crossing came to another step.</summary>
    Task ReachAsync(CrossingState reached, CancellationToken cancel);

    /// <summary>Gates as they were found now.</summary>
    Task KeepGatesAsync(IReadOnlyList<Gate> gates, CancellationToken cancel);

    /// <summary>One gate shows something new. What a person accepted before, with other facts, is not accepted any more.</summary>
    Task ShowGateAsync(Gate gate, CancellationToken cancel);

    /// <summary>Amber gates that a person has said are well.</summary>
    Task<IReadOnlySet<GateKind>> AcceptedAsync(CancellationToken cancel);

    /// <summary>Null: nothing was prepared.</summary>
    Task<ForwardingNote?> ForwardingAsync(CancellationToken cancel);

    /// <param name="note">Null: nothing of it is left.</param>
    Task KeepForwardingAsync(ForwardingNote? note, CancellationToken cancel);

    /// <summary>The newest last.</summary>
    Task<IReadOnlyList<Probe>> ProbesAsync(CancellationToken cancel);

    /// <summary>Returns it with its number.</summary>
    Task<Probe> AddProbeAsync(Probe probe, CancellationToken cancel);

    Task UpdateProbeAsync(Probe probe, CancellationToken cancel);

    /// <summary>Notes what is about to be done, before it is.</summary>
    Task<long> IntendAsync(CrossingAct act, string what, CancellationToken cancel);

    Task OutcomeAsync(long act, string outcome, CancellationToken cancel);

    /// <summary>
    /// A comparison of both sides is wanted that begins after this moment; one that was begun since goes on.
    /// </summary>
    /// <param name="share">Of the items, above 0 and at most 1.</param>
    Task WantComparisonAsync(Instant since, double share, CancellationToken cancel);

    /// <summary>What we know of the person's ways in is removed from the store.</summary>
    Task ForgetAsync(CancellationToken cancel);
}
