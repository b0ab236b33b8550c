using System.Collections.Immutable;

namespace EasyCaravan.Core.Planning;

/// <summary>People who move together over one route, on one timetable.</summary>
public sealed record Batch(string Name, string Route, string RosterFile, ImmutableArray<RosterPerson> People, Timetable? Timetable);

/// <summary>All that a plan file says, read and found sound.</summary>
public sealed record Plan(ImmutableArray<Service> Services, ImmutableArray<Route> Routes, ImmutableArray<Batch> Batches);
