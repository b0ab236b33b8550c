using System.Security.Claims;
using System.Text.Encodings.Web;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Authorization;
using Microsoft.Extensions.Options;

namespace EasyCaravan.Service.Access;

/// <summary>Who may call: programs with a bearer token, the console with the cookie that a token was exchanged for.</summary>
internal static class Authentication
{
    public const string AntiforgeryHeader = "X-Caravan-Antiforgery";

    private const string Either = "caravan";

    public static void Add(IServiceCollection services)
    {
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
                options.Cookie.SecurePolicy = CookieSecurePolicy.SameAsRequest;
                options.ExpireTimeSpan = TimeSpan.FromHours(12);
                options.SlidingExpiration = true;
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
            options.Cookie.HttpOnly = true;
            options.Cookie.SameSite = SameSiteMode.Strict;
        });
    }

    public static ClaimsPrincipal PrincipalOf(string name, string scheme) =>
        new(new ClaimsIdentity([new Claim(ClaimTypes.Name, name), new Claim(ClaimTypes.NameIdentifier, name)], scheme));

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

/// <summary>Bearer tokens (RFC 6750).</summary>
internal sealed class BearerTokens(
    IOptionsMonitor<AuthenticationSchemeOptions> options,
    ILoggerFactory logger,
    UrlEncoder encoder,
    Tokens tokens
) : AuthenticationHandler<AuthenticationSchemeOptions>(options, logger, encoder)
{
    public const string Name = "bearer";

    protected override async Task<AuthenticateResult> HandleAuthenticateAsync()
    {
        var header = Request.Headers.Authorization.ToString();
        if (!header.StartsWith("Bearer ", StringComparison.OrdinalIgnoreCase))
            return AuthenticateResult.NoResult();
        return await tokens.NameOfAsync(header[7..].Trim(), Context.RequestAborted) is { } name
            ? AuthenticateResult.Success(new AuthenticationTicket(Authentication.PrincipalOf(name, Name), Name))
            : AuthenticateResult.Fail("The token is not known, or was revoked.");
    }
}
