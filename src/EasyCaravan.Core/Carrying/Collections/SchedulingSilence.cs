using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Keeps a calendar server from sending invitations, updates and cancellations because of what we write: its own switch is turned off while
/// we write, and on again afterwards.
/// </summary>
internal sealed class SchedulingSilence(CollectionLegOrder order, ICollectionAccount to, ICollectionLedger kept, Action<string> journal)
{
    /// <summary>
    /// True where nothing that is written sends anything: the service does not do so by itself, or it is switched off now.
    /// </summary>
    public async Task<bool> BeginAsync(IReadOnlyList<CollectionWork> works, CancellationToken cancel)
    {
        if (order.Kind is not Kind.Calendars || !to.Traits.Schedules || works[0].To is not { } place || works.All(w => w.IsFromSame))
            return true;
        // Noted first: whoever comes after a kill switches it on again.
        await NoteAsync(works, isOff: true, cancel);
        if (await to.TrySwitchSchedulingAsync(place.Href, on: false, cancel))
            return true;
        await NoteAsync(works, isOff: false, cancel);
        return false;
    }

    /// <summary>Gives the switch back. An unchanged object that is written again later sends nothing.</summary>
    public async Task EndAsync(IReadOnlyList<CollectionWork> works, CancellationToken cancel)
    {
        if (works[0].To is not { } place || !works.Any(w => w.Known.SchedulingIsOff))
            return;
        if (await to.TrySwitchSchedulingAsync(place.Href, on: true, cancel))
            await NoteAsync(works, isOff: false, cancel);
        else
            journal($"the new side does not switch invitations for '{place.Title}' on again; the next pass tries it once more");
    }

    private async Task NoteAsync(IReadOnlyList<CollectionWork> works, bool isOff, CancellationToken cancel)
    {
        foreach (var work in works)
        {
            work.Known = work.Known with { SchedulingIsOff = isOff };
            await kept.KeepPageAsync(work.Known, cancel);
        }
    }
}
