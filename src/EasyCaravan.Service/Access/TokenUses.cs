using EasyCaravan.Service.Scheduling;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Access;

/// <summary>Writes down when tokens were last used.</summary>
internal sealed class TokenUses(Tokens tokens, TimeProvider time, ILogger<TokenUses> log)
    : RecurringDuty(TimeSpan.FromMinutes(1), time, log)
{
    protected override Task DoAsync(CancellationToken cancel) => tokens.WriteUsesAsync(cancel);
}
