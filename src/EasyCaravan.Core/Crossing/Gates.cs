using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using NodaTime;

namespace EasyCaravan.Core.Crossing;

/// <summary>What is known of a move from its ledger and its letters.</summary>
/// <param name="OpenLeftBehind">Items about which nobody has decided.</param>
/// <param name="Undecided">Differences between the sides about which nobody has decided.</param>
/// <param name="CatchUpEvery">As the timetable has it; null: only when asked.</param>
/// <param name="ToldAt">When the person was sent the letter about the crossing; null: they were not.</param>
public sealed record GateRecord(
    IReadOnlyList<LegState> Legs,
    long Found,
    long OpenLeftBehind,
    long Undecided,
    LeftBehindTolerance Tolerance,
    Duration? CatchUpEvery,
    Instant? ToldAt
);

/// <summary>How forwarding can be set.</summary>
/// <param name="ByRules">What would be set; null: not by rules.</param>
/// <param name="Fault">Why rules cannot do it, although the service has them.</param>
/// <param name="KeepsCopy">Forwarded mail also stays in the old mailbox.</param>
public sealed record ForwardingPossible(PreparedForwarding? ByRules, Fault? Fault, bool KeepsCopy);

/// <summary>What was seen on both sides now.</summary>
/// <param name="FromFault">Why the old side could not be signed in to.</param>
/// <param name="Room">Of the new side; null where it does not say.</param>
/// <param name="FromRules">What the owner's rules do on the old side; null where nobody can look.</param>
/// <param name="ToRules">The same on the new side.</param>
/// <param name="Ways">By which probes can be sent.</param>
public sealed record GateSight(
    Fault? FromFault,
    Fault? ToFault,
    Room? Room,
    ForwardingPossible Forwarding,
    SieveFacts? FromRules,
    SieveFacts? ToRules,
    IReadOnlyList<ProbeWay> Ways
);

/// <summary>Draws the gates of one move from what is known and what was seen.</summary>
public static class Gates
{
    /// <summary>Where the timetable has no rhythm, a pass that is older than this may lack a lot.</summary>
    private static readonly Duration s_longestLag = Duration.FromDays(1);

    /// <summary>Less than this share of an account's room left is little.</summary>
    private const double LittleRoom = 0.05;

    /// <param name="sight">Null: no mail is carried, so that there is nothing to forward.</param>
    /// <param name="from">The old address.</param>
    /// <param name="to">The address to which it is to forward.</param>
    public static IReadOnlyList<Gate> Draw(GateRecord record, GateSight? sight, string from, string to, Instant now) =>
        [
            InStep(record, now),
            LeftBehind(record),
            .. sight is null
                ? Array.Empty<Gate>()
                : [SignIn(sight), Room(sight), Forwarding(sight, from, to), OwnRules(sight, to), Probe(sight)],
            Informed(record),
        ];

    /// <summary>Those that keep a move from crossing.</summary>
    public static IReadOnlyList<Gate> Shut(IEnumerable<Gate> gates, IReadOnlySet<GateKind> accepted) =>
        [.. gates.Where(g => g.Colour is GateColour.Red || (g.Colour is GateColour.Amber && !accepted.Contains(g.Kind)))];

    private static Gate InStep(GateRecord record, Instant now)
    {
        var behind = record.Legs.Where(l => l.Stage is not Stage.InStep).ToList();
        if (behind.Count > 0)
            return Gate.Red(
                GateKind.InStep,
                $"the first pass of {Of(behind)} has not ended yet",
                "Wait until it is in step; caravan forecast tells when"
            );
        var stuck = record.Legs.Where(l => l.Fault is not null).ToList();
        if (stuck.Count > 0)
            return Gate.Red(GateKind.InStep, $"the last pass of {Of(stuck)} failed: {stuck[0].Fault!.What}", stuck[0].Fault!.Remedy);
        var lag = now - record.Legs.Min(l => l.EndedAt)!.Value;
        var most = record.CatchUpEvery is { } every ? 2 * every : s_longestLag;
        return lag > most
            ? Gate.Amber(
                GateKind.InStep,
                $"the last pass ended {Words(lag)} ago, longer than two rounds of catch-ups",
                "Have it catch up before: caravan catch-up. The closing pass carries what is missing, and takes longer"
            )
            : Gate.Green(GateKind.InStep, $"the last pass ended {Words(lag)} ago");
    }

    private static string Of(IEnumerable<LegState> legs) => string.Join(" and ", legs.Select(l => KebabWord.Of(l.Kind)));

    private static Gate LeftBehind(GateRecord record)
    {
        var (open, undecided) = (record.OpenLeftBehind, record.Undecided);
        if (open == 0 && undecided == 0)
            return Gate.Green(GateKind.LeftBehind, "nothing waits for a decision");
        var facts = string.Join(
            " and ",
            new[] { (open, "item(s) left behind"), (undecided, "difference(s) between the sides") }
                .Where(n => n.Item1 > 0)
                .Select(n => $"{n.Item1} {n.Item2}")
        );
        const string Look = "Look at them (caravan left-behind, caravan differences), and retry or accept them";
        return record.Tolerance.Covers(open, record.Found) && undecided == 0
            ? Gate.Amber(GateKind.LeftBehind, $"{facts}, within the tolerance of the route, and nobody has looked at them", Look)
            : Gate.Red(GateKind.LeftBehind, $"{facts} that nobody has decided on", Look);
    }

    private static Gate SignIn(GateSight sight) =>
        (sight.FromFault, sight.ToFault) switch
        {
            ({ } fault, _) => Gate.Red(GateKind.SignIn, $"the old side: {fault.What}", fault.Remedy),
            (_, { } fault) => Gate.Red(GateKind.SignIn, $"the new side: {fault.What}", fault.Remedy),
            _ => Gate.Green(GateKind.SignIn, "both sides were signed in to just now"),
        };

    private static Gate Room(GateSight sight)
    {
        if (sight.Room is not { Octets: { } limit } room)
            return Gate.Green(GateKind.Room, "the new side tells no limit");
        var left = new ByteCount(Math.Max(0, limit.Count - room.UsedOctets.Count));
        const string More = "Give the account on the new side more room";
        return left.Count == 0 ? Gate.Red(GateKind.Room, $"the account on the new side is full ({limit})", More)
            : left.Count < LittleRoom * limit.Count ? Gate.Amber(GateKind.Room, $"{left} of {limit} are left on the new side", More)
            : Gate.Green(GateKind.Room, $"{left} of {limit} are left on the new side");
    }

    private static Gate Forwarding(GateSight sight, string from, string to)
    {
        if (Same(from, to))
            return Gate.Red(
                GateKind.Forwarding,
                $"the old and the new address are the same ({to}): mail would be forwarded to where it comes from",
                "Say to which address, for which the new service alone takes mail: in forward_to of the roster, or in crossing: "
                    + "{forward-to: …} of the batch"
            );
        var copy = sight.Forwarding.KeepsCopy ? "a copy stays in the old mailbox" : "nothing stays in the old mailbox";
        if (sight.ToRules is { } rules && rules.Addresses.Any(a => Same(a, from)))
            return Gate.Red(
                GateKind.Forwarding,
                $"the new account forwards to {from}: mail would go round in a circle",
                "Have its owner remove that rule on the new side, then look again"
            );
        if (sight.Forwarding.Fault is { Action: FaultAction.AskPerson } fault)
            return Gate.Amber(
                GateKind.Forwarding,
                $"mail rules cannot forward: {fault.What}",
                "Mend the rules and look again, or accept this: then a person sets the forwarding by hand, and the probe shows "
                    + "whether it works"
            );
        return sight.Forwarding.ByRules is { } prepared
            ? Gate.Green(
                GateKind.Forwarding,
                $"a mail rule can forward to {to}; {copy}{(prepared.AboutAnswer is { } answer ? $"; {answer}" : "")}"
            )
            : Gate.Amber(
                GateKind.Forwarding,
                "the old side has no mail rules that we could set",
                "Accept this: a person sets the forwarding by hand when it is asked for, and the probe shows whether it works"
            );
    }

    private static bool Same(string one, string other) => string.Equals(one, other, StringComparison.OrdinalIgnoreCase);

    private static Gate OwnRules(GateSight sight, string to)
    {
        if (sight.FromRules is not { } rules)
            return Gate.Green(GateKind.OwnRules, "the old side shows no mail rules");
        var others = rules.Redirects.Where(r => r.To is null || !Same(r.To, to)).ToList();
        var does = new List<string>();
        if (others.Count > 0)
            does.Add($"forward to {string.Join(", ", others.Select(r => r.To ?? "an address worked out for each message").Distinct())}");
        if (rules.Answers)
            does.Add("answer mail by themselves");
        if (rules.Rejects)
            does.Add("send mail back");
        if (rules.Discards)
            does.Add("throw mail away, which is forwarded all the same");
        if (rules.Files)
            does.Add("sort mail into folders");
        return does.Count == 0
            ? Gate.Green(GateKind.OwnRules, "its owner has no mail rules on the old side")
            : Gate.Amber(
                GateKind.OwnRules,
                $"rules of its owner on the old side {string.Join(", ", does)}; they go on there, and the new side does not have them",
                "Have its owner make the rules anew on the new side, then accept this"
            );
    }

    private static Gate Probe(GateSight sight)
    {
        const string Needs = "Name a server for letters (notices: {sending: …}), and sending: of the old service";
        return (sight.Ways.Contains(ProbeWay.Outside), sight.Ways.Contains(ProbeWay.Colleague)) switch
        {
            (true, true) => Gate.Green(
                GateKind.Probe,
                "a message from outside and one from a colleague's account will be sent and awaited"
            ),
            (true, false) => Gate.Green(
                GateKind.Probe,
                "a message from outside will be sent and awaited; none from within the old service"
            ),
            (false, true) => Gate.Amber(GateKind.Probe, "only a message from a colleague's account can be sent, none from outside", Needs),
            _ => Gate.Amber(
                GateKind.Probe,
                "no message can be sent that shows whether forwarding works",
                $"{Needs}; or accept that nobody tries it"
            ),
        };
    }

    private static Gate Informed(GateRecord record) =>
        record.ToldAt is { } at
            ? Gate.Green(GateKind.Informed, $"the person was written to on {at.InUtc().Date:uuuu-MM-dd}")
            : Gate.Amber(
                GateKind.Informed,
                "no letter about the crossing went to this person",
                "Switch the letter crosses on in notices:, or tell them yourself and accept this"
            );

    private static string Words(Duration length) =>
        length < Duration.FromMinutes(2) ? "less than two minutes"
        : length < Duration.FromHours(2) ? $"{(int)length.TotalMinutes} minutes"
        : length < Duration.FromDays(2) ? $"{(int)length.TotalHours} hours"
        : $"{(int)length.TotalDays} days";
}
