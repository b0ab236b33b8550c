using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Smtp;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Notifying;

/// <summary>Looks every minute whether letters came back.</summary>
internal sealed class BounceWatch(
    Database database,
    NoticeBox box,
    CurrentPlan current,
    SecretPlaces secrets,
    Journal journal,
    TimeProvider time,
    ILogger<BounceWatch> log
) : RecurringDuty(TimeSpan.FromMinutes(1), time, log)
{
    protected override async Task DoAsync(CancellationToken cancel)
    {
        if ((await current.GetAsync(cancel)).Plan?.Notices is not { Bounces: { } mailbox, Login: { } login } notices)
            return;
        var name = $"bounces/{login.Login}@{mailbox.Host}";
        FolderCursor? since;
        await using (var db = database.Read())
            since = await db.NoticeMarks.FirstOrDefaultAsync(m => m.Name == name, cancel) is { } mark
                ? new FolderCursor((uint)mark.Value, (uint)mark.Next, null, 0)
                : null;
        try
        {
            var (bounces, seen) = await BounceReader.ReadAsync(notices, secrets.Read(login.Secret), since, cancel);
            foreach (var bounce in bounces)
                if (await box.BounceAsync(bounce.MessageId, $"{bounce.Status} {bounce.Why}".Trim(), cancel) is { } notice)
                    await journal.WriteAsync(
                        Journal.Service,
                        notice.Batch,
                        null,
                        $"the notice '{notice.Subject}' to {notice.To} came back: {bounce.Why}",
                        cancel
                    );
            if (seen is not null && (seen.Epoch, seen.Next) != (since?.Epoch, since?.Next))
                await box.SetMarkAsync(name, seen.Epoch, seen.Next, cancel);
        }
        catch (FaultException e)
        {
            log.LogWarning("Nobody can look for bounces: {Fault}", e.Fault);
        }
    }
}
