namespace EasyCaravan.Contract;

/// <summary>A plan file with the files it names, as text.</summary>
/// <param name="Name">The plan's file name, as errors shall call it.</param>
/// <param name="Text">The YAML.</param>
/// <param name="Files">Rosters and certificates by the name that the plan uses.</param>
public sealed record PlanSubmission(string Name, string Text, IReadOnlyDictionary<string, string> Files);

/// <summary>What is wrong, where, and what is allowed there.</summary>
/// <param name="Line">1-based.</param>
/// <param name="File">The file, as the plan names it.</param>
/// <param name="What">What happened, in one sentence without a full stop.</param>
/// <param name="Allowed">What is allowed there.</param>
public sealed record PlanProblem(string File, int Line, string What, string Allowed);

/// <summary>Whether a plan can be applied.</summary>
/// <param name="Batches">With their number of people; empty when the plan is not valid.</param>
/// <param name="Valid">It can.</param>
/// <param name="Problems">What is wrong, each with its place.</param>
public sealed record PlanCheck(bool Valid, IReadOnlyList<PlanProblem> Problems, IReadOnlyList<PlanBatch> Batches);

/// <summary>A batch of a plan.</summary>
/// <param name="Roster">The file that names its people.</param>
/// <param name="Windows">The timetable in words; null: at all hours.</param>
/// <param name="Name">The batch's name.</param>
/// <param name="Route">The route's name in the plan.</param>
/// <param name="From">The service that people move from.</param>
/// <param name="To">The service that people move to.</param>
/// <param name="People">How many people.</param>
public sealed record PlanBatch(string Name, string Route, string From, string To, string Roster, string? Windows, int People);

/// <summary>What applying a plan does to one person.</summary>
/// <param name="Change">added, changed or gone.</param>
/// <param name="Batch">The batch's name in the plan.</param>
/// <param name="Account">The from account, by which a move is known within its batch.</param>
public sealed record PlanChange(string Batch, string Account, string Change);

/// <summary>What applying a plan changed, or would change.</summary>
/// <param name="DryRun">True: nothing was changed, this is what would be.</param>
/// <param name="Settings">What changes beside the people, in words.</param>
/// <param name="Timetables">Of a dry run: what would change about when batches run.</param>
/// <param name="Next">What to do next, as a sentence with its command; null: nothing.</param>
/// <param name="Changes">The people concerned.</param>
public sealed record PlanApplied(
    bool DryRun,
    IReadOnlyList<PlanChange> Changes,
    IReadOnlyList<string> Settings,
    IReadOnlyList<TimetableChange> Timetables,
    string? Next
);

/// <summary>The plan in force.</summary>
/// <param name="File">The file's name.</param>
/// <param name="Text">The YAML.</param>
/// <param name="AppliedAt">When it was applied.</param>
/// <param name="AppliedBy">Who applied it.</param>
/// <param name="Batches">The batches that it concerns.</param>
public sealed record PlanView(string File, string Text, DateTimeOffset AppliedAt, string AppliedBy, IReadOnlyList<PlanBatch> Batches);
