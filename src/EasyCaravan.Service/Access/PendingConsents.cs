using System.Collections.Concurrent;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;

namespace EasyCaravan.Service.Access;

/// <summary>A consent that somebody began and nobody finished yet.</summary>
/// <param name="Link">The link that its owner opened; null: it was begun in the console or by the client.</param>
/// <param name="Verifier">The secret half of the code challenge (RFC 7636 §4.1); empty for a device code.</param>
internal sealed record PendingConsent(
    Core.Planning.Service Service,
    string Account,
    string Who,
    DateTimeOffset Ends,
    string Verifier,
    Uri? Redirect,
    DeviceCode? Device,
    ConsentLink? Link
)
{
    /// <summary>Without the secret: records print all they hold.</summary>
    public override string ToString() => $"{Account} at {Service.Name}";

    public ConsentState State { get; set; } = new(ConsentWord.Pending, null);

    public DateTimeOffset AskedAt { get; set; }

    public SemaphoreSlim Gate { get; } = new(1);
}

/// <summary>Consents that were begun, in memory: after a restart they have to be begun again.</summary>
internal sealed class PendingConsents(
    AccessTokens tokens,
    Consents consents,
    CurrentPlan current,
    ServiceThrottle throttle,
    WorkSignal signal,
    LiveHub live,
    TimeProvider time
)
{
    private static readonly TimeSpan s_patience = TimeSpan.FromMinutes(10);

    private readonly ConcurrentDictionary<string, PendingConsent> _pending = new();

    public static string NewSecret() => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32));

    public async Task<(string Id, PendingConsent Pending)> BeginDeviceAsync(
        Core.Planning.Service service,
        string account,
        string who,
        ConsentLink? link,
        CancellationToken cancel
    )
    {
        var device = await tokens.BeginDeviceAsync(service, cancel);
        return Keep(new PendingConsent(service, account, who, device.Ends, "", null, device, link));
    }

    public (string Id, PendingConsent Pending) BeginCode(
        Core.Planning.Service service,
        string account,
        string who,
        Uri redirect,
        ConsentLink? link
    ) => Keep(new PendingConsent(service, account, who, time.GetUtcNow() + s_patience, NewSecret(), redirect, null, link));

    /// <summary>Asks how a device code stands until it is decided: whoever opened a link has no page that asks.</summary>
    public async Task FollowAsync(string id)
    {
        while (_pending.TryGetValue(id, out var pending) && pending.State.State is ConsentWord.Pending)
        {
            await Task.Delay(pending.Device!.Interval, time);
            await StateAsync(id, CancellationToken.None);
        }
    }

    /// <summary>Its state. A device code is polled at the authorization server, not more often than the server allows.</summary>
    public async Task<ConsentState?> StateAsync(string id, CancellationToken cancel)
    {
        if (!_pending.TryGetValue(id, out var pending))
            return null;
        await pending.Gate.WaitAsync(cancel);
        try
        {
            if (pending.State.State is not ConsentWord.Pending)
                return pending.State;
            if (time.GetUtcNow() > pending.Ends)
                return pending.State = Refused(new Fault(Cause.ConsentMissing, pending.Account, "the time to consent has run out"));
            if (pending.Device is { } device && time.GetUtcNow() - pending.AskedAt >= device.Interval)
            {
                pending.AskedAt = time.GetUtcNow();
                await FinishAsync(pending, () => tokens.TryEndDeviceAsync(pending.Service, pending.Account, device, cancel), cancel);
            }
            return pending.State;
        }
        finally
        {
            pending.Gate.Release();
        }
    }

    /// <summary>The browser was redirected back (RFC 6749 §4.1.2). The state is accepted once.</summary>
    /// <param name="error">What the authorization server says instead of a code.</param>
    public async Task<(PendingConsent Pending, ConsentState State)?> CallbackAsync(
        string state,
        string? code,
        string? error,
        CancellationToken cancel
    )
    {
        if (!_pending.TryGetValue(state, out var pending) || pending.Redirect is null)
            return null;
        await pending.Gate.WaitAsync(cancel);
        try
        {
            if (pending.State.State is not ConsentWord.Pending)
                return (pending, pending.State);
            if (code is null)
                pending.State = Refused(
                    new Fault(Cause.ConsentMissing, pending.Account, $"the consent was not given ({error ?? "no reason told"})")
                );
            else
                await FinishAsync(
                    pending,
                    async () =>
                        await tokens.EndCodeAsync(pending.Service, pending.Account, code, pending.Redirect, pending.Verifier, cancel),
                    cancel
                );
            return (pending, pending.State);
        }
        finally
        {
            pending.Gate.Release();
        }
    }

    private async Task FinishAsync(PendingConsent pending, Func<Task<Consent?>> ask, CancellationToken cancel)
    {
        try
        {
            if (await ask() is not { } consent)
                return;
            var plan = (await current.GetAsync(cancel)).Plan;
            var goesOn = await consents.GiveAsync(
                pending.Service.Name,
                pending.Account,
                consent.RefreshToken,
                consent.Scope,
                pending.Link is null ? pending.Who : $"{pending.Account}, by a link of {pending.Who}",
                batch => plan?.Batches.FirstOrDefault(b => b.Name == batch)?.Timetable,
                cancel
            );
            if (goesOn.Count > 0)
                throttle.Forget();
            signal.Raise();
            foreach (var move in goesOn)
                live.Touch(move);
            pending.State = new ConsentState(ConsentWord.Given, null);
        }
        catch (FaultException e)
        {
            pending.State = Refused(e.Fault.Advised(pending.Service.Help));
        }
    }

    private static ConsentState Refused(Fault fault) => new(ConsentWord.Refused, Problems.Of(fault));

    private (string, PendingConsent) Keep(PendingConsent pending)
    {
        foreach (var (old, over) in _pending)
            if (time.GetUtcNow() > over.Ends + s_patience)
                _pending.TryRemove(old, out _);
        var id = NewSecret();
        _pending[id] = pending;
        return (id, pending);
    }
}
