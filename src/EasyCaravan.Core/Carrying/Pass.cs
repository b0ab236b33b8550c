using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying;

/// <summary>
/// One run of a move: its legs one after the other, in the order of the route. What one leg cannot do keeps no other waiting.
/// </summary>
/// <param name="account">Named in the fault where a leg ends unexpectedly.</param>
public sealed class Pass(IReadOnlyList<Leg> legs, string account)
{
    /// <exception cref="LeaseLostException">Another worker has the move: nothing more may be done for it.</exception>
    public async Task<PassEnd> RunAsync(CancellationToken cancel)
    {
        var ends = new List<LegEnd>();
        foreach (var leg in legs)
        {
            try
            {
                cancel.ThrowIfCancellationRequested();
                await leg.RunAsync(cancel);
                ends.Add(new LegEnd(leg.Kind));
            }
            catch (OperationCanceledException)
            {
                return new PassEnd(ends, Stopped: true);
            }
            catch (FaultException e)
            {
                ends.Add(new LegEnd(leg.Kind, e.Fault, leg.Tally.Progressed));
            }
            catch (Exception e) when (e is not LeaseLostException)
            {
                var fault = new Fault(Cause.Unexpected, account, $"the pass ended unexpectedly ({e.GetType().Name})");
                ends.Add(new LegEnd(leg.Kind, fault, leg.Tally.Progressed) { Unexpected = e });
            }
        }
        return new PassEnd(ends, Stopped: false);
    }
}
