using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Scheduling;

/// <summary>
/// What runs next, as one rule. A move is due when its state says so, which its timetable has a say in
/// (<see cref="Carrying.MoveState.DueAt"/>). Of those that are due and whose batch is not closed, the one whose turn is earliest runs.
/// </summary>
/// <remarks>
/// The store keeps turns in an index and asks <see cref="ClosedBatches"/>; the forecast asks the same on simulated time. A turn is a time:
/// so whoever waits long enough goes before anybody who comes later, whatever the priorities, and nobody waits for ever.
/// </remarks>
public static class Schedule
{
    /// <summary>How much later a move's turn comes with each step of priority.</summary>
    public static readonly Duration PriorityStep = Duration.FromHours(1);

    /// <summary>How much later the turn of the largest mailbox comes at most, where small ones go first.</summary>
    public static readonly Duration LongestForSize = Duration.FromDays(1);

    /// <summary>A mailbox of this size waits half of <see cref="LongestForSize"/>.</summary>
    private static readonly ByteCount s_middle = new(10_000_000_000);

    /// <summary>How long a move lets those go first that became due with it.</summary>
    /// <param name="priority">1 to 9.</param>
    /// <param name="size">Of the mailbox, where small ones go first; null: where the size does not matter.</param>
    public static Duration Handicap(int priority, ByteCount? size) =>
        ((priority - 1) * PriorityStep)
        + (size is { } octets ? LongestForSize * ((double)octets.Count / (octets.Count + s_middle.Count)) : Duration.Zero);

    /// <summary>The place in line: the earliest turn is the next.</summary>
    /// <param name="since">Since when it has been due.</param>
    public static Instant TurnOf(Instant since, Duration handicap) => since + handicap;

    /// <summary>Batches of which nobody may begin now.</summary>
    /// <param name="running">How many moves of each batch run.</param>
    public static IReadOnlyList<string> ClosedBatches(ScheduleRules rules, IReadOnlyDictionary<string, int> running)
    {
        var closed = new HashSet<string>(rules.Resting);
        foreach (var share in rules.Shares.Where(s => s.IsFull(s.Batches.Sum(running.GetValueOrDefault))))
            closed.UnionWith(share.Batches);
        return [.. closed];
    }
}

/// <summary>Whom the schedule leaves alone now, and what batches share.</summary>
/// <param name="Resting">Batches over a service that is in trouble or is being drained.</param>
public sealed record ScheduleRules(IReadOnlyCollection<string> Resting, IReadOnlyList<ServiceShare> Shares)
{
    /// <summary>
    /// Moves that this process runs. After the clock jumped their leases look ended, and yet nobody lost them.
    /// </summary>
    public IReadOnlyCollection<long> Own { get; init; } = [];

    public static ScheduleRules None { get; } = new([], []);
}

/// <summary>Batches that share the connections of a service, of which a move takes at least one.</summary>
public sealed record ServiceShare(string Service, int Connections, IReadOnlyList<string> Batches)
{
    /// <param name="running">Moves that run, of all its batches together.</param>
    public bool IsFull(int running) => running >= Connections;

    public static IReadOnlyList<ServiceShare> Of(Plan plan) =>
        [
            .. plan.Services.Select(service => new ServiceShare(
                service.Name,
                service.Limits.Connections,
                [.. plan.Batches.Where(b => plan.Uses(b, service.Name)).Select(b => b.Name)]
            )),
        ];
}
