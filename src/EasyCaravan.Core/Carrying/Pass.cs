using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying;

/// <summary>
/// One run of a move: its legs one after the other, in the order of the route. What one leg cannot do keeps no other waiting.
/// </summary>
/// <param name="account">Named in the fault where a leg ends unexpectedly.</param>
/// <param name="ended">Told of each leg that came to its end, before the next one begins; what it makes of the end is kept.</param>
public sealed class Pass(IReadOnlyList<Leg> legs, string account, Func<LegEnd, Task<LegEnd>>? ended = null)
{
    /// <exception cref="LeaseLostException">Another worker has the move: nothing more may be done for it.</exception>
    public async Task<PassEnd> RunAsync(CancellationToken cancel)
    {
        var ends = new List<LegEnd>();
        foreach (var leg in legs)
        {
            LegEnd end;
            try
            {
                cancel.ThrowIfCancellationRequested();
                await leg.RunAsync(cancel);
                end = new LegEnd(leg.Kind) { Again = leg.Tally.Again };
            }
            catch (OperationCanceledException)
            {
                return new PassEnd(ends, Stopped: true);
            }
            catch (FaultException e)
            {
                end = new LegEnd(leg.Kind, e.Fault, leg.Tally.Progressed);
            }
            catch (Exception e) when (e is not LeaseLostException)
            {
                var fault = new Fault(Cause.Unexpected, account, $"the pass ended unexpectedly ({e.GetType().Name})");
                end = new LegEnd(leg.Kind, fault, leg.Tally.Progressed) { Unexpected = e };
            }
            ends.Add(ended is null ? end : await ended(end));
        }
        return new PassEnd(ends, Stopped: false);
    }
}
