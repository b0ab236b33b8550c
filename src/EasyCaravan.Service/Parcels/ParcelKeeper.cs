using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Parcels;

/// <summary>Deletes the parcels of errands that are kept until a set time.</summary>
internal sealed class ParcelKeeper(
    Errands errands,
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
        var now = Time.GetUtcNow().ToUnixTimeMilliseconds();
        foreach (var errand in (await errands.ListAsync(cancel)).Where(e => e.KeepUntil <= now && e.DeletedAt is null))
        {
            if (
                (await current.GetAsync(cancel)).Plan?.Services.FirstOrDefault(s => s.Name == errand.Name)
                is not { Parcels: not null } service
            )
                continue;
            await using var db = database.Read();
            var accounts = await db.Moves.Where(m => m.Batch == errand.Name).Select(m => m.ToAccount).ToListAsync(cancel);
            var (files, isBusy) = (0, false);
            foreach (var account in accounts)
                if (TryDelete(service, ParcelPlaces.NameOf(service, account, ""), out var deleted))
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
    }

    private bool TryDelete(Core.Planning.Service service, string name, out int files)
    {
        files = 0;
        try
        {
            if (places.Delete(service.Parcels!.Folder, name) is not { } deleted)
                return false;
            files = deleted;
            return true;
        }
        catch (FaultException e)
        {
            log.LogWarning("A parcel of {Errand} cannot be deleted: {Fault}", service.Name, e.Fault);
            return false;
        }
    }
}
