namespace EasyCaravan.Contract;

/// <summary>A plan file with the files it names, as text.</summary>
/// <param name="Name">The plan's file name, as errors shall call it.</param>
/// <param name="Text">The YAML.</param>
/// <param name="Files">Rosters and certificates by the name that the plan uses.</param>
public sealed record PlanSubmission(string Name, string Text, IReadOnlyDictionary<string, string> Files);

/// <summary>What is wrong, where, and what is allowed there.</summary>
/// <param name="Line">1-based.</param>
public sealed record PlanProblem(string File, int Line, string What, string Allowed);

/// <param name="Batches">With their number of people; empty when the plan is not valid.</param>
public sealed record PlanCheck(bool Valid, IReadOnlyList<PlanProblem> Problems, IReadOnlyList<PlanBatch> Batches);

/// <param name="Roster">The file that names its people.</param>
/// <param name="Windows">The timetable in words; null: at all hours.</param>
public sealed record PlanBatch(string Name, string Route, string From, string To, string Roster, string? Windows, int People);

/// <param name="Change">added, changed or gone.</param>
public sealed record PlanChange(string Batch, string Account, string Change);

/// <param name="DryRun">True: nothing was changed, this is what would be.</param>
/// <param name="Settings">What changes beside the people, in words.</param>
/// <param name="Next">What to do next, as a sentence with its command; null: nothing.</param>
public sealed record PlanApplied(bool DryRun, IReadOnlyList<PlanChange> Changes, IReadOnlyList<string> Settings, string? Next);

/// <summary>The plan in force.</summary>
public sealed record PlanView(string File, string Text, DateTimeOffset AppliedAt, string AppliedBy, IReadOnlyList<PlanBatch> Batches);
