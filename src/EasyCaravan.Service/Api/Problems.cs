using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using Microsoft.AspNetCore.Http.HttpResults;

namespace EasyCaravan.Service.Api;

/// <summary>Errors as problem details (RFC 9457): what happened, to whom, and in <c>next</c> what to do.</summary>
internal static class Problems
{
    public static ProblemHttpResult NotFound(string what, string next) => Make(StatusCodes.Status404NotFound, what, next);

    public static ProblemHttpResult Refused(string what, string next) => Make(StatusCodes.Status409Conflict, what, next);

    public static ProblemHttpResult Invalid(string what, string next) => Make(StatusCodes.Status400BadRequest, what, next);

    public static ProblemHttpResult TooMany(string what, string next) => Make(StatusCodes.Status429TooManyRequests, what, next);

    public static ProblemHttpResult NotAllowed(string what, string next) => Make(StatusCodes.Status401Unauthorized, what, next);

    /// <summary>Gives the answers that no call of ours wrote, such as a 401, what every error has.</summary>
    public static void Complete(Microsoft.AspNetCore.Mvc.ProblemDetails problem)
    {
        var (what, next) = problem.Status switch
        {
            StatusCodes.Status401Unauthorized => (
                "You are not signed in, or the token is not known.",
                "Send a token as 'Authorization: Bearer …', or sign in to the console"
            ),
            StatusCodes.Status403Forbidden => (
                "This may not be done from here.",
                "Writes of the console's session need its X-Caravan-Antiforgery word; reload the page"
            ),
            _ => ("This cannot be done.", "See /openapi/v1.json for what there is"),
        };
        problem.Detail ??= what;
        problem.Extensions.TryAdd("next", next);
    }

    /// <summary>The plan's errors, each with its place.</summary>
    public static ProblemHttpResult InvalidPlan(IReadOnlyList<PlanProblem> problems) =>
        TypedResults.Problem(
            detail: $"{problems.Count} thing(s) are wrong in the plan; nothing was changed.",
            statusCode: StatusCodes.Status422UnprocessableEntity,
            title: "The plan cannot be applied",
            extensions: new Dictionary<string, object?>
            {
                ["next"] = "Correct the places named and apply it again",
                ["problems"] = problems,
            }
        );

    /// <summary>The words of the contract for a fault.</summary>
    public static Problem Of(Fault fault) => new(KebabWord.Of(fault.Cause), fault.Whom, fault.What, fault.Remedy, fault.Code);

    private static ProblemHttpResult Make(int status, string what, string next) =>
        TypedResults.Problem(detail: what, statusCode: status, extensions: new Dictionary<string, object?> { ["next"] = next });
}
