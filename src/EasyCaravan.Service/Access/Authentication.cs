using System.Security.Claims;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Authorization;

namespace EasyCaravan.Service.Access;

/// <summary>Who may call: programs with a bearer token, the console with the cookie that a token was exchanged for.</summary>
internal static class Authentication
{
    public const string AntiforgeryHeader = "X-Caravan-Antiforgery";

    private const string Either = "caravan";

    /// <param name="publicUrl">Where browsers find the service; null: where it listens.</param>
    public static void Add(IServiceCollection services, Uri? publicUrl)
    {
        var secure = publicUrl?.Scheme == Uri.UriSchemeHttps ? CookieSecurePolicy.Always : CookieSecurePolicy.SameAsRequest;
        services
            .AddAuthentication(Either)
            .AddPolicyScheme(Either, null, options =>
                options.ForwardDefaultSelector = context =>
                    context.Request.Headers.ContainsKey("Authorization")
                        ? BearerTokens.Name
                        : CookieAuthenticationDefaults.AuthenticationScheme
            )
            .AddScheme<AuthenticationSchemeOptions, BearerTokens>(BearerTokens.Name, null)
            .AddCookie(options =>
            {
                options.Cookie.Name = "caravan-session";
                options.Cookie.HttpOnly = true;
                options.Cookie.SameSite = SameSiteMode.Strict;
                options.Cookie.SecurePolicy = secure;
                options.ExpireTimeSpan = Sessions.Life;
                options.SlidingExpiration = true;
                options.Events.OnValidatePrincipal = SessionCookie.ValidateAsync;
                options.Events.OnRedirectToLogin = context => Refuse(context.Response, StatusCodes.Status401Unauthorized);
                options.Events.OnRedirectToAccessDenied = context => Refuse(context.Response, StatusCodes.Status403Forbidden);
            });
        services
            .AddAuthorizationBuilder()
            .SetFallbackPolicy(null)
            .SetDefaultPolicy(new AuthorizationPolicyBuilder(Either).RequireAuthenticatedUser().Build());
        services.AddAntiforgery(options =>
        {
            options.HeaderName = AntiforgeryHeader;
            options.Cookie.Name = "caravan-antiforgery";
            options.Cookie.SecurePolicy = CookieSecurePolicy.SameAsRequest;
            options.Cookie.HttpOnly = true;
            options.Cookie.SameSite = SameSiteMode.Strict;
        });
    }

    /// <param name="caller">By which what one caller may have is counted; it tells a session from a token.</param>
    public static ClaimsPrincipal PrincipalOf(string name, string scheme, Caller caller) =>
        new(
            new ClaimsIdentity(
                [new Claim(ClaimTypes.Name, name), new Claim(ClaimTypes.NameIdentifier, name), new Claim(Caller.Claim, caller.ToString())],
                scheme
            )
        );

    /// <summary>A browser sends its cookie with other sites' requests too, so writes also need a token that only our pages know.</summary>
    public static async Task RequireAntiforgeryAsync(HttpContext context, RequestDelegate next)
    {
        var byCookie =
            context.User.Identity is { IsAuthenticated: true, AuthenticationType: CookieAuthenticationDefaults.AuthenticationScheme };
        var writes =
            !HttpMethods.IsGet(context.Request.Method)
            && !HttpMethods.IsHead(context.Request.Method)
            && !HttpMethods.IsOptions(context.Request.Method);
        if (byCookie && writes && !await context.RequestServices.GetRequiredService<IAntiforgery>().IsRequestValidAsync(context))
        {
            await Refuse(context.Response, StatusCodes.Status403Forbidden);
            return;
        }
        await next(context);
    }

    private static Task Refuse(HttpResponse response, int status)
    {
        response.StatusCode = status;
        return Task.CompletedTask;
    }
}
