using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Scheduling;

namespace EasyCaravan.Core.Ports;

/// <summary>A person of a batch, as kept. Secrets are sealed.</summary>
public sealed record MovePerson(
    long Id,
    string Batch,
    string Name,
    string FromAccount,
    string ToAccount,
    string FromLogin,
    string ToLogin,
    string? FromSecretSealed,
    string? ToSecretSealed,
    string? FromSecretReference,
    string? ToSecretReference,
    string? ToUnder,
    string? ToRoot
);

/// <summary>A move that one worker alone may run until its lease ends.</summary>
/// <param name="Fence">Rises with every claim: writes under an older one are refused.</param>
/// <param name="Legs">The kinds that are to run now, in order; none for a survey or comparison.</param>
public sealed record Claim(MovePerson Person, MoveState State, IReadOnlyList<Kind> Legs, string Owner, long Fence, long Pass);

/// <summary>Moves and who works on them. Claims are leases, so the moves of a lost worker are taken up by another.</summary>
public interface IMoveStore
{
    /// <summary>
    /// Takes up a move that its worker lost; else of those that are due, and whose batch is not closed, the one whose turn is earliest
    /// (<see cref="Schedule"/>); null when there is none.
    /// </summary>
    Task<Claim?> ClaimAsync(string owner, ScheduleRules rules, CancellationToken cancel);

    /// <summary>
    /// Renews the lease and notes progress. False when the pass should stop: a person held or withdrew the move, or the lease is lost.
    /// </summary>
    Task<bool> RenewAsync(Claim claim, IReadOnlyCollection<Tally> tallies, CancellationToken cancel);

    /// <summary>Gives a claimed move back without a pass: nothing was begun. A lost lease changes nothing.</summary>
    /// <param name="next">The state that follows from the present one.</param>
    Task PutBackAsync(Claim claim, Func<MoveState, MoveState> next, CancellationToken cancel);

    /// <summary>Writes down how one leg ended, while others of the pass have yet to run.</summary>
    /// <param name="next">The state that follows from the present one.</param>
    /// <exception cref="LeaseLostException">Another worker has the move: nothing is written.</exception>
    Task EndLegAsync(Claim claim, Tally tally, LegEnd end, Func<MoveState, MoveState> next, CancellationToken cancel);

    /// <summary>Ends the pass and gives the lease back; a lost lease changes nothing.</summary>
    /// <param name="tallies">Of the legs of which it was not written down yet how they ended.</param>
    /// <param name="end">With these legs alone.</param>
    /// <param name="next">The state that follows from the present one.</param>
    Task EndAsync(Claim claim, IReadOnlyCollection<Tally> tallies, PassEnd end, Func<MoveState, MoveState> next, CancellationToken cancel);

    /// <summary>The ledger of one kind of a claimed move.</summary>
    ILedger LedgerOf(Claim claim, Kind kind);
}
