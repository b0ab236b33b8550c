using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>
/// Hours in which passes may run. <paramref name="Until"/> at or before <paramref name="From"/> reaches into the next day.
/// </summary>
/// <param name="Days">The days on which it opens.</param>
public sealed record Window(ImmutableArray<IsoDayOfWeek> Days, LocalTime From, LocalTime Until)
{
    public bool Equals(Window? other) => other is not null && (From, Until) == (other.From, other.Until) && Days.SequenceEqual(other.Days);

    public override int GetHashCode() => HashCode.Combine(From, Until, Days.Length);
}

/// <summary>What goes on after the cutover: how long the old address forwards, and how often it is looked at for stragglers.</summary>
public sealed record Aftercare(LocalDate? ForwardingUntil, Duration? StragglersEvery);

/// <summary>When a batch's passes may run, and how often it catches up.</summary>
/// <param name="Windows">None means: at all hours.</param>
/// <param name="CatchUpEvery">From the end of one pass to the next; null means only when asked.</param>
public sealed record Timetable(DateTimeZone Zone, ImmutableArray<Window> Windows, Duration? CatchUpEvery)
{
    /// <summary>
    /// How far ahead openings are looked for, the near ones first: most windows open within days, a pause may last for weeks.
    /// </summary>
    private static readonly Duration[] s_horizons = [Duration.FromDays(9), Duration.FromDays(62), Duration.FromDays(2000)];

    /// <summary>Nothing runs in these, whatever the windows say.</summary>
    public ImmutableArray<Pause> Pauses { get; init; } = [];

    /// <summary>Nothing runs before this; then whoever is listed or surveyed is started by itself. Null: when a person starts it.</summary>
    public LocalDateTime? Start { get; init; }

    /// <summary>How long catch-ups go on after a kind was first in step; null: until the crossing.</summary>
    public Duration? KeepInStepFor { get; init; }

    public LocalDateTime? Cutover { get; init; }

    public Aftercare? Aftercare { get; init; }

    public Instant? StartsAt => Start is { } local ? OpenHours.At(Zone, local) : null;

    public Instant? CutsOverAt => Cutover is { } local ? OpenHours.At(Zone, local) : null;

    /// <summary>When the old address stops forwarding; null: never by itself.</summary>
    public Instant? ForwardsUntil => Aftercare?.ForwardingUntil is { } day ? Zone.AtStartOfDay(day).ToInstant() : null;

    /// <summary>It may run at any time: nothing has to be worked out.</summary>
    private bool IsAlwaysOpen => Windows.IsEmpty && Pauses.IsEmpty && Start is null;

    public bool Equals(Timetable? other) =>
        other is not null
        && (Zone, CatchUpEvery, Start, KeepInStepFor, Cutover, Aftercare)
            == (other.Zone, other.CatchUpEvery, other.Start, other.KeepInStepFor, other.Cutover, other.Aftercare)
        && Windows.SequenceEqual(other.Windows)
        && Pauses.SequenceEqual(other.Pauses);

    public override int GetHashCode() => HashCode.Combine(Zone, CatchUpEvery, Start, Cutover, Windows.Length, Pauses.Length);

    public bool IsOpen(Instant at) => IsAlwaysOpen || Hours(at, Duration.FromMilliseconds(1)).IsOpen(at);

    /// <summary>
    /// When it next opens, if it is shut at <paramref name="at"/>; <paramref name="at"/> itself if it is open; null: not within years.
    /// </summary>
    public Instant? NextOpening(Instant at) =>
        IsAlwaysOpen ? at : s_horizons.Select(horizon => Hours(at, horizon).NextOpening(at)).FirstOrDefault(opening => opening is not null);

    /// <summary>
    /// When the hours that are open at <paramref name="at"/> end, following on where one window touches the next; null: not within weeks,
    /// or shut now.
    /// </summary>
    public Instant? ClosesAt(Instant at) => IsAlwaysOpen ? null : Hours(at, Duration.FromDays(40)).ClosesAt(at);

    /// <summary>When the next catch-up is due after one ended; null: not by itself. Windows are not in it.</summary>
    /// <param name="inStepSince">When it was first in step.</param>
    public Instant? NextCatchUp(Instant ended, Instant inStepSince) =>
        CatchUpEvery is { } every && !(ended + every > inStepSince + KeepInStepFor) ? ended + every : null;

    /// <summary>How often the old side is looked at after the crossing, where the plan does not say.</summary>
    private static readonly Duration s_stragglersEvery = Duration.FromDays(1);

    /// <summary>When the next straggler pass is due after one ended, until the move is done. Windows are not in it.</summary>
    /// <param name="timetable">Null: the batch has none, and yet nothing may be lost.</param>
    public static Instant NextStraggler(Timetable? timetable, Instant ended) =>
        ended + (timetable?.Aftercare?.StragglersEvery ?? s_stragglersEvery);

    public OpenHours Hours(Instant from, Duration length) => OpenHours.Of(this, from, from + length);
}
