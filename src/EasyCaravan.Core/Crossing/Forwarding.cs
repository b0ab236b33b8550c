using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Crossing;

/// <summary>
/// Switches forwarding on and off by mail rules (RFC 5228): the owner's own script stays as it is and goes on working. Every act looks
/// first and afterwards, so that it may be repeated after a crash, and so that nothing is believed that the service only says.
/// </summary>
/// <param name="account">The old address, whose rules these are.</param>
public sealed class Forwarding(IForwardingRules rules, string account)
{
    /// <summary>What is there now: the active script, and what it does.</summary>
    /// <returns>Facts of the owner's rules, with those of the scripts that they include.</returns>
    /// <exception cref="FaultException">The rules cannot be read, or are no script.</exception>
    public async Task<(string? Active, SieveFacts Facts)> LookAsync(CancellationToken cancel)
    {
        var scripts = await rules.ListAsync(cancel);
        if (scripts.FirstOrDefault(s => s.IsActive) is not { } active)
            return (null, SieveFacts.None);
        var (facts, read, waiting) = (SieveFacts.None, new HashSet<string>(), new Queue<string>([active.Name]));
        while (waiting.TryDequeue(out var name))
        {
            if (!read.Add(name) || scripts.All(s => s.Name != name))
                continue;
            var own = SieveFacts.Of(await ParseAsync(name, cancel));
            facts = facts.With(own);
            foreach (var included in own.Includes)
                waiting.Enqueue(included);
        }
        return (active.Name, facts);
    }

    /// <summary>What would be set, and that the service would take it. Changes nothing.</summary>
    /// <param name="answer">What shall be answered by itself; it is left out where it would get in the way of the owner's rules.</param>
    /// <exception cref="FaultException">The service does not offer what it takes, or the own rules cannot be read.</exception>
    public async Task<PreparedForwarding> PrepareAsync(string to, bool keepsCopy, AddressMessage? answer, CancellationToken cancel)
    {
        if (keepsCopy && !rules.Extensions.Contains("copy"))
            throw Fault(Cause.RulesRefused, "its rules cannot forward and keep a copy: the service does not offer the extension copy");
        var active = await ActiveAsync(cancel);
        if (active == ForwardingScript.Name)
            throw Fault(Cause.RulesChanged, $"the script {active} is active already, and nobody here knows what was there before it");
        var before = active is null ? ReadOnlyMemory<byte>.Empty : await rules.ReadAsync(active, cancel);
        (bool Sets, string Words)? about = answer is null ? null : await AboutAnswerAsync(cancel);
        var canInclude = rules.Extensions.Contains("include");
        var below = active is null || canInclude ? null : await ParseAsync(active, cancel);
        var ours = ForwardingScript.Compose(
            canInclude ? active : null,
            below,
            to,
            keepsCopy,
            about is { Sets: true } ? (account, answer!) : null
        );
        await rules.CheckAsync(ours, cancel);
        return new PreparedForwarding(new ForwardingRecord(to, active, before, ours), about?.Words);
    }

    /// <summary>RFC 5230 §4.7: a script that answers twice, or answers and sends back, is in error, and its rules would all stop.</summary>
    private async Task<(bool Sets, string Words)> AboutAnswerAsync(CancellationToken cancel)
    {
        if (!rules.Extensions.Contains("vacation"))
            return (false, "no automatic answer, because the service does not offer the extension vacation");
        var (_, facts) = await LookAsync(cancel);
        return facts.Answers || facts.Rejects
            ? (false, "no automatic answer of ours, because rules of its owner answer or send back mail by themselves")
            : (true, "an automatic answer tells the new address");
    }

    public async Task<ForwardingState> StateAsync(ForwardingRecord record, CancellationToken cancel)
    {
        var active = await ActiveAsync(cancel);
        if (active == ForwardingScript.Name)
            return Same(await rules.ReadAsync(active, cancel), record.Ours) ? ForwardingState.On : ForwardingState.Altered;
        return active == record.ActiveBefore ? ForwardingState.Off : ForwardingState.Replaced;
    }

    /// <exception cref="FaultException">It is not on: the owner changed something, or the service did not keep it.</exception>
    public async Task SwitchOnAsync(ForwardingRecord record, CancellationToken cancel)
    {
        switch (await StateAsync(record, cancel))
        {
            case ForwardingState.On:
                return;
            case ForwardingState.Altered or ForwardingState.Replaced:
                throw Fault(Cause.RulesChanged, "somebody has changed the mail rules since they were looked at");
        }
        if (record.ActiveBefore is { } own && !Same(await rules.ReadAsync(own, cancel), record.Before))
            throw Fault(Cause.RulesChanged, $"its owner has changed the script {own} since it was looked at");
        await rules.WriteAsync(ForwardingScript.Name, record.Ours, cancel);
        await rules.ActivateAsync(ForwardingScript.Name, cancel);
        // Settings that are confirmed and not kept are common: so it is looked at.
        if (await StateAsync(record, cancel) is not ForwardingState.On)
            throw Fault(Cause.RulesNotKept, "the service confirmed the forwarding and does not show it");
    }

    /// <summary>
    /// Restores what was there. What the owner changed since is left as the owner wants it: their script is not overwritten, and one that
    /// they activated stays active.
    /// </summary>
    /// <returns>What is not as it was, in words; null: everything is.</returns>
    /// <exception cref="FaultException">It is not restored.</exception>
    public async Task<string?> SwitchOffAsync(ForwardingRecord record, CancellationToken cancel)
    {
        string? differs = null;
        var scripts = await rules.ListAsync(cancel);
        var isActive = scripts.Any(s => s.IsActive && s.Name == ForwardingScript.Name);
        if (record.ActiveBefore is { } own)
        {
            if (scripts.All(s => s.Name != own))
            {
                if (isActive)
                    await rules.WriteAsync(own, record.Before, cancel);
                else
                    differs = $"its owner has removed the script {own}";
            }
            else if (!Same(await rules.ReadAsync(own, cancel), record.Before))
            {
                differs = $"its owner has changed the script {own}, which stays as they want it";
            }
        }
        if (isActive)
            await rules.ActivateAsync(record.ActiveBefore, cancel);
        else if (scripts.FirstOrDefault(s => s.IsActive)?.Name is var active && active != record.ActiveBefore)
            differs = active is null
                ? "its owner has switched all rules off"
                : $"its owner has activated the script {active}, which stays active";
        if (scripts.Any(s => s.Name == ForwardingScript.Name))
            await rules.RemoveAsync(ForwardingScript.Name, cancel);
        if ((await rules.ListAsync(cancel)).Any(s => s.Name == ForwardingScript.Name))
            throw Fault(Cause.RulesNotKept, "the service confirmed that our script was removed, and still shows it");
        return differs;
    }

    private async Task<string?> ActiveAsync(CancellationToken cancel) =>
        (await rules.ListAsync(cancel)).FirstOrDefault(s => s.IsActive)?.Name;

    private async Task<SieveScript> ParseAsync(string name, CancellationToken cancel)
    {
        try
        {
            return SieveScript.Parse(await rules.ReadAsync(name, cancel));
        }
        catch (SieveException e)
        {
            throw Fault(Cause.RulesRefused, $"its script {name} cannot be read: {e.Message}");
        }
    }

    private static bool Same(ReadOnlyMemory<byte> one, ReadOnlyMemory<byte> other) => one.Span.SequenceEqual(other.Span);

    private FaultException Fault(Cause cause, string what) => new(new Fault(cause, account, what), Verdict.Keep);
}
