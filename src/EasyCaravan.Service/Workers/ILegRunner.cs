using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Service.Workers;

/// <summary>What a leg of one move needs to run.</summary>
/// <param name="State">Where the leg stands.</param>
/// <param name="Journal">Takes sentences for the move's journal.</param>
public sealed record LegOrder(Claim Claim, LegState State, Tally Tally, Action<string> Journal);

/// <summary>Carries one kind, for whichever move it is asked. One is registered for each kind that this service can carry.</summary>
public interface ILegRunner
{
    Kind Kind { get; }

    /// <exception cref="Core.Pacing.FaultException">The leg could not be completed. What is settled is in the ledger.</exception>
    /// <exception cref="LeaseLostException">Another worker has the move.</exception>
    Task RunAsync(LegOrder order, CancellationToken cancel);
}
