using EasyCaravan.Contract;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Live;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Http.HttpResults;

namespace EasyCaravan.Service.Api;

/// <summary>Signs the console in and out: exchanges a token for a cookie that no script can read.</summary>
internal static class SessionApi
{
    public const string SlowPolicy = "sign-in";

    /// <summary>The time in which a limited number of sign-ins may be tried.</summary>
    public static readonly TimeSpan SlowWindow = TimeSpan.FromMinutes(1);

    private static readonly string s_version = typeof(SessionApi).Assembly.GetName().Version!.ToString(3);

    public static void Map(RouteGroupBuilder open, RouteGroupBuilder api)
    {
        open.MapPost("/session", SignInAsync).RequireRateLimiting(SlowPolicy).WithSummary("Exchanges a token for the console's session");
        api.MapGet("/session", Show).WithSummary("Who is signed in");
        api.MapDelete("/session", SignOutAsync).WithSummary("Signs the console out");
    }

    private static async Task<Results<Ok<SessionView>, ProblemHttpResult>> SignInAsync(
        SessionRequest request,
        Tokens tokens,
        Sessions sessions,
        IAntiforgery antiforgery,
        HttpContext context,
        ILogger<CaravanOptions> log,
        CancellationToken cancel
    )
    {
        if (await tokens.FindAsync(request.Token.Trim(), cancel) is not { } token)
        {
            log.LogWarning("A sign-in to the console was refused");
            return Problems.NotAllowed(
                "This token is not known, was revoked, or is over.",
                "Use the one in admin.token in the service's data folder"
            );
        }
        await SessionCookie.SignInAsync(context, token, sessions, cancel);
        return TypedResults.Ok(View(antiforgery, context));
    }

    private static SessionView Show(IAntiforgery antiforgery, HttpContext context) => View(antiforgery, context);

    private static async Task<NoContent> SignOutAsync(HttpContext context, Sessions sessions, LiveHub live, CancellationToken cancel)
    {
        await SessionCookie.SignOutAsync(context, sessions, cancel);
        live.Recheck();
        return TypedResults.NoContent();
    }

    private static SessionView View(IAntiforgery antiforgery, HttpContext context) =>
        new(context.User.Identity!.Name!, antiforgery.GetAndStoreTokens(context).RequestToken!, s_version);
}
