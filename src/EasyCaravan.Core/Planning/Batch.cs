using System.Collections.Immutable;

namespace EasyCaravan.Core.Planning;

/// <summary>People who move together over one route, on one timetable.</summary>
public sealed record Batch(string Name, string Route, string RosterFile, ImmutableArray<RosterPerson> People, Timetable? Timetable)
{
    public const int UsualPriority = 5;

    /// <summary>1 (first) to 9, among batches that wait for the same services or workers.</summary>
    public int Priority { get; init; } = UsualPriority;

    public CrossingPlan Crossing { get; init; } = CrossingPlan.Usual;

    public BatchNotices Notices { get; init; } = BatchNotices.AsPlanned;
}

/// <summary>All that a plan file says, read and found sound.</summary>
public sealed record Plan(ImmutableArray<Service> Services, ImmutableArray<Route> Routes, ImmutableArray<Batch> Batches)
{
    /// <summary>Null: nobody is told of anything.</summary>
    public Notices? Notices { get; init; }

    /// <summary>The hosts that it names for mail, rules, sending, contacts and calendars, in small letters.</summary>
    public IEnumerable<string> Hosts =>
        Services
            .SelectMany(s =>
                new[]
                {
                    s.Mail?.Host,
                    s.Rules?.Host,
                    s.Sending?.Host,
                    (s.Contacts as CollectionConnection.Dav)?.Url.Host,
                    (s.Calendars as CollectionConnection.Dav)?.Url.Host,
                }
            )
            .OfType<string>()
            .Select(h => h.ToLowerInvariant());

    public Route RouteOf(Batch batch) => Routes.First(r => r.Name == batch.Route);

    public bool Uses(Batch batch, string service) => RouteOf(batch) is var route && (route.From == service || route.To == service);
}
