using System.Text;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>Sends probes to the old address, awaits them at the new one, and removes them from both sides.</summary>
public sealed class ProbeWatch(
    ICrossingRecord record,
    IMailAccounts accounts,
    CrossingOrder order,
    Action<string> journal,
    TimeProvider time
)
{
    public static readonly Duration Daily = Duration.FromDays(1);

    /// <summary>Mail takes seconds; what takes longer is told.</summary>
    private static readonly Duration s_late = Duration.FromMinutes(1);

    /// <summary>How long one look waits at the mailbox before it lets others have the worker.</summary>
    private static readonly Duration s_look = Duration.FromSeconds(15);

    /// <summary>After it came, for a second copy that takes another way.</summary>
    private static readonly Duration s_secondCopy = Duration.FromSeconds(2);

    private static readonly HashSet<string> s_junkNames = new(
        ["Junk", "Spam", "Junk Mail", "Junk E-mail"],
        StringComparer.OrdinalIgnoreCase
    );

    /// <summary>Servers give up what they cannot deliver after some days (RFC 5321 §4.5.4.1): later nothing comes any more.</summary>
    private static readonly Duration s_longestOnItsWay = Duration.FromDays(7);

    private static readonly Duration s_betweenLooks = Duration.FromSeconds(10);

    private Instant Now => Instant.FromDateTimeOffset(time.GetUtcNow());

    /// <summary>When <see cref="RunAsync"/> is to be called again, where it said that something is still awaited.</summary>
    public Instant LookAgainAt => Now + s_betweenLooks;

    /// <summary>Folders into which a probe may come: the inbox, and those for junk.</summary>
    public static IEnumerable<FolderState> Likely(IReadOnlyList<FolderState> folders) =>
        folders.Where(f => f.Selectable && (f.Path.IsInbox || IsJunk(f)));

    /// <summary>By its use (RFC 6154), or by its name where the service does not tell uses.</summary>
    private static bool IsJunk(FolderState folder) => folder.Use is SpecialUse.Junk || s_junkNames.Contains(folder.Path.Names[^1]);

    /// <summary>Sees to it that a probe of each way was sent since a moment, and looks for those that are awaited.</summary>
    /// <returns>Each has come, as it should. False: some are awaited still.</returns>
    /// <exception cref="FaultException">One did not come, or not as it was sent. When it is tried again, another is sent.</exception>
    public async Task<bool> RunAsync(Instant since, CancellationToken cancel)
    {
        var all = (await record.ProbesAsync(cancel)).ToList();
        // Whoever was to send it was lost: it may have gone out or not. Another is sent, and this one is removed should it come.
        for (var i = 0; i < all.Count; i++)
            if (all[i].State is ProbeState.Planned)
                await record.UpdateProbeAsync(
                    all[i] = all[i] with { State = ProbeState.Missing, Said = "nobody knows whether it was sent" },
                    cancel
                );
        // One that was given up may have come meanwhile: then no other is sent.
        if (all.Exists(p => p.State is ProbeState.Missing && p.PlannedAt >= since))
            all = await AwaitAsync(all, p => p.State is ProbeState.Missing && p.PlannedAt >= since, Duration.Zero, cancel);
        var well = await IsAcceptedAsync(NewestOf(all, since), cancel)
            ? order.Senders.Select(o => o.Way).ToHashSet()
            : all.Where(p => p.PlannedAt >= since && (p.IsOpen || p.State is ProbeState.Arrived)).Select(p => p.Way).ToHashSet();
        foreach (var sender in order.Senders.Where(o => !well.Contains(o.Way)))
            await SendAsync(sender, cancel);
        var awaited = (await record.ProbesAsync(cancel)).Where(p => p.PlannedAt >= since).ToList();
        if (awaited.Exists(p => p.IsOpen))
            awaited = await AwaitAsync(awaited, p => p.IsOpen, s_look, cancel);
        // One that was given up is looked for everywhere, which is not repeated each time that another is still awaited.
        var isOver = !awaited.Exists(p => p.IsOpen);
        await RemoveAsync((await record.ProbesAsync(cancel)).Where(p => p.HasCome || (isOver && !p.IsOpen)), cancel);
        var newest = NewestOf(awaited, since);
        // Judged together, so that a person who accepts what became of them accepts all of it.
        if (newest.Exists(p => p.IsOpen))
            return false;
        if (newest.Find(p => p.State is not ProbeState.Arrived) is { } failed && !await IsAcceptedAsync(newest, cancel))
            throw new FaultException(FaultOf(failed), Verdict.Keep);
        // What a person accepted stands as it was accepted.
        if (
            newest.Count > 0
            && newest.TrueForAll(p => p.State is ProbeState.Arrived)
            && !(await record.AcceptedAsync(cancel)).Contains(GateKind.Probe)
        )
            await record.ShowGateAsync(
                Gate.Green(GateKind.Probe, string.Join("; ", newest.Select(p => $"the probe {WayOf(p)} {Words(p)}"))),
                cancel
            );
        return true;
    }

    /// <summary>Of each way that still is one.</summary>
    private List<Probe> NewestOf(IEnumerable<Probe> probes, Instant since) =>
        [.. probes.Where(p => p.PlannedAt >= since && order.Senders.Any(s => s.Way == p.Way)).GroupBy(p => p.Way).Select(g => g.Last())];

    /// <summary>Probes did not come as they should, and a person has said of just that that it is well.</summary>
    private async Task<bool> IsAcceptedAsync(IReadOnlyList<Probe> newest, CancellationToken cancel)
    {
        var failed = newest.Where(p => !p.IsOpen && p.State is not ProbeState.Arrived).ToList();
        if (failed.Count == 0)
            return false;
        await record.ShowGateAsync(
            Gate.Amber(
                GateKind.Probe,
                string.Join("; ", failed.Select(p => $"the probe {WayOf(p)} {Words(p)}")),
                FaultOf(failed[0]).Remedy
            ),
            cancel
        );
        return (await record.AcceptedAsync(cancel)).Contains(GateKind.Probe);
    }

    /// <summary>Whatever is still on one of the sides is looked for everywhere, and removed.</summary>
    public async Task RemoveAllAsync(CancellationToken cancel) =>
        await RemoveAsync((await record.ProbesAsync(cancel)).Where(p => p.RemovedAt is null), cancel);

    private async Task SendAsync(ProbeSender sender, CancellationToken cancel)
    {
        var id = Probe.NewMessageId(sender.Sender);
        var message = Probe.Compose(id, sender.Sender, order.From.Account, Now);
        var probe = await record.AddProbeAsync(new Probe(0, sender.Way, id, sender.Sender, Now, Probe.DigestOf(message)), cancel);
        var act = await record.IntendAsync(CrossingAct.SendProbe, $"a probe {WayOf(probe)} is sent to {order.From.Account}", cancel);
        LetterEnd end;
        try
        {
            await using var session = await sender.OpenAsync(cancel);
            end = await session.SendOctetsAsync(sender.Sender, order.From.Account, message, cancel);
        }
        catch (FaultException e)
        {
            end = e.Fault.Action is FaultAction.RetryLater ? new LetterEnd.NotNow(e.Fault) : new LetterEnd.Refused(e.Fault);
        }
        var (state, said, fault) = end switch
        {
            LetterEnd.Taken taken => (ProbeState.Sent, taken.Answer, (Fault?)null),
            // Nobody knows whether it was taken: it is awaited, and no second one is sent.
            LetterEnd.Unclear unclear => (ProbeState.Sent, unclear.Fault.What, null),
            LetterEnd.NotNow not => (ProbeState.Refused, not.Fault.What, not.Fault),
            LetterEnd.Refused refused => (ProbeState.Refused, refused.Fault.What, null),
            _ => throw new InvalidOperationException($"Unknown end {end}."),
        };
        await record.UpdateProbeAsync(probe with { State = state, SentAt = Now, Said = said, RemovedAt = Gone(state) }, cancel);
        await record.OutcomeAsync(act, state is ProbeState.Sent ? $"taken: {said}" : $"not sent: {said}", cancel);
        if (fault is not null)
            throw new FaultException(fault, Verdict.Keep);
    }

    private Instant? Gone(ProbeState state) => state is ProbeState.Refused ? Now : null;

    private async Task<List<Probe>> AwaitAsync(List<Probe> probes, Func<Probe, bool> isAwaited, Duration most, CancellationToken cancel)
    {
        var until = Now + most;
        var pause = TimeSpan.FromMilliseconds(200);
        await using var to = await order.To.OpenAsync(accounts, cancel);
        for (var looks = 0; ; looks++)
        {
            // Rules of the new side may sort mail anywhere: that is looked for less often.
            var folders = await to.ListFoldersAsync(cancel);
            FolderPath[] places = [.. (looks % 5 == 4 ? folders.Where(f => f.Selectable) : Likely(folders)).Select(f => f.Path)];
            var junk = folders.Where(IsJunk).Select(f => f.Path).ToHashSet();
            await LookAsync(to, probes, isAwaited, places, junk, cancel);
            if (Now >= until || !probes.Exists(p => isAwaited(p)))
                return probes;
            await Task.Delay(pause, time, cancel);
            pause = pause < TimeSpan.FromSeconds(2) ? pause * 1.5 : pause;
        }
    }

    private async Task LookAsync(
        IMailAccount to,
        List<Probe> probes,
        Func<Probe, bool> isAwaited,
        FolderPath[] places,
        HashSet<FolderPath> junk,
        CancellationToken cancel
    )
    {
        var come = new Dictionary<int, Instant>();
        for (var i = 0; i < probes.Count; i++)
            if (isAwaited(probes[i]) && (await ProvenSearch.FindAsync(to, places, probes[i].MessageId, cancel)).Count > 0)
                come[i] = Now;
            else if (isAwaited(probes[i]))
                await KeepAsync(i, NotYet(probes[i]));
        if (come.Count > 0)
            await Task.Delay(s_secondCopy.ToTimeSpan(), time, cancel);
        foreach (var (i, at) in come)
            if (await ProvenSearch.FindAsync(to, places, probes[i].MessageId, cancel) is { Count: > 0 } found)
            {
                await KeepAsync(i, await JudgeAsync(to, probes[i], found, junk, cancel) with { ArrivedAt = at });
                journal($"the probe {WayOf(probes[i])} {Words(probes[i])}");
            }

        async Task KeepAsync(int place, Probe seen)
        {
            if (seen != probes[place])
                await record.UpdateProbeAsync(probes[place] = seen, cancel);
        }
    }

    private Probe NotYet(Probe probe) =>
        probe.IsOpen && Now > probe.PlannedAt + order.Plan.ProbeWithin ? probe with { State = ProbeState.Missing }
        : probe.State is ProbeState.Sent && Now > probe.PlannedAt + s_late ? probe with { State = ProbeState.Late }
        : probe;

    /// <summary>How it came.</summary>
    private static async Task<Probe> JudgeAsync(
        IMailAccount to,
        Probe probe,
        List<(FolderPath Path, NumberSet Numbers)> found,
        HashSet<FolderPath> junk,
        CancellationToken cancel
    )
    {
        var (place, numbers) = found[0];
        var digests = await BodyDigest.ReadAsync(to, place, numbers, cancel);
        var state =
            found.Sum(f => (long)f.Numbers.Count) > 1 ? ProbeState.Twice
            : junk.Contains(place) ? ProbeState.InJunk
            : digests.Values.Any(d => d != probe.Digest) ? ProbeState.Altered
            : ProbeState.Arrived;
        return probe with { State = state, Folder = place.ToString() };
    }

    /// <summary>Removes probes from both sides: they are ours, by a number that nobody can guess, and no mail of the person.</summary>
    private async Task RemoveAsync(IEnumerable<Probe> probes, CancellationToken cancel)
    {
        var left = probes.Where(p => p.RemovedAt is null).ToList();
        if (left.Count == 0)
            return;
        var act = await record.IntendAsync(CrossingAct.RemoveProbe, $"{left.Count} probe(s) are removed from both sides", cancel);
        await using var to = await order.To.OpenAsync(accounts, cancel);
        await using var from = await order.From.OpenAsync(accounts, cancel);
        var (here, there) = (await PlacesAsync(from, cancel), await PlacesAsync(to, cancel));
        var removed = 0;
        foreach (var probe in left)
        {
            var kept = await RemoveAsync(from, here, probe, cancel);
            await RemoveAsync(to, there, probe, cancel);
            await record.UpdateProbeAsync(
                probe with
                {
                    KeptAt = kept > 0 ? Now : probe.KeptAt,
                    // A copy may still be on its way to the old mailbox, or to the new one.
                    RemovedAt =
                        (probe.HasCome && (kept > 0 || !order.Plan.KeepsCopy)) || Now > probe.PlannedAt + s_longestOnItsWay ? Now : null,
                },
                cancel
            );
            removed += kept;
        }
        await record.OutcomeAsync(act, $"done; {removed} of them stood in the old mailbox too", cancel);
    }

    private static async Task<FolderPath[]> PlacesAsync(IMailAccount account, CancellationToken cancel) =>
        [.. (await account.ListFoldersAsync(cancel)).Where(f => f.Selectable).Select(f => f.Path)];

    private static async Task<int> RemoveAsync(IMailAccount account, FolderPath[] places, Probe probe, CancellationToken cancel)
    {
        var removed = 0;
        foreach (var (place, numbers) in await ProvenSearch.FindAsync(account, places, probe.MessageId, cancel))
            if (await account.RemoveMessagesAsync(place, numbers, cancel))
                removed += (int)numbers.Count;
        return removed;
    }

    /// <summary>The text of one message, as far as it is needed to find a line in it.</summary>
    public static async Task<string> ReadAsync(IMailAccount account, FolderPath path, uint number, CancellationToken cancel)
    {
        const int Most = 256_000;
        var text = new StringBuilder();
        var reader = await account.ReadMessagesAsync([(path, new NumberSet([number]))], cancel);
        while (await reader.NextAsync(cancel) is not null)
        while (await reader.ReadAsync(cancel) is { Length: > 0 } piece)
            if (text.Length < Most)
                text.Append(Encoding.UTF8.GetString(piece.Span));
        return text.ToString();
    }

    private static string WayOf(Probe probe) => probe.Way is ProbeWay.Outside ? "from outside" : "from a colleague's account";

    private string Words(Probe probe) =>
        probe.State switch
        {
            ProbeState.Arrived => $"came to {order.To.Account} in {Seconds(probe)} s",
            ProbeState.InJunk => $"came to {order.To.Account} into the folder {probe.Folder}, which is for junk",
            ProbeState.Altered => $"came to {order.To.Account} with another text than it was sent with",
            ProbeState.Twice => $"came to {order.To.Account} more than once",
            ProbeState.Missing => $"did not come to {order.To.Account} within {(int)order.Plan.ProbeWithin.TotalMinutes} minutes",
            ProbeState.Refused => $"was not taken by its server: {probe.Said}",
            ProbeState.Planned or ProbeState.Sent or ProbeState.Late => $"is awaited at {order.To.Account}",
        };

    private static string Seconds(Probe probe) =>
        (probe.ArrivedAt!.Value - probe.PlannedAt).TotalSeconds.ToString("0.0", System.Globalization.CultureInfo.InvariantCulture);

    private Fault FaultOf(Probe probe) =>
        new(
            probe.State switch
            {
                ProbeState.InJunk => Cause.ProbeInJunk,
                ProbeState.Altered => Cause.ProbeAltered,
                ProbeState.Twice => Cause.ProbeDoubled,
                _ => Cause.ProbeMissing,
            },
            order.From.Account,
            $"the probe {WayOf(probe)} {Words(probe)}"
        );
}
