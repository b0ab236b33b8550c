using System.Security.Claims;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;

namespace EasyCaravan.Service.Access;

/// <summary>
/// The cookie of a browser that is signed in. It holds a secret by which the store knows the session; whether that is still there is looked
/// at for each request.
/// </summary>
internal static class SessionCookie
{
    private const string Scheme = CookieAuthenticationDefaults.AuthenticationScheme;
    private const string SecretClaim = "session-secret";

    public static async Task SignInAsync(HttpContext context, TokenHolder token, Sessions sessions, CancellationToken cancel)
    {
        var secret = await sessions.BeginAsync(token, cancel);
        var session = (await sessions.FindAsync(secret, cancel))!;
        var user = Authentication.PrincipalOf(token.Name, Scheme, new Caller(CallerKind.Session, session.Id));
        ((ClaimsIdentity)user.Identity!).AddClaim(new Claim(SecretClaim, secret));
        context.User = user;
        await context.SignInAsync(Scheme, user);
    }

    public static async Task SignOutAsync(HttpContext context, Sessions sessions, CancellationToken cancel)
    {
        if (context.User.FindFirstValue(SecretClaim) is { } secret)
            await sessions.EndAsync(secret, cancel);
        await context.SignOutAsync(Scheme);
    }

    public static async Task ValidateAsync(CookieValidatePrincipalContext context)
    {
        var sessions = context.HttpContext.RequestServices.GetRequiredService<Sessions>();
        if (
            context.Principal?.FindFirstValue(SecretClaim) is not { } secret
            || await sessions.FindAsync(secret, context.HttpContext.RequestAborted) is null
        )
            context.RejectPrincipal();
    }
}
