using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Parcels;

/// <summary>Deletes parcels that are kept until a set time: of an errand all together, or one that has a term of its own.</summary>
internal sealed class ParcelKeeper(
    Errands errands,
    ParcelTerms terms,
    ParcelPlaces places,
    CurrentPlan current,
    Database database,
    LiveHub live,
    TimeProvider time,
    ILogger<ParcelKeeper> log
) : RecurringDuty(TimeSpan.FromMinutes(1), time, log)
{
    protected override async Task DoAsync(CancellationToken cancel)
    {
        var now = Time.GetUtcNow();
        var own = await terms.ListAsync(cancel);
        foreach (
            var errand in (await errands.ListAsync(cancel)).Where(e => e.KeepUntil <= now.ToUnixTimeMilliseconds() && e.DeletedAt is null)
        )
        {
            if (
                (await current.GetAsync(cancel)).Plan?.Services.FirstOrDefault(s => s.Name == errand.Name)
                is not { Parcels: not null } service
            )
                continue;
            await using var db = database.Read();
            var accounts = await db.Moves.Where(m => m.Batch == errand.Name).Select(m => m.ToAccount).ToListAsync(cancel);
            var (files, isBusy) = (0, false);
            var folder = service.Parcels.Folder;
            foreach (var name in accounts.Select(a => ParcelPlaces.NameOf(service, a, "")).Where(n => !own.ContainsKey((folder, n))))
                if (TryDelete(folder, name, out var deleted))
                    files += deleted;
                else
                    isBusy = true;
            // What is being packed right now is deleted a minute later.
            if (isBusy)
                continue;
            await errands.MarkDeletedAsync(
                errand.Id,
                errand.Name,
                Journal.Service,
                $"deleted {files} file(s) of parcels, which were to be kept until now",
                cancel
            );
            live.TouchPlan();
        }
        foreach (var (place, name) in own.Where(t => t.Value <= now).Select(t => t.Key))
            if (TryDelete(place, name, out var deleted))
            {
                var what = $"deleted the parcel {name} of {place}, {deleted} file(s), which was to be kept until now";
                await terms.EndAsync(place, name, Journal.Service, what, cancel);
                live.TouchPlan();
            }
    }

    private bool TryDelete(string place, string name, out int files)
    {
        files = 0;
        try
        {
            if (places.Delete(place, name) is not { } deleted)
                return false;
            files = deleted;
            return true;
        }
        catch (FaultException e)
        {
            log.LogWarning("The parcel {Parcel} of {Place} cannot be deleted: {Fault}", name, place, e.Fault);
            return false;
        }
    }
}
