using EasyCaravan.Core.Pacing;

namespace EasyCaravan.Service.Scheduling;

/// <summary>What the service does again and again in a rhythm of its own. What goes wrong is in the log, and tried again.</summary>
internal abstract class RecurringDuty(TimeSpan rhythm, TimeProvider time, ILogger log) : BackgroundService
{
    protected TimeProvider Time => time;

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            using var secrecy = Secrecy.Begin();
            try
            {
                await DoAsync(stoppingToken);
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                // Stopping.
            }
            catch (Exception e)
            {
                log.LogError(e, "{Duty} could not be done; trying again in {Seconds} s", GetType().Name, rhythm.TotalSeconds);
            }
            await Task.Delay(rhythm, time, stoppingToken).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }
    }

    protected abstract Task DoAsync(CancellationToken cancel);
}
