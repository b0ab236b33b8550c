using System.Collections.Immutable;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Surveying;

/// <summary>How fast one kind of a move travels, as a range. Messages stand for items of any kind.</summary>
/// <param name="Measured">Moves whose first passes it was measured on; 0: assumed.</param>
public sealed record Rates(double MessagesLow, double MessagesHigh, double OctetsLow, double OctetsHigh, int Measured)
{
    /// <summary>
    /// What is assumed until something was measured: a service far away that answers each message by itself, and one near by that takes
    /// many at a time.
    /// </summary>
    public static Rates Assumed { get; } = new(MessagesLow: 5, MessagesHigh: 100, OctetsLow: 300_000, OctetsHigh: 5_000_000, Measured: 0);

    /// <summary>From first passes that ran on the same route: the middle half of them.</summary>
    /// <param name="passes">Messages, octets and seconds of each.</param>
    public static Rates Measure(IReadOnlyCollection<(long Messages, ByteCount Octets, double Seconds)> passes)
    {
        var useful = passes.Where(p => p is { Messages: >= 50, Seconds: > 0.5 }).ToList();
        if (useful.Count < 3)
            return Assumed;
        var messages = useful.Select(p => p.Messages / p.Seconds).Order().ToList();
        var octets = useful.Select(p => p.Octets.Count / p.Seconds).Order().ToList();
        return new Rates(At(messages, 0.25), At(messages, 0.75), At(octets, 0.25), At(octets, 0.75), useful.Count);

        static double At(List<double> sorted, double part) => sorted[(int)Math.Round((sorted.Count - 1) * part)];
    }

    /// <summary>Seconds that so much takes: whichever of count and size is slower decides.</summary>
    public (double Shortest, double Longest) For(long messages, ByteCount octets, int folders)
    {
        // Opening a folder costs round trips even when nothing is in it.
        var opening = (Short: folders * 0.05, Long: folders * 0.5);
        return Measured > 0
            // Both were measured on whole passes, so either alone tells the time; the lower rate of each belongs to the longer one.
            ? (
                Math.Min(messages / MessagesHigh, octets.Count / OctetsHigh) + opening.Short,
                Math.Max(messages / MessagesLow, octets.Count / OctetsLow) + opening.Short
            )
            : (
                Math.Max(messages / MessagesHigh, octets.Count / OctetsHigh) + opening.Short,
                Math.Max(messages / MessagesLow, octets.Count / OctetsLow) + opening.Long
            );
    }
}

/// <summary>What one move has to carry.</summary>
public sealed record CarryVolume(string Account, string Name, long Messages, ByteCount Octets, int Folders)
{
    /// <summary>Contacts and events, which are carried before the mail.</summary>
    public ImmutableArray<KindVolume> Kinds { get; init; } = [];
}

/// <summary>How long one move takes by itself, in seconds.</summary>
public sealed record MoveEstimate(CarryVolume Volume, double Shortest, double Longest)
{
    /// <summary>Its passes alone, without days on which it waits for a limit.</summary>
    /// <param name="kinds">Rates of contacts and events; null: assumed.</param>
    public static MoveEstimate Make(CarryVolume volume, Rates rates, IReadOnlyDictionary<Kind, Rates>? kinds)
    {
        var (shortest, longest) = volume.Messages == 0 ? (0, 0) : rates.For(volume.Messages, volume.Octets, volume.Folders);
        foreach (var kind in volume.Kinds.Where(k => k.Items > 0))
        {
            // One leg begins when the one before it ended.
            var leg = (kinds?.GetValueOrDefault(kind.Kind) ?? Rates.Assumed).For(kind.Items, kind.Octets, kind.Collections);
            (shortest, longest) = (shortest + leg.Shortest, longest + leg.Longest);
        }
        return new MoveEstimate(volume, shortest, longest);
    }
}

/// <summary>What keeps a batch from going faster.</summary>
public enum HeldBackBy
{
    /// <summary>Nothing is left to carry.</summary>
    Nothing,

    /// <summary>One mailbox takes longer than all others together need.</summary>
    OneMailbox,

    /// <summary>What a service lets one account carry in a day.</summary>
    BytesPerDay,

    /// <summary>The connections that a service bears.</summary>
    Connections,

    /// <summary>The moves that this installation runs at a time.</summary>
    Workers,
}

/// <summary>A first answer to "how long": the first pass of a whole batch, run without pause. Windows are not in it.</summary>
/// <param name="AtOnce">Moves that can run side by side.</param>
/// <param name="Detail">What holds it back, in words.</param>
public sealed record BatchEstimate(
    double Shortest,
    double Longest,
    int AtOnce,
    HeldBackBy HeldBackBy,
    string Detail,
    Rates Rates,
    IReadOnlyList<MoveEstimate> Moves
)
{
    /// <param name="connections">Pairs of a service's name and how many connections it bears.</param>
    /// <param name="day">The service that allows the least for an account in a day, and how many octets; null: none has a limit.</param>
    /// <param name="lanes">Connections that one move takes at each service.</param>
    /// <param name="workers">Moves that this installation runs at a time.</param>
    /// <param name="kinds">Rates of contacts and events; null: assumed.</param>
    public static BatchEstimate Make(
        IReadOnlyList<CarryVolume> volumes,
        Rates rates,
        IReadOnlyList<(string Service, int Connections)> connections,
        int lanes,
        int workers,
        (string Service, ByteCount Octets)? day = null,
        IReadOnlyDictionary<Kind, Rates>? kinds = null
    )
    {
        var moves = volumes
            .Select(l =>
            {
                var alone = MoveEstimate.Make(l, rates, kinds);
                // What does not fit in today's limit waits for the days after it.
                var waiting =
                    day is { } limit && l.Octets > ByteCount.Zero
                        ? (l.Octets.Count - 1) / limit.Octets.Count * TimeSpan.FromDays(1).TotalSeconds
                        : 0;
                return new MoveEstimate(l, Math.Max(alone.Shortest, waiting), alone.Longest + waiting);
            })
            .OrderByDescending(m => m.Longest)
            .ToList();
        // A second lane is taken only where one is free, so a move needs one connection to run.
        var narrow = connections.MinBy(c => c.Connections);
        var atOnce = Math.Max(1, Math.Min(workers, narrow.Connections));
        if (moves.Count == 0 || moves[0].Longest == 0)
            return new BatchEstimate(0, 0, atOnce, HeldBackBy.Nothing, "nothing is left to carry", rates, moves);
        // At best the longest begin first; at worst the longest of all begins when the others are done (Graham's bound).
        var (low, high) = (
            Makespan(moves.Select(m => m.Shortest), atOnce),
            ((moves.Sum(m => m.Longest) - moves[0].Longest) / atOnce) + moves[0].Longest
        );
        var heaviest = moves[0];
        var (by, detail) =
            day is { } least && heaviest.Volume.Octets > least.Octets
                ? (
                    HeldBackBy.BytesPerDay,
                    $"the {least.Octets} a day that {least.Service} allows an account: {heaviest.Volume.Name} "
                        + $"has {heaviest.Volume.Octets}"
                )
            : heaviest.Longest > 0.5 * high ? (HeldBackBy.OneMailbox, $"the account of {heaviest.Volume.Name} alone")
            : workers < narrow.Connections ? (HeldBackBy.Workers, $"{workers} moves at a time, as the service was started")
            : (
                HeldBackBy.Connections,
                $"{narrow.Connections} connections at {narrow.Service}, "
                    + $"{(lanes > 1 ? $"{lanes} for each move where they are free" : "one for each move")}"
            );
        return new BatchEstimate(low, high, atOnce, by, detail, rates, moves);
    }

    /// <summary>When the last of them ends, the longest begun first and each next one taken up by whoever is free.</summary>
    private static double Makespan(IEnumerable<double> seconds, int atOnce)
    {
        var free = new PriorityQueue<int, double>(Enumerable.Range(0, atOnce).Select(i => (i, 0.0)));
        var last = 0.0;
        foreach (var duration in seconds.OrderDescending())
        {
            free.TryDequeue(out var worker, out var at);
            free.Enqueue(worker, at + duration);
            last = Math.Max(last, at + duration);
        }
        return last;
    }
}
