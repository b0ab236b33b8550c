namespace EasyCaravan.Contract;

/// <summary>The one shape of every error of the API: problem details (RFC 9457) with what to do about it.</summary>
/// <param name="Type">A URI that stays the same for a cause: urn:easy-caravan:cause: with the cause after it.</param>
/// <param name="Title">A heading for people.</param>
/// <param name="Status">The HTTP status.</param>
/// <param name="Detail">What happened, as a sentence.</param>
/// <param name="Cause">A stable word for programs.</param>
/// <param name="Whom">The account, folder or service concerned; null: none.</param>
/// <param name="Remedy">What to do, in one sentence without a full stop.</param>
/// <param name="Code">The mail server's own response code, where it gave one.</param>
/// <param name="Problems">Of a plan: each thing that is wrong, with its place; null for other errors.</param>
public sealed record ErrorAnswer(
    string Type,
    string Title,
    int Status,
    string Detail,
    string Cause,
    string? Whom,
    string Remedy,
    string? Code,
    IReadOnlyList<PlanProblem>? Problems
);
