using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;

namespace EasyCaravan.Service.Api;

/// <summary>Errors as problem details (RFC 9457), all in the shape of <see cref="ErrorAnswer"/>.</summary>
internal static class Problems
{
    public static ProblemHttpResult NotFound(string what, string remedy) => Make(StatusCodes.Status404NotFound, "not-found", what, remedy);

    /// <summary>It cannot be done as things stand now.</summary>
    public static ProblemHttpResult Refused(string what, string remedy) => Make(StatusCodes.Status409Conflict, "not-now", what, remedy);

    public static ProblemHttpResult Stale() =>
        Make(
            StatusCodes.Status412PreconditionFailed,
            "plan-changed",
            "Somebody else put another plan in force meanwhile; nothing was changed.",
            "Look at the plan in force with 'caravan plan show', bring your change into it, and apply it again"
        );

    /// <summary>A fault of a service or of our store keeps it from being done.</summary>
    public static ProblemHttpResult Refused(Fault fault) =>
        Make(StatusCodes.Status409Conflict, KebabWord.Of(fault.Cause), fault.What, fault.Remedy, fault.Whom, fault.Code);

    public static ProblemHttpResult Invalid(string what, string remedy) =>
        Make(StatusCodes.Status400BadRequest, "invalid-request", what, remedy);

    public static ProblemHttpResult TooMany(string what, string remedy) =>
        Make(StatusCodes.Status429TooManyRequests, "too-many-tries", what, remedy);

    public static ProblemHttpResult TooLarge(string what, string remedy) =>
        Make(StatusCodes.Status413PayloadTooLarge, "too-large", what, remedy);

    /// <summary>It was asked under a name that is not the service's (RFC 9110 §15.5.20).</summary>
    public static ProblemHttpResult Misdirected(string what, string remedy) =>
        Make(StatusCodes.Status421MisdirectedRequest, "wrong-host", what, remedy);

    public static ProblemHttpResult NotAllowed(string what, string remedy) =>
        Make(StatusCodes.Status401Unauthorized, "not-signed-in", what, remedy);

    public static ProblemHttpResult Unexpected() =>
        Make(
            StatusCodes.Status500InternalServerError,
            "unexpected",
            "The service could not do this because of an error of its own; nothing was half done.",
            "Try again; if it comes back, the service's log has the details"
        );

    /// <summary>The plan's errors, each with its place.</summary>
    public static ProblemHttpResult InvalidPlan(IReadOnlyList<PlanProblem> problems)
    {
        var answer = Make(
            StatusCodes.Status422UnprocessableEntity,
            "invalid-plan",
            $"{problems.Count} thing(s) are wrong in the plan; nothing was changed.",
            "Correct the places named and apply it again"
        );
        answer.ProblemDetails.Title = "The plan cannot be applied";
        answer.ProblemDetails.Extensions["problems"] = problems;
        return answer;
    }

    /// <summary>Completes error answers that the framework wrote, such as a 401, so that they have the shape of all others.</summary>
    public static void Complete(ProblemDetails problem)
    {
        if (problem.Extensions.ContainsKey("cause"))
            return;
        var (cause, what, remedy) = problem.Status switch
        {
            StatusCodes.Status401Unauthorized => (
                "not-signed-in",
                "You are not signed in, or the token is not known.",
                "Send a token as 'Authorization: Bearer …', or sign in to the console"
            ),
            StatusCodes.Status403Forbidden => (
                "not-from-here",
                "This may not be done from here.",
                "Writes of the console's session need its X-Caravan-Antiforgery word; reload the page"
            ),
            _ => ("invalid-request", "This cannot be done.", "See /openapi/v1.json for what there is"),
        };
        problem.Type = TypeOf(cause);
        problem.Detail ??= what;
        problem.Extensions["cause"] = cause;
        problem.Extensions.TryAdd("remedy", remedy);
    }

    /// <summary>A fault as the contract describes it.</summary>
    public static Problem Of(Fault fault) => new(KebabWord.Of(fault.Cause), fault.Whom, fault.What, fault.Remedy, fault.Code);

    private static string TypeOf(string cause) => $"urn:easy-caravan:cause:{cause}";

    private static ProblemHttpResult Make(int status, string cause, string what, string remedy, string? whom = null, string? code = null)
    {
        var extensions = new Dictionary<string, object?> { ["cause"] = cause, ["remedy"] = remedy };
        if (whom is not null)
            extensions["whom"] = whom;
        if (code is not null)
            extensions["code"] = code;
        return TypedResults.Problem(detail: what, statusCode: status, type: TypeOf(cause), extensions: extensions);
    }
}
