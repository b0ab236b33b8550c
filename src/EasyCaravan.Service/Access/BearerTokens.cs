using System.Text.Encodings.Web;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Authentication;
using Microsoft.Extensions.Options;

namespace EasyCaravan.Service.Access;

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
        return await tokens.FindAsync(header[7..].Trim(), Context.RequestAborted) is { } token
            ? AuthenticateResult.Success(
                new AuthenticationTicket(Authentication.PrincipalOf(token.Name, Name, new Caller(CallerKind.Token, token.Id)), Name)
            )
            : AuthenticateResult.Fail("The token is not known, was revoked, or is over.");
    }
}
